"""The rotation of the velocity, ∇ × u: along z, counter-clockwise positive in a drawing, along x and y, and its size."""

from __future__ import annotations

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def _along(slope: np.ndarray, axis: int) -> np.ndarray:
    """Of gradients (n, 3, 3) as [place, component, direction]: the component of the rotation (n,) along an axis."""
    one, other = (axis + 1) % 3, (axis + 2) % 3
    return np.asarray(slope[:, other, one] - slope[:, one, other])


def _component(axis: int, name: str, words: str) -> QuantityKind:
    def values(view: View) -> Values:
        return _along(view.velocity_slope, axis), _along(view.boundary_velocity_slope, axis)

    return QuantityKind(name, DIMENSIONS["rate"], words, values, signed=True)


def _size(view: View) -> Values:
    cells, boundary = (
        np.sqrt(sum(_along(slope, axis) ** 2 for axis in range(3)))
        for slope in (view.velocity_slope, view.boundary_velocity_slope)
    )
    return cells, boundary


QUANTITY = _component(2, "vorticity", "vorticity")
ALONG_X = _component(0, "vorticity_x", "vorticity along x")
ALONG_Y = _component(1, "vorticity_y", "vorticity along y")
SIZE = QuantityKind("vorticity_size", DIMENSIONS["rate"], "size of the vorticity", _size, positive=True)
