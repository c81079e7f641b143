"""Rings of cells round a body in a plane, out to a circle."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.profile import outline
from brook.core.geometry.solids.profiles import four_digit
from brook.core.mesh.ordered.drawn import OrderedError, drawn
from brook.core.mesh.ordered.spacing import spaced
from brook.core.mesh.polyhedral import Mesh
from brook.core.study import Resolved

FAN = 8


def build(part: Resolved) -> Mesh:
    """The mesh of a collar. Raises `OrderedError`."""
    inner = _body(part)
    radius = part.outer / 2
    centre = inner.mean(axis=0) if part.body != "round" else np.array([part.x, part.y], float)
    reach = np.linalg.norm(inner - centre, axis=1).max()
    if radius <= reach:
        raise OrderedError(f"the circle round {part.name} is smaller than its body; make it larger")
    count = len(inner)
    tangent = np.roll(inner, -1, axis=0) - np.roll(inner, 1, axis=0)
    normal = np.stack([tangent[:, 1], -tangent[:, 0]], axis=1)
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    for _ in range(count // FAN):  # the fan of lines at a sharp edge is shared by those beside it
        normal = np.roll(normal, 1, axis=0) + normal + np.roll(normal, -1, axis=0)
        normal /= np.linalg.norm(normal, axis=1)[:, None]
    outer = centre + radius * _directions(inner, centre, normal)
    away = (outer - centre) / radius
    gap = np.linalg.norm(outer - inner, axis=1)
    place = spaced(part.outward, float(gap.mean()), f"the rings of {part.name}")
    # a cubic that leaves the body along its normal and meets the circle along the radius
    t = place[:, None, None]
    lines = (
        (2 * t**3 - 3 * t**2 + 1) * inner + (t**3 - 2 * t**2 + t) * (gap[:, None] * normal)
        + (3 * t**2 - 2 * t**3) * outer + (t**3 - t**2) * (gap[:, None] * away)
    )  # fmt: skip
    points = lines.reshape(-1, 2)
    number = np.arange(len(points)).reshape(len(place), count)
    after = np.roll(number, -1, axis=1)
    cells = np.stack([number[:-1], number[1:], after[1:], after[:-1]], axis=-1).reshape(-1, 4)
    rim = np.stack([number[-1], after[-1]], axis=1)
    upstream = ((points[rim[:, 0]] + points[rim[:, 1]]) / 2 - centre)[:, 0] < 0
    edges: dict[str, np.ndarray] = {}
    sides = (
        (part.patches.body, np.stack([number[0], after[0]], axis=1)),
        (part.patches.upstream, rim[upstream]), (part.patches.downstream, rim[~upstream]),
    )  # fmt: skip
    for name, edge in sides:
        edges[name] = np.concatenate([edges[name], edge]) if name in edges else edge
    return drawn(part, points, cells, edges)


def _body(part: Resolved) -> np.ndarray:
    """Points (n, 2) of the body, anticlockwise."""
    at, count = np.array([part.x, part.y], float), part.around
    if part.body == "round":
        angle = 2 * np.pi * np.arange(count) / count
        height = part.height or part.diameter
        return at + np.stack([part.diameter / 2 * np.cos(angle), height / 2 * np.sin(angle)], axis=1)
    if part.body == "section":
        try:
            flat = part.chord * four_digit(part.digits, max(4, count // 2))
        except ValueError as error:
            raise OrderedError(str(error)) from None
        c, s = np.cos(part.incidence), np.sin(part.incidence)
        return at + np.stack([c * flat[:, 0] + s * flat[:, 1], c * flat[:, 1] - s * flat[:, 0]], axis=1)
    if len(part.profile) < 3:
        raise OrderedError(f"the profile of {part.name} needs at least three points")
    points, _ = outline(part.profile, 4 * count)
    return at + _evenly(points, count)


def _evenly(points: np.ndarray, count: int) -> np.ndarray:
    """About `count` points round a closed line, anticlockwise, with every corner that turns by over 20° kept."""
    after = np.roll(points, -1, axis=0)
    if (points[:, 0] * after[:, 1] - after[:, 0] * points[:, 1]).sum() < 0:
        points = points[::-1]
    way = np.roll(points, -1, axis=0) - points
    heading = np.arctan2(way[:, 1], way[:, 0])
    turn = np.abs((heading - np.roll(heading, 1) + np.pi) % (2 * np.pi) - np.pi)
    corners = np.nonzero(turn > np.radians(20.0))[0]
    if not len(corners):
        corners = np.array([0])
    points = np.roll(points, -corners[0], axis=0)
    corners = np.append(corners - corners[0], len(points))
    closed = np.concatenate([points, points[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    found = []
    for a, b in zip(along[corners[:-1]], along[corners[1:]], strict=True):
        pieces = max(1, round(count * (b - a) / along[-1]))
        s = a + (b - a) * np.arange(pieces) / pieces
        found.append(np.stack([np.interp(s, along, closed[:, i]) for i in (0, 1)], axis=1))
    return np.concatenate(found)


def _directions(inner: np.ndarray, centre: np.ndarray, normal: np.ndarray) -> np.ndarray:
    """Unit vectors (n, 2) to the circle: evenly drawn out between the directions of the normals and even angles, so
    that they never turn back."""
    angle = np.unwrap(np.arctan2(normal[:, 1], normal[:, 0]))
    from_centre = np.unwrap(np.arctan2(*(inner - centre).T[::-1]))
    angle += 2 * np.pi * np.round((from_centre[0] - angle[0]) / (2 * np.pi))
    step = np.diff(np.append(angle, angle[0] + 2 * np.pi))
    even = 2 * np.pi / len(inner)
    for weight in np.linspace(0.0, 1.0, 21):
        mixed = (1 - weight) * step + weight * even
        if mixed.min() >= 0.3 * even:
            break
    begin = angle[0] + 0.0
    found = begin + np.concatenate([[0.0], np.cumsum(mixed)[:-1]])
    found += np.mean(from_centre - found)
    return np.stack([np.cos(found), np.sin(found)], axis=1)
