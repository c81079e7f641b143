"""A round pipe along lines and arcs: a square of cells in its middle and rings around, carried along without twist.

Its cross-section is a polygon of as many sides as cells stand around, with the area of the circle.
"""

from __future__ import annotations

import numpy as np

from brook.core.geometry.placing import rotation
from brook.core.geometry.solids.swept import frame
from brook.core.mesh.assembling import Polygons
from brook.core.mesh.ordered.drawn import MOST_CELLS, OrderedError, mesh_of
from brook.core.mesh.ordered.spacing import spaced
from brook.core.mesh.polyhedral import Mesh
from brook.core.study import Resolved

CORE = 0.55  # of the radius: from the middle to a corner of the square
BULGE = 0.35  # 0 leaves the square straight, 1 makes a circle of it


def build(part: Resolved) -> Mesh:
    """The mesh of a tube. Raises `OrderedError`."""
    radius = part.diameter / 2
    if part.inner >= part.diameter:
        raise OrderedError(f"the inner diameter of {part.name} has to be smaller than its diameter")
    flat, cells, rim, inside = _section(part, radius)
    places, ones, others = _carried(part, radius)
    if len(cells) * (len(places) - 1) > MOST_CELLS:
        raise OrderedError(f"{part.name} would have over {MOST_CELLS // 1_000_000} million cells; ask for fewer")
    points = (places[:, None] + flat[:, :1] * ones[:, None] + flat[:, 1:] * others[:, None]).reshape(-1, 3)
    step = len(flat)
    begin = step * np.arange(len(places) - 1)[:, None, None]
    hexahedra = np.concatenate([cells + begin, cells + begin + step], axis=-1).reshape(-1, 8)
    patches = [
        (part.patches.start, Polygons.rows(cells)),
        (part.patches.end, Polygons.rows(cells + step * (len(places) - 1))), (part.patches.side, _wall(rim, begin, step)),
    ]  # fmt: skip
    if len(inside):
        patches.append((part.patches.inside, _wall(inside, begin, step)))
    return mesh_of(points, hexahedra, patches)


def wider(around: int) -> float:
    """How far the corners of a polygon stand out whose area is that of a circle of radius 1."""
    turn = 2 * np.pi / around
    return float(np.sqrt(turn / np.sin(turn)))


def _wall(edge: np.ndarray, begin: np.ndarray, step: int) -> Polygons:
    a, b = edge.T
    return Polygons.rows((np.stack([a, b, b + step, a + step], axis=1) + begin).reshape(-1, 4))


