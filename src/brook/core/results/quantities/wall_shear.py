"""The friction of the fluid along a wall: a stress, and that over the dynamic pressure of the reference speed."""

import numpy as np

from brook.core.numerics import gradient
from brook.core.results.forces import face_forces
from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.results.quantities.pressure_coefficient import inflow_speed
from brook.core.units import DIMENSIONS, NONE


def values(view: View) -> Values:
    """Its size on boundary faces (B,), in Pa; nothing in cells."""
    fields, s = view.fields, view.fields.stencil
    slope = gradient(s, s.every_boundary, fields.velocity, fields.boundary_velocity)
    found = np.zeros(s.boundary_count)
    for patch in s.patches:
        here, normal = s.boundary_faces(patch), s.boundary_normal[s.boundary_faces(patch)]
        friction = face_forces(fields, patch, slope)[1]
        along = friction - np.einsum("fk,fk->f", friction, normal)[:, None] * normal
        found[here] = np.linalg.norm(along, axis=1) / fields.mesh.face_areas(patch.faces)
    return np.zeros(s.cells), found


def _coefficient(view: View) -> Values:
    """2 τ/(ρ U²) with the reference speed U, or the mean speed of the inflow."""
    cells, boundary = view.values("wall_shear")
    speed = inflow_speed(view) if view.references.speed is None else view.references.speed
    density = view.fields.density[view.fields.stencil.face_cell]
    return cells, boundary / np.maximum(0.5 * density * speed**2, 1e-300)


QUANTITY = QuantityKind(
    "wall_shear", DIMENSIONS["pressure"], "wall shear stress", values, positive=True, drawn=False, on=("patch",)
)
COEFFICIENT = QuantityKind(
    "friction_coefficient", NONE, "friction coefficient", _coefficient, positive=True, drawn=False, on=("patch",)
)
