"""The rotation of the velocity in the plane of the drawing, counter-clockwise positive: ∂v/∂x - ∂u/∂y."""

import numpy as np

from brook.core.numerics import gradient
from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import dimension_of


def values(view: View) -> Values:
    """∂v/∂x − ∂u/∂y in cells (C,) and on boundary faces (B,), in 1/s."""
    fields, stencil = view.fields, view.fields.stencil
    slope = gradient(stencil, stencil.every_boundary, fields.velocity, fields.boundary_velocity)
    cell, normal = stencil.face_cell, stencil.boundary_normal
    # on the boundary the normal derivative is the one-sided difference to the cell behind it
    distance = np.einsum("ij,ij->i", stencil.boundary_line, normal)
    across = (fields.boundary_velocity - fields.velocity[cell]) / distance[:, None]
    near = slope[cell]
    near = near + (across - np.einsum("fki,fi->fk", near, normal))[:, :, None] * normal[:, None, :]
    return slope[:, 1, 0] - slope[:, 0, 1], near[:, 1, 0] - near[:, 0, 1]


QUANTITY = QuantityKind("vorticity", dimension_of("1/s"), "vorticity", values, signed=True)
