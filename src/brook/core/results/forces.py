"""The force of the fluid on each patch, in its pressure and friction parts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.numerics import gradient
from brook.core.solve import Fields


@dataclass(frozen=True, eq=False)
class PatchForce:
    """pressure (3,) and friction (3,) in N on the slice as deep as the mesh; `momentum` (3,) is what leaves with the flow."""

    patch: str
    pressure: np.ndarray
    friction: np.ndarray
    momentum: np.ndarray

    @property
    def total(self) -> np.ndarray:
        return self.pressure + self.friction


def patch_forces(fields: Fields) -> list[PatchForce]:
    """Forces on every patch: ∫p n dA, and the shear μ∂u/∂n just as the momentum equation has it.

    In a steady flow the sum over all patches of pressure, friction and momentum flux is nothing.
    """
    stencil, inner = fields.stencil, fields.stencil.inner
    slope = gradient(stencil, stencil.every_boundary, fields.velocity, fields.boundary_velocity)
    found = []
    for patch in stencil.patches:
        faces, boundary = patch.faces, stencil.boundary_faces(patch)
        area, cell = stencil.area[faces], stencil.face_cell[boundary]
        pressure = (fields.boundary_pressure[boundary, None] * area).sum(axis=0)
        step = fields.boundary_velocity[boundary] - fields.velocity[cell]
        shear = stencil.stiffness[faces][:, None] * step + np.einsum("fki,fi->fk", slope[cell], stencil.cross[faces])
        carried = (fields.flux[inner:][boundary][:, None] * fields.boundary_velocity[boundary]).sum(axis=0)
        friction = -(fields.viscosity_on_boundary[boundary][:, None] * shear).sum(axis=0)
        found.append(PatchForce(patch.name, pressure, friction, carried))
    return found
