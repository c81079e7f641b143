"""The force of the fluid on each patch, in its pressure and friction parts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import Patch
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


def face_forces(fields: Fields, patch: Patch, slope: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Pressure (n, 3) and friction (n, 3) in N of the fluid on the faces of a patch: p n dA, and the shear μ∂u/∂n just as
    the momentum equation has it. `slope` is the velocity gradient where that is known."""
    stencil = fields.stencil
    if slope is None:
        slope = gradient(stencil, stencil.every_boundary, fields.velocity, fields.boundary_velocity)
    faces, boundary = patch.faces, stencil.boundary_faces(patch)
    cell = stencil.face_cell[boundary]
    step = fields.boundary_velocity[boundary] - fields.velocity[cell]
    shear = stencil.stiffness[faces][:, None] * step + np.einsum("fki,fi->fk", slope[cell], stencil.cross[faces])
    pressure = fields.boundary_pressure[boundary, None] * stencil.area[faces]
    return pressure, -fields.viscosity_on_boundary[boundary][:, None] * shear


def patch_forces(fields: Fields) -> list[PatchForce]:
    """Forces on every patch.

    In a steady flow the sum over all patches of pressure, friction and momentum flux is nothing.
    """
    stencil, inner = fields.stencil, fields.stencil.inner
    slope = gradient(stencil, stencil.every_boundary, fields.velocity, fields.boundary_velocity)
    found = []
    for patch in stencil.patches:
        boundary = stencil.boundary_faces(patch)
        pressure, friction = face_forces(fields, patch, slope)
        carried = (fields.flux[inner:][boundary][:, None] * fields.boundary_velocity[boundary]).sum(axis=0)
        found.append(PatchForce(patch.name, pressure.sum(axis=0), friction.sum(axis=0), carried))
    return found
