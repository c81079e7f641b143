"""Boundary conditions of every face, from the statements of the set-up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import WEDGE_SIDES
from brook.core.numerics import Stencil
from brook.core.physics.boundaries import CONDITIONS
from brook.core.physics.conditions import FIXED, OPEN, SLIP, PatchFaces
from brook.core.physics.developed import developed_profile
from brook.core.study import Resolved


@dataclass(frozen=True, eq=False)
class BoundaryConditions:
    """On the active boundary faces (B,): which closure holds, velocity (B, 3) in m/s, pressure (B,) in Pa."""

    kind: np.ndarray
    velocity: np.ndarray
    pressure: np.ndarray

    @property
    def is_closed(self) -> bool:
        """Nothing fixes the level of the pressure."""
        return not bool(np.any(self.kind == OPEN))


def boundary_conditions(
    stencil: Stencil, statements: list[Resolved], developed: dict[str, np.ndarray] | None = None
) -> BoundaryConditions:
    """Conditions on every patch; those nothing is said of are still walls. `developed` keeps profiles from call to call.

    Raises `ValueError` for an unknown kind of boundary.
    """
    mesh = stencil.mesh
    by_patch = {s.patch: s for s in statements} | {WEDGE_SIDES: Resolved(kind="symmetry")}
    wall = Resolved(kind="wall")
    kinds = {p.name: by_patch.get(p.name, wall).kind for p in stencil.patches}
    sticking = {name for name, kind in kinds.items() if kind in ("wall", "sliding", "turning")}
    kind = np.full(stencil.boundary_count, FIXED, np.int8)
    velocity = np.zeros((stencil.boundary_count, 3))
    pressure = np.zeros(stencil.boundary_count)
    for patch in stencil.patches:
        statement = by_patch.get(patch.name, wall)
        if statement.kind not in CONDITIONS:
            raise ValueError(f"unknown boundary kind '{statement.kind}'")
        wants_profile = getattr(statement, "profile", "even") == "developed"
        shape = (developed or {}).get(patch.name)
        if shape is None:
            shape = developed_profile(mesh, patch, sticking) if wants_profile else np.ones(patch.count)
        if developed is not None:
            developed[patch.name] = shape
        faces = PatchFaces(patch.name, mesh.face_vector[patch.faces], mesh.face_centres(patch.faces), shape)
        condition = CONDITIONS[statement.kind](statement, faces)
        here = stencil.boundary_faces(patch)
        kind[here] = condition.kind
        pressure[here] = condition.pressure
        if condition.velocity is not None:
            velocity[here] = condition.velocity
    return BoundaryConditions(kind, velocity, pressure)


__all__ = ["FIXED", "OPEN", "SLIP", "BoundaryConditions", "boundary_conditions"]
