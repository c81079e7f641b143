"""Cylinders, cones, balls and rings."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.solids.swept import frame, swept
from brook.core.geometry.steps.placing import axis_of
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved


def _circles(part: Resolved, radii: np.ndarray, heights: np.ndarray) -> np.ndarray:
    """Rings (n, around, 3) about the axis of a part, `heights` along it from its place."""
    axis = axis_of(part.axis) if hasattr(part, "axis") else np.array([0.0, 0.0, 1.0])
    one, other = frame(axis)
    turn = 2 * np.pi * np.arange(part.around) / part.around
    circle = np.cos(turn)[:, None] * one + np.sin(turn)[:, None] * other
    at = np.array([part.x, part.y, part.z], float) + np.asarray(heights)[:, None] * axis
    return at[:, None, :] + np.asarray(radii)[:, None, None] * circle


def _cone(part: Resolved) -> Surface:
    end = part.end_diameter if part.kind == "cone" else part.diameter
    rings = _circles(part, np.array([part.diameter, end]) / 2, np.array([0.0, part.length]))
    return swept(rings, [part.patches.side] * part.around, part.patches.start, part.patches.end)


def _sphere(part: Resolved) -> Surface:
    turn = np.pi * np.arange(part.around // 2 + 1) / (part.around // 2)
    radius = part.diameter / 2
    radii = radius * np.sin(turn)
    radii[[0, -1]] = 0.0
    return swept(_circles(part, radii, -radius * np.cos(turn)), [part.patch] * part.around, part.patch, part.patch)


def _torus(part: Resolved) -> Surface:
    if part.diameter >= part.ring:
        raise ValueError("the rod of the ring is thicker than the ring is wide; make one smaller")
    turn = 2 * np.pi * np.arange(part.around) / part.around
    rings = _circles(part, part.ring / 2 + part.diameter / 2 * np.cos(turn), part.diameter / 2 * np.sin(turn))
    return swept(rings, [part.patch] * part.around, closed=True)


BUILD = {"cylinder": _cone, "cone": _cone, "sphere": _sphere, "torus": _torus}
