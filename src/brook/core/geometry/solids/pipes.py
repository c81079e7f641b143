"""Round rods along lines and arcs."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.placing import rotation
from brook.core.geometry.solids.swept import frame, swept
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved


def rounded_path(corners: np.ndarray, radii: np.ndarray, around: int) -> tuple[np.ndarray, np.ndarray]:
    """Places (n, 3) along a path with its corners rounded, and the directions (n, 3) there.

    Raises `ValueError` for a bend that its legs are too short for, or a path that turns back on itself.
    """
    legs = np.diff(corners, axis=0)
    lengths = np.linalg.norm(legs, axis=1)
    if not lengths.all():
        raise ValueError("two points of the path are at the same place; take one of them out")
    ways = legs / lengths[:, None]
    places, directions = [corners[0]], [ways[0]]
    used = np.zeros(len(legs))
    for k in range(1, len(corners) - 1):
        turn = float(np.arccos(np.clip(ways[k - 1] @ ways[k], -1, 1)))
        if turn < 1e-9:
            continue
        if np.pi - turn < 1e-6:
            raise ValueError(f"the path turns back on itself at its point {k + 1}")
        cut = radii[k] * np.tan(turn / 2)
        used[k - 1] += cut
        used[k] += cut
        if used[k - 1] > lengths[k - 1] * (1 + 1e-9) or cut > lengths[k] * (1 + 1e-9):
            raise ValueError(f"the bend at point {k + 1} of the path is too wide for its legs; make its radius smaller")
        if radii[k] == 0:  # a mitre: one ring in the plane between both
            places.append(corners[k])
            directions.append(_unit(ways[k - 1] + ways[k]))
            continue
        axis = _unit(np.cross(ways[k - 1], ways[k]))
        start = corners[k] - cut * ways[k - 1]
        centre = start + radii[k] * np.cross(axis, ways[k - 1])
        pieces = max(2, int(np.ceil(turn / (2 * np.pi) * around)))
        for angle in np.linspace(0.0, turn, pieces + 1):
            by = rotation(axis, angle)
            places.append(centre + by @ (start - centre))
            directions.append(by @ ways[k - 1])
    places.append(corners[-1])
    directions.append(ways[-1])
    return np.array(places), np.array(directions)


def _unit(vector: np.ndarray) -> np.ndarray:
    return vector / np.linalg.norm(vector)


def _pipe(part: Resolved) -> Surface:
    corners = np.array([[p.x, p.y, p.z] for p in part.path], float)
    radii = np.array([p.radius for p in part.path], float)
    bends = radii[1:-1][radii[1:-1] > 0]
    if len(bends) and bends.min() < part.diameter / 2:
        raise ValueError("a bend is tighter than half the diameter of the pipe; make its radius larger")
    places, directions = rounded_path(corners, radii, part.around)
    kept = np.concatenate([[True], np.linalg.norm(np.diff(places, axis=0), axis=1) > 1e-9 * part.diameter])
    places, directions = places[kept], directions[kept]
    one, other = frame(directions[0])
    turn = 2 * np.pi * np.arange(part.around) / part.around
    # the section is carried along without twist; at a mitre it is drawn out into the plane of the ring
    ring = part.diameter / 2 * (np.cos(turn)[:, None] * one + np.sin(turn)[:, None] * other)
    rings = [places[0] + ring]
    for k in range(1, len(places)):
        along = _unit(places[k] - places[k - 1])
        before = rings[-1]
        reach = ((places[k] - before) @ directions[k]) / (along @ directions[k])
        rings.append(before + reach[:, None] * along)
    return swept(np.array(rings), [part.patches.side] * part.around, part.patches.start, part.patches.end)


BUILD = {"pipe": _pipe}
