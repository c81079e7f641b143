"""Plane profiles drawn out or turned; wing sections."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.placing import rotation
from brook.core.geometry.profile import outline
from brook.core.geometry.solids.swept import frame, swept
from brook.core.geometry.steps.placing import axis_of
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved


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
