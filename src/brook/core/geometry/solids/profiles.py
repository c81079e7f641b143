"""Plane profiles of lines, rounded corners and splines, drawn out or turned; wing sections."""

from __future__ import annotations

import numpy as np
import shapely
from scipy.interpolate import CubicSpline

from brook.core.geometry.placing import rotation
from brook.core.geometry.solids.swept import frame, swept
from brook.core.geometry.steps.placing import axis_of
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

PIECES = 12  # of a spline between two of its points


def outline(profile: list[Resolved], around: int) -> tuple[np.ndarray, list[str]]:
    """Points (n, 2) of a closed profile in order, and the patch of the side behind each.

    Raises `ValueError` for a profile that crosses itself, or a corner that its sides are too short to round.
    """
    at = np.array([[p.x, p.y] for p in profile], float)
    count = len(profile)
    places: list[np.ndarray] = []
    sides: list[str] = []
    k = 0
    start = next((k for k in range(count) if profile[k - 1].to == "line"), 0)
    order = [(start + k) % count for k in range(count)]
    while k < count:
        here = order[k]
        if profile[here].to == "line":
            _corner(at, order, k, profile, around, places, sides)
            k += 1
            continue
        run = [here]
        while k < count and profile[order[k]].to == "spline":
            k += 1
            run.append(order[k % count])
        whole = k == count and len(run) == count + 1
        curve = CubicSpline(_chords(at[run]), at[run], bc_type="periodic" if whole else "natural")
        knots = _chords(at[run])
        for n in range(len(run) - 1):
            for u in np.linspace(knots[n], knots[n + 1], PIECES, endpoint=False):
                places.append(curve(u))
                sides.append(profile[run[n]].patch)
    points = np.array(places)
    if not shapely.Polygon(points).is_valid:
        raise ValueError("the profile crosses or touches itself; move a point or make a rounding smaller")
    return points, sides


def _chords(points: np.ndarray) -> np.ndarray:
    return np.concatenate([[0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(points, axis=0), axis=1)))])


def _corner(
    at: np.ndarray, order: list[int], k: int, profile: list[Resolved], around: int, places: list, sides: list
) -> None:
    """A corner as it is, or as the pieces of an arc."""
    here, before, after = order[k], order[k - 1], order[(k + 1) % len(order)]
    corner, radius, patch = at[here], profile[here].radius, profile[here].patch
    if radius == 0 or profile[before].to == "spline":
        places.append(corner)
        sides.append(patch)
        return
    one, other = at[before] - corner, at[after] - corner
    lengths = np.linalg.norm(one), np.linalg.norm(other)
    one, other = one / lengths[0], other / lengths[1]
    half = np.arccos(np.clip(one @ other, -1, 1)) / 2
    cut = radius / np.tan(half)
    if cut > min(lengths) * (1 + 1e-9):
        raise ValueError("a corner of the profile is rounded more than its sides are long; make the radius smaller")
    centre = corner + (one + other) / np.linalg.norm(one + other) * radius / np.sin(half)
    first = corner + cut * one - centre
    last = corner + cut * other - centre
    turn = np.arctan2(first[0] * last[1] - first[1] * last[0], first @ last)
    for angle in np.linspace(0.0, turn, max(2, int(np.ceil(abs(turn) / (2 * np.pi) * around))) + 1):
        c, s = np.cos(angle), np.sin(angle)
        places.append(centre + np.array([c * first[0] - s * first[1], s * first[0] + c * first[1]]))
        sides.append(patch)


def _extruded(part: Resolved) -> Surface:
    points, sides = outline(part.profile, part.around)
    axis = axis_of(part.axis)
    one, other = frame(axis)
    ring = points[:, :1] * one + points[:, 1:] * other + np.array([part.x, part.y, part.z], float)
    return swept(np.stack([ring, ring + part.length * axis]), sides, part.start, part.end)


def _revolved(part: Resolved) -> Surface:
    points, sides = outline(part.profile, part.around)
    if points[:, 0].min() < -1e-12:
        raise ValueError("a profile that is turned lies on one side of its axis: its x may not be negative")
    if part.angle <= 0 or part.angle > 2 * np.pi * (1 + 1e-9):
        raise ValueError("a profile can be turned by more than nothing and at most 360 deg")
    axis = axis_of(part.axis)
    one, _ = frame(axis)
    at = np.array([part.x, part.y, part.z], float)
    whole = abs(part.angle - 2 * np.pi) < 1e-9
    pieces = max(3, int(np.ceil(part.angle / (2 * np.pi) * part.around)))
    angles = np.linspace(0.0, part.angle, pieces + 1)[: pieces if whole else None]
    radius = np.where(np.abs(points[:, :1]) < 1e-12, 0.0, points[:, :1])
    flat = radius * one + points[:, 1:] * axis
    rings = np.stack([flat @ rotation(axis, a).T + at for a in angles])
    rings[:, points[:, 0] <= 1e-12] = flat[points[:, 0] <= 1e-12] + at  # what lies on the axis is one point
    return swept(rings, sides, part.start, part.end, closed=whole)


def four_digit(digits: str, count: int) -> np.ndarray:
    """Points (n, 2) of a four-digit section of unit chord, from the trailing edge over the upper side and back below.

    Jacobs, Ward & Pinkerton (1933); the last coefficient closes the trailing edge.
    """
    camber, place, thick = int(digits[0]) / 100, int(digits[1]) / 10, int(digits[2:]) / 100
    if thick == 0:
        raise ValueError(f"the section {digits} has no thickness; its last two digits are that in % of the chord")
    x = (1 + np.cos(np.pi * np.arange(count + 1) / count)) / 2
    y = 5 * thick * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4)
    y[0] = 0.0
    line, slope = np.zeros_like(x), np.zeros_like(x)
    if camber > 0 and place > 0:
        front = x < place
        over = np.where(front, place**2, (1 - place) ** 2)
        line = camber / over * np.where(front, 2 * place * x - x**2, 1 - 2 * place + 2 * place * x - x**2)
        slope = 2 * camber / over * (place - x)
    turn = np.arctan(slope)
    upper = np.stack([x - y * np.sin(turn), line + y * np.cos(turn)], axis=1)
    lower = np.stack([x + y * np.sin(turn), line - y * np.cos(turn)], axis=1)
    return np.concatenate([upper, lower[::-1][1:-1]])


def _wing(part: Resolved) -> Surface:
    flat = part.chord * four_digit(part.digits, max(8, part.around))
    c, s = np.cos(part.incidence), np.sin(part.incidence)
    x, z = c * flat[:, 0] + s * flat[:, 1], c * flat[:, 1] - s * flat[:, 0]
    at = np.array([part.x, part.y, part.z], float)
    rings = np.stack([np.stack([x, np.full_like(x, y), z], axis=1) + at for y in (0.0, part.span)])
    return swept(rings, [part.patches.side] * len(flat), part.patches.start, part.patches.end)


BUILD = {"extruded": _extruded, "revolved": _revolved, "wing": _wing}
