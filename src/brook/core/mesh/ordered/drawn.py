"""From plane cells with four corners to a mesh: a slice, a wedge round an axis, or a block."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from brook.core.mesh.assembling import Polygons, assembled, sides_of
from brook.core.mesh.ordered.spacing import spaced
from brook.core.mesh.polyhedral import PLANE_SIDES, WEDGE_SIDES, Mesh
from brook.core.study import Resolved

MOST_CELLS = 30_000_000
WIDEST = np.radians(10.0)


class OrderedError(ValueError):
    """A part that cannot be made as it is said; the message says why and what to do."""


def drawn(part: Resolved, points: np.ndarray, cells: np.ndarray, edges: dict[str, np.ndarray]) -> Mesh:
    """What becomes of plane cells: points (P, 2) in m, cells (C, 4) anticlockwise, and the edges (n, 2) of patches."""
    if part.becomes == "wedge":
        layers = _turned(points, part.angle)
    else:
        heights = part.depth * (
            spaced(part.along, part.depth, f"{part.name} along z") if part.becomes == "block" else np.array([0.0, 1.0])
        )
        layers = [np.column_stack([points, np.full(len(points), z)]) for z in heights]
    count = len(points)
    if len(cells) * (len(layers) - 1) > MOST_CELLS:
        raise OrderedError(f"{part.name} would have over {MOST_CELLS // 1_000_000} million cells; ask for fewer")
    number = [np.arange(count) + k * count for k in range(len(layers))]
    if part.becomes == "wedge":  # what lies on the axis is one point
        number[1] = np.where(points[:, 1] == 0, number[0], number[1])
    hexahedra = np.concatenate([np.hstack([low[cells], high[cells]]) for low, high in pairwise(number)])
    patches = [
        (name, Polygons.rows(np.concatenate([_strip(low, high, edge) for low, high in pairwise(number)])))
        for name, edge in edges.items()
    ]  # fmt: skip
    ends = [Polygons.rows(number[0][cells]), Polygons.rows(number[-1][cells])]
    if part.becomes == "block":
        patches += [(part.back, ends[0]), (part.front, ends[1])]
    else:
        patches.append((PLANE_SIDES if part.becomes == "slice" else WEDGE_SIDES, ends[0].and_(ends[1])))
    return mesh_of(np.concatenate(layers), hexahedra, _together(patches))


def _together(patches: list[tuple[str, Polygons]]) -> list[tuple[str, Polygons]]:
    """Patches of one name as one."""
    found: dict[str, Polygons] = {}
    for name, faces in patches:
        found[name] = found[name].and_(faces) if name in found else faces
    return list(found.items())


def mesh_of(points: np.ndarray, hexahedra: np.ndarray, patches: list[tuple[str, Polygons]]) -> Mesh:
    """The mesh of cells with eight corners (C, 8), some of which may be the same."""
    sides = sides_of("hexahedron", hexahedra)
    cell = np.repeat(np.arange(len(hexahedra)), sides.shape[1])
    return assembled(points, Polygons.rows(sides.reshape(-1, 4)), cell, _together(patches), "rest")


def _strip(low: np.ndarray, high: np.ndarray, edge: np.ndarray) -> np.ndarray:
    a, b = edge.T
    return np.stack([low[a], low[b], high[b], high[a]], axis=1)


def _turned(points: np.ndarray, angle: float) -> list[np.ndarray]:
    if points[:, 1].min() < 0:
        raise OrderedError("a wedge lies on one side of its axis: no y may be negative")
    if angle > WIDEST:
        raise OrderedError("a wedge is thin: its angle may be at most 10 deg")
    x, r = points.T
    return [np.column_stack([x, r * np.cos(a), r * np.sin(a)]) for a in (-angle / 2, angle / 2)]
