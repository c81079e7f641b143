"""Boundary conditions of every face, from the statements of the set-up."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brook.core.mesh import WEDGE_SIDES, Patch
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


class Boundaries:
    """What holds on every patch; those nothing is said of are still walls. Patches whose values change are set anew, the others
    stay as they are. Raises `ValueError` for an unknown kind of boundary."""

    def __init__(self, stencil: Stencil, statements: list[Resolved]):
        self.stencil = stencil
        wall = Resolved(kind="wall")
        self._said = {s.patch: s for s in statements} | {WEDGE_SIDES: Resolved(kind="symmetry")}
        kinds = {p.name: self._said.get(p.name, wall).kind for p in stencil.patches}
        self._sticking = {name for name, kind in kinds.items() if kind in ("wall", "sliding", "turning")}
        self._faces: dict[str, PatchFaces] = {}
        count = stencil.boundary_count
        self.conditions = BoundaryConditions(np.full(count, FIXED, np.int8), np.zeros((count, 3)), np.zeros(count))
        for patch in stencil.patches:
            self._set(self.conditions, patch, self._said.get(patch.name, wall))

    def with_values(self, statements: list[Resolved]) -> BoundaryConditions:
        """The conditions with other values on the patches of some statements."""
        made = replace(
            self.conditions, velocity=self.conditions.velocity.copy(), pressure=self.conditions.pressure.copy()
        )
        patches = {patch.name: patch for patch in self.stencil.patches}
        for statement in statements:
            if statement.patch in patches:
                self._set(made, patches[statement.patch], statement)
        return made

    def _set(self, made: BoundaryConditions, patch: Patch, statement: Resolved) -> None:
        if statement.kind not in CONDITIONS:
            raise ValueError(f"unknown boundary kind '{statement.kind}'")
        condition = CONDITIONS[statement.kind](statement, self._faces_of(patch, statement))
        here = self.stencil.boundary_faces(patch)
        made.kind[here] = condition.kind
        made.pressure[here] = condition.pressure
        made.velocity[here] = 0.0 if condition.velocity is None else condition.velocity

    def _faces_of(self, patch: Patch, statement: Resolved) -> PatchFaces:
        if patch.name not in self._faces:
            mesh, wants_profile = self.stencil.mesh, getattr(statement, "profile", "even") == "developed"
            shape = developed_profile(mesh, patch, self._sticking) if wants_profile else np.ones(patch.count)
            self._faces[patch.name] = PatchFaces(
                patch.name, mesh.face_vector[patch.faces], mesh.face_centres(patch.faces), shape
            )
        return self._faces[patch.name]


def boundary_conditions(stencil: Stencil, statements: list[Resolved]) -> BoundaryConditions:
    """Conditions on every patch. Raises `ValueError` for an unknown kind of boundary."""
    return Boundaries(stencil, statements).conditions


__all__ = ["FIXED", "OPEN", "SLIP", "Boundaries", "BoundaryConditions", "boundary_conditions"]
