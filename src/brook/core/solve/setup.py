"""Boundary conditions of every face, from the statements of the set-up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from brook.core.mesh import WEDGE_SIDES, Patch
from brook.core.numerics import Stencil
from brook.core.physics.boundaries import CONDITIONS
from brook.core.physics.boundaries.periodic import driven
from brook.core.physics.conditions import FIXED, OPEN, SLIP, Driven, Metered, PatchFaces, Through
from brook.core.physics.developed import developed_profile, wetted_rim
from brook.core.study import Resolved
from brook.core.study.boundaries import STICKING
from brook.core.study.placed import Placed


@dataclass(frozen=True, eq=False)
class BoundaryConditions:
    """On the active boundary faces (B,): which closure holds, velocity (B, 3) in m/s, pressure (B,) in Pa; what drives a
    flow through periodic pairs, how the pressure at openings depends on the flow, what is metered, and what is to be told, by their patches."""

    kind: np.ndarray
    velocity: np.ndarray
    pressure: np.ndarray
    driven: dict[str, Driven] = field(default_factory=dict)
    through: dict[str, Through] = field(default_factory=dict)
    metered: dict[str, Metered] = field(default_factory=dict)
    told: dict[str, str] = field(default_factory=dict)

    @property
    def is_closed(self) -> bool:
        """Nothing fixes the level of the pressure."""
        return not bool(np.any(self.kind == OPEN))


class Boundaries:
    """What holds on every patch; those nothing is said of are still walls. Patches whose values change are set anew, the others
    stay as they are. Raises `ValueError` for an unknown kind of boundary."""

    def __init__(self, stencil: Stencil, statements: list[Resolved], stirred: Mapping[str, float] | None = None):
        """`stirred` has the kinematic viscosity in m²/s of each body in which the flow is turbulent: it develops otherwise there."""
        self.stencil, self._stirred = stencil, stirred or {}
        wall = Resolved(kind="wall")
        self._said = {s.patch: s for s in statements} | {WEDGE_SIDES: Resolved(kind="symmetry")}
        kinds = {p.name: self._said.get(p.name, wall).kind for p in stencil.patches}
        self._sticking = {name for name, kind in kinds.items() if kind in STICKING}
        self._faces: dict[str, PatchFaces] = {}
        count = stencil.boundary_count
        self.conditions = BoundaryConditions(np.full(count, FIXED, np.int8), np.zeros((count, 3)), np.zeros(count))
        for patch in stencil.patches:
            self._set(self.conditions, patch, self._said.get(patch.name, wall))
        self._drive(self.conditions, statements)

    def with_values(self, statements: list[Resolved]) -> BoundaryConditions:
        """The conditions with other values on the patches of some statements."""
        made = replace(
            self.conditions,
            velocity=self.conditions.velocity.copy(),
            pressure=self.conditions.pressure.copy(),
            driven=dict(self.conditions.driven),
            through=dict(self.conditions.through),
            metered=dict(self.conditions.metered),
            told=dict(self.conditions.told),
        )
        patches = {patch.name: patch for patch in self.stencil.patches}
        for statement in statements:
            if statement.patch in patches:
                self._set(made, patches[statement.patch], statement)
        self._drive(made, statements)
        return made

    def _drive(self, made: BoundaryConditions, statements: list[Resolved]) -> None:
        """Takes in what is said of periodic pairs. Raises `ValueError` for what has no place there."""
        joints = {j.patch: j for j in self.stencil.halo.joints}
        partners = {j.other: j.patch for j in self.stencil.halo.joints}
        for statement in statements:
            name = statement.patch
            if statement.kind == "periodic" and name in joints:
                made.driven[name] = driven(statement)
            elif statement.kind == "periodic":
                hint = f"say it of {partners[name]}, its partner" if name in partners else "the mesh has no such pair"
                raise ValueError(f"{name} is no patch of a periodic pair that could drive: {hint}")
            elif name in joints or name in partners:
                raise ValueError(
                    f"{name} is one of a periodic pair, through which what leaves comes in again; say nothing else of it"
                )

    def _set(self, made: BoundaryConditions, patch: Patch, statement: Resolved) -> None:
        if statement.kind not in CONDITIONS:
            raise ValueError(f"unknown boundary kind '{statement.kind}'")
        condition = CONDITIONS[statement.kind](statement, self._faces_of(patch, statement))
        here = self.stencil.boundary_faces(patch)
        made.kind[here] = condition.kind
        if condition.through is not None:
            made.through[patch.name] = condition.through
        if condition.metered is not None:
            made.metered[patch.name] = condition.metered
        beyond = max(
            (v.beyond(self._faces[patch.name].centre) for v in vars(statement).values() if isinstance(v, Placed)),
            default=0.0,
        )
        if beyond > 0:
            made.told[patch.name] = (
                f"{beyond:.0%} of {patch.name} lies beyond the ends of the table that its values come from, and is taken as level there"
            )
        made.pressure[here] = condition.pressure
        made.velocity[here] = 0.0 if condition.velocity is None else condition.velocity

    def _faces_of(self, patch: Patch, statement: Resolved) -> PatchFaces:
        if patch.name not in self._faces:
            mesh, wants_profile = self.stencil.mesh, getattr(statement, "profile", "even") == "developed"
            shape, stirred = np.ones(patch.count), 0.0
            if wants_profile:
                shape = developed_profile(mesh, patch, self._sticking)
                width = 4 * float(mesh.face_areas(patch.faces).sum()) / wetted_rim(mesh, patch, self._sticking)
                body = mesh.bodies[mesh.body[self.stencil.face_cell[self.stencil.boundary_faces(patch)][0]]]
                stirred = self._stirred.get(body, 0.0) / width
            self._faces[patch.name] = PatchFaces(
                patch.name, mesh.face_vector[patch.faces], mesh.face_centres(patch.faces), shape, stirred
            )
        return self._faces[patch.name]


def boundary_conditions(
    stencil: Stencil, statements: list[Resolved], stirred: Mapping[str, float] | None = None
) -> BoundaryConditions:
    """Conditions on every patch; `stirred` as `Boundaries` has it. Raises `ValueError` for an unknown kind of boundary."""
    return Boundaries(stencil, statements, stirred).conditions


__all__ = ["FIXED", "OPEN", "SLIP", "Boundaries", "BoundaryConditions", "boundary_conditions"]
