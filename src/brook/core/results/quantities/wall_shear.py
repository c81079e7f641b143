"""The friction of the fluid along a wall: a stress, and that over the dynamic pressure of the reference speed."""

import numpy as np

from brook.core.results.forces import face_forces
from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.results.quantities.pressure_coefficient import inflow_speed
from brook.core.units import DIMENSIONS, NONE

FRICTION_NAMES = ("friction_x", "friction_y", "friction_z")


def values(view: View) -> Values:
    """Its size on boundary faces (B,), in Pa; nothing in cells."""
    fields, s = view.fields, view.fields.stencil
    found = np.zeros((s.boundary_count, 3))
    for patch in s.patches:
        here, normal = s.boundary_faces(patch), s.boundary_normal[s.boundary_faces(patch)]
        friction = face_forces(fields, patch, view.velocity_slope)[1]
        along = friction - np.einsum("fk,fk->f", friction, normal)[:, None] * normal
        found[here] = along / fields.mesh.face_areas(patch.faces)[:, None]
    nothing = np.zeros(s.cells)
    view.computed.update({name: (nothing, found[:, k]) for k, name in enumerate(FRICTION_NAMES)})
    return nothing, np.linalg.norm(found, axis=1)


def _friction(axis: int) -> QuantityKind:
    def along(view: View) -> Values:
        values(view)
        return view.computed[FRICTION_NAMES[axis]]

    words = f"friction along {'xyz'[axis]}"
    return QuantityKind(FRICTION_NAMES[axis], DIMENSIONS["pressure"], words, along, signed=True, drawn=False, on=("patch",))  # fmt: skip


def _coefficient(view: View) -> Values:
    """2 τ/(ρ U²) with the reference speed U, or the mean speed of the inflow."""
    cells, boundary = view.values("wall_shear")
    speed = inflow_speed(view) if view.references.speed is None else view.references.speed
    density = view.fields.density[view.fields.stencil.face_cell]
    return cells, boundary / np.maximum(0.5 * density * speed**2, 1e-300)


QUANTITY = QuantityKind(
    "wall_shear", DIMENSIONS["pressure"], "wall shear stress", values, positive=True, drawn=False, on=("patch",)
)
FRICTION = tuple(_friction(axis) for axis in range(3))
COEFFICIENT = QuantityKind(
    "friction_coefficient", NONE, "friction coefficient", _coefficient, positive=True, drawn=False, on=("patch",)
)
