"""The force of the fluid on each patch, in its pressure and friction parts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import Patch
from brook.core.numerics import gradient
from brook.core.solve import Fields
from brook.core.solve.boundary_values import ALONG


@dataclass(frozen=True, eq=False)
class PatchForce:
    """pressure (3,) and friction (3,) in N on the slice as deep as the mesh; `momentum` (3,) is what leaves with the flow."""

    patch: str
    pressure: np.ndarray
    friction: np.ndarray
    momentum: np.ndarray

    @property
    def total(self) -> np.ndarray:
        """In N (3,)."""
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
    shear = stencil.geometric_diffusion[faces][:, None] * step + np.einsum(
        "fki,fi->fk", slope[cell], stencil.boundary_non_orthogonal[boundary]
    )
    if "friction_velocity" in fields.more and fields.more["friction_velocity"][1][boundary].any():
        # the law of the wall: all of its friction lies along it, and none is that of what turns with it
        pressure = fields.boundary_pressure[boundary, None] * stencil.area[faces]
        return pressure, -fields.viscosity_on_boundary[boundary][:, None] * shear
    lean = step - np.einsum("fki,fi->fk", slope[cell], stencil.boundary_line[boundary])
    shear = shear + (_bend(fields, patch, step) * stencil.geometric_diffusion[faces])[:, None] * lean
    # of what a turning wall drags along, the part that turns with it is not sheared
    shear = shear - np.cross(_turning(fields, patch), stencil.area[faces])
    pressure = fields.boundary_pressure[boundary, None] * stencil.area[faces]
    return pressure, -fields.viscosity_on_boundary[boundary][:, None] * shear


def _bend(fields: Fields, patch: Patch, step: np.ndarray) -> np.ndarray | float:
    """By how much the gradient is drawn out to a patch: as the momentum equation does at walls that the fluid sticks to."""
    boundary = fields.stencil.boundary_faces(patch)
    area = fields.stencil.area[patch.faces]
    normal = area / np.linalg.norm(area, axis=1)[:, None]
    along = step - np.einsum("fk,fk->f", step, normal)[:, None] * normal
    slips = np.abs(along).max(initial=0.0) <= 1e-9 * np.abs(fields.velocity[fields.stencil.face_cell[boundary]]).max(
        initial=0.0
    )
    velocity = fields.boundary_velocity[boundary]
    through = np.einsum("fk,fk->f", velocity, normal) ** 2 > ALONG * np.einsum("fk,fk->f", velocity, velocity)
    return 0.0 if slips or through.any() else fields.stencil.wall_slope_factor[boundary]


def _turning(fields: Fields, patch: Patch) -> np.ndarray:
    """The rate (3,) in 1/s at which a wall turns about an axis, nothing for all other patches."""
    boundary = fields.stencil.boundary_faces(patch)
    velocity, place = fields.boundary_velocity[boundary], fields.mesh.face_centres(patch.faces)
    fastest, size = float(np.abs(velocity).max(initial=0.0)), fields.stencil.area[patch.faces]
    through = np.abs(fields.volume_flux[boundary]).max(initial=0.0)
    nothing = np.zeros(3)
    if fastest == 0 or through > 1e-9 * fastest * np.abs(size).max() or np.ptp(velocity, axis=0).max() < 1e-9 * fastest:
        return nothing
    x, y, z = (place - place.mean(axis=0)).T
    none, one = np.zeros(len(x)), np.ones(len(x))
    # velocity = rate × place + a constant, for each component
    turns = np.concatenate([
        np.stack([none, z, -y, one, none, none], axis=1), np.stack([-z, none, x, none, one, none], axis=1),
        np.stack([y, -x, none, none, none, one], axis=1),
    ])  # fmt: skip
    wanted = velocity.T.reshape(-1)
    found = np.linalg.lstsq(turns, wanted, rcond=1e-9)[0]
    return found[:3] if np.abs(turns @ found - wanted).max() < 0.05 * fastest else nothing


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
