"""Steps that divide, name and join patches."""

from __future__ import annotations

import numpy as np

from brook.core.geometry import parts
from brook.core.geometry.spots import triangle_at
from brook.core.geometry.steps.placing import axis_of
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved


def _plane(surface: Surface, step: Resolved) -> Surface:
    normal = axis_of(step.axis)
    return parts.split_by_plane(surface, step.patch, normal, np.abs(normal) * step.at)


def _box(surface: Surface, step: Resolved) -> Surface:
    low = np.array([step.west, step.south, step.floor], float)
    high = np.array([step.east, step.north, step.lid], float)
    return parts.split_by_box(surface, step.patch, low, high)


def area_at(surface: Surface, seed: int, reach: str, angle: float) -> np.ndarray:
    """Triangles (n,) that hang together with one of them."""
    if reach == "triangle":
        return np.array([seed])
    of = surface.shells if reach == "shell" else parts.smooth_regions(surface, angle)
    return np.nonzero(of == of[seed])[0]


def _name_area(surface: Surface, step: Resolved) -> Surface:
    chosen = area_at(surface, triangle_at(surface, step.at), step.reach, step.angle)
    before = {surface.patches[k] for k in np.unique(surface.patch[chosen])}
    return parts.without_empty(parts.named(surface, chosen, step.to), only=tuple(before - {step.to}))


DO = {
    "split_by_angle": lambda s, step: parts.split_by_angle(s, step.patch, step.angle),
    "split_by_shell": lambda s, step: parts.split_by_shell(s, step.patch),
    "split_by_plane": _plane,
    "split_by_box": _box,
    "name_area": _name_area,
    "rename": lambda s, step: parts.renamed(s, step.patch, step.to),
}