def _section(part: Resolved, radius: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Points (P, 2) of the cross-section, its cells (C, 4), the edges of its rim and those round its hole."""
    n = part.across
    around = 4 * n
    angle = -0.75 * np.pi + 2 * np.pi * np.arange(around) / around
    circle = np.stack([np.cos(angle), np.sin(angle)], axis=1) * wider(around)
    if part.inner:
        points, cells, edge = np.zeros((0, 2)), np.zeros((0, 4), int), part.inner / 2 * circle
        ring = np.arange(around)
    else:
        s = np.linspace(-1.0, 1.0, n + 1)
        x, y = (a.ravel() for a in np.meshgrid(s, s, indexing="ij"))
        straight = np.stack([x, y], axis=1) * CORE / np.sqrt(2)
        far = np.maximum(np.abs(x), np.abs(y))
        # of each square round the middle a circle through its corners, in even angles
        along = np.where(np.abs(x) >= np.abs(y), np.divide(y, x, out=np.zeros_like(x), where=x != 0),
                         np.divide(x, y, out=np.zeros_like(x), where=y != 0))  # fmt: skip
        turned = np.pi / 4 * along
        wide = np.abs(x) >= np.abs(y)
        bent = far[:, None] * CORE * np.where(
            wide[:, None], np.stack([np.sign(x) * np.cos(turned), np.sign(x) * np.sin(turned)], axis=1),
            np.stack([np.sign(y) * np.sin(turned), np.sign(y) * np.cos(turned)], axis=1),
        )  # fmt: skip
        points = radius * ((1 - BULGE) * straight + BULGE * bent)
        number = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
        cells = np.stack([number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]], axis=-1).reshape(-1, 4)
        ring = np.concatenate([number[:-1, 0], number[-1, :-1], number[:0:-1, -1], number[0, :0:-1]])
        edge = points[ring]
    rim = radius * circle
    gap = float(np.linalg.norm(rim - edge, axis=1).mean())
    place = spaced(part.outward, gap, f"the rings of {part.name}")[1:]
    rings = edge + place[:, None, None] * (rim - edge)
    first = len(points)
    if part.inner:
        rings, first = np.concatenate([edge[None], rings]), 0
        numbers = np.arange(rings[..., 0].size).reshape(len(rings), around)
    else:
        numbers = np.concatenate([ring[None], first + np.arange(rings[..., 0].size).reshape(len(rings), around)])
    after = np.roll(numbers, -1, axis=1)
    outer = np.stack([numbers[:-1], numbers[1:], after[1:], after[:-1]], axis=-1).reshape(-1, 4)
    edges = [np.stack([k, np.roll(k, -1)], axis=1) for k in (numbers[-1], numbers[0])]
    return (
        np.concatenate([points, rings.reshape(-1, 2)]), np.concatenate([cells, outer]), edges[0],
        edges[1] if part.inner else edges[1][:0],
    )  # fmt: skip


def _carried(part: Resolved, radius: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Places (n, 3) along the path and two directions (n, 3) across it, which never twist."""
    corners = np.array([[p.x, p.y, p.z] for p in part.path], float) + np.array([part.x, part.y, part.z], float)
    legs = np.diff(corners, axis=0)
    lengths = np.linalg.norm(legs, axis=1)
    if not lengths.all():
        raise OrderedError(f"two points of the path of {part.name} are at the same place; take one of them out")
    ways = legs / lengths[:, None]
    # pieces: (length, where it begins, direction, axis of the turn, radius of the turn)
    pieces: list[tuple[float, np.ndarray, np.ndarray, np.ndarray, float]] = []
    at = corners[0]
    for k, way in enumerate(ways):
        end, arc = corners[k + 1], None
        turn = float(np.arccos(np.clip(way @ ways[k + 1], -1, 1))) if k + 1 < len(ways) else 0.0
        if turn > 1e-9:
            bend = part.path[k + 1].radius
            if bend <= radius:
                raise OrderedError(
                    f"the bend at point {k + 2} of the path of {part.name} is tighter than half its diameter; "
                    "make its radius larger"
                )
            end = end - bend * np.tan(turn / 2) * way
            axis = np.cross(way, ways[k + 1])
            arc = (bend * turn, end, way, axis / np.linalg.norm(axis), bend)
        straight = float((end - at) @ way)
        if straight < -1e-9 * lengths[k]:
            raise OrderedError(f"the bends at both ends of leg {k + 1} of {part.name} are too wide for it")
        if straight > 0:
            pieces.append((straight, at, way, way, 0.0))
        at = end
        if arc is not None:
            pieces.append(arc)
            at = corners[k + 1] + arc[4] * np.tan(turn / 2) * ways[k + 1]
    ends = np.concatenate([[0.0], np.cumsum([p[0] for p in pieces])])
    wanted = ends[-1] * spaced(part.along, float(ends[-1]), f"{part.name} along its path")
    one, other = frame(pieces[0][2])
    places, ones, others = [], [], []
    k = 0
    for s in wanted:
        while k < len(pieces) - 1 and s > ends[k + 1]:
            one, other = (_turn(pieces[k], pieces[k][0]) @ v for v in (one, other))
            k += 1
        _, begin, way, axis, bend = pieces[k]
        by = _turn(pieces[k], s - ends[k])
        middle = begin + bend * np.cross(axis, way)
        places.append(middle + by @ (begin - middle) if bend else begin + (s - ends[k]) * way)
        ones.append(by @ one)
        others.append(by @ other)
    return np.array(places), np.array(ones), np.array(others)


def _turn(piece: tuple[float, np.ndarray, np.ndarray, np.ndarray, float], gone: float) -> np.ndarray:
    return rotation(piece[3], gone / piece[4]) if piece[4] else np.eye(3)
