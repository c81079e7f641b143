"""Making triangles look the same way, and outward."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.findings.sides import inward_shells, turned
from brook.core.geometry.surface import Surface


def spread_sides(surface: Surface) -> Surface:
    """All triangles of a shell go round as most of it does, by area."""
    mask = np.zeros(surface.count, bool)
    mask[turned(surface)] = True
    return surface.flipped(mask) if mask.any() else surface


def make_outward(surface: Surface) -> Surface:
    """Closed shells look outward, hollows within them inward; shells that are not alike inside are spread first."""
    surface = spread_sides(surface)
    mask = np.zeros(surface.count, bool)
    for triangles in inward_shells(surface):
        mask[triangles] = True
    return surface.flipped(mask) if mask.any() else surface
