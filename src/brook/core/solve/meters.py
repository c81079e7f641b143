"""Patches through which a given mass flows: in, out, or out as a share of what enters."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import Stencil
from brook.core.physics.conditions import FIXED, OPEN, Metered
from brook.core.solve.setup import BoundaryConditions

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

LEAST = 1e-3  # of the mean speed through an outlet: what leaves everywhere at least
ALL = 1e-6  # by which shares may add up to something else than all


class Meters:
    """The velocities on patches with a meter follow the density there and, where fluid leaves, what arrives: u = u_P + a n, so that no friction hinders it, and
    Σ ρ u·S is what the meter says."""

    def __init__(self, stencil: Stencil, conditions: BoundaryConditions):
        self._stencil = stencil
        self._patches = [p for p in stencil.patches if p.name in conditions.metered and not stencil.is_agglomerated]

    def __bool__(self) -> bool:
        return bool(self._patches)

    def at_start(self, conditions: BoundaryConditions, rho: np.ndarray) -> BoundaryConditions:
        """Conditions with even velocities for densities (B,), as long as no flow says more. Raises `ValueError` for shares that do not add up."""
        if not self._patches:
            return conditions
        self._refuse(conditions)
        made, s = replace(conditions, velocity=conditions.velocity.copy()), self._stencil
        even = np.einsum("ij,ij->i", conditions.velocity, s.area[s.inner :]) * rho
        enters = self._enters(made, np.where(conditions.kind == FIXED, even, 0.0))
        for patch in self._patches:
            here = s.boundary_faces(patch)
            made.velocity[here] *= _wanted(conditions.metered[patch.name], enters) / abs(float(even[here].sum()))
        return made

    def _enters(self, conditions: BoundaryConditions, through: np.ndarray) -> float:
        """What enters in kg/s: as it is given, or as mass fluxes (B,) have it."""
        s, found, metered = self._stencil, 0.0, {p.name for p in self._patches}
        for patch in s.patches:
            if patch.name not in metered:
                found += max(-float(through[s.boundary_faces(patch)].sum()), 0.0)
            elif conditions.metered[patch.name].way == "in":
                found += conditions.metered[patch.name].value
        return found

    def _refuse(self, conditions: BoundaryConditions) -> None:
        said = conditions.metered.values()
        total = sum(m.value for m in said if m.way == "share")
        s = self._stencil
        opened = [p.name for p in s.patches if p.count and conditions.kind[s.boundary_faces(p)][0] == OPEN]
        lets_out = [n for n in opened if n not in conditions.through or not conditions.through[n].lets_in]
        if total > 1 + ALL or (0 < total < 1 - ALL and not lets_out and all(m.way != "out" for m in said)):
            rest = "" if total > 1 else ", and no other patch lets the rest out"
            raise ValueError(
                f"the shares of what enters add up to {100 * total:.6g} %{rest}; make them add up to all of it"
            )
        if total > 0 and opened and not lets_out:
            raise ValueError(
                f"how much enters through {opened[0]} depends on what may leave, and all that leaves is said as a share of it: let one outlet leave "
                "against a pressure"
            )

    def follow(self, flow: FlowSolver) -> None:
        """Velocities and fluxes for what arrives now."""
        s = self._stencil
        velocity, through, rho = flow.conditions.velocity, flow.flux[s.inner :], flow.medium.on_boundary
        enters = self._enters(flow.conditions, through)
        for patch in self._patches:
            here, said = s.boundary_faces(patch), flow.conditions.metered[patch.name]
            area, wanted = s.area[s.inner :][here], _wanted(said, enters)
            if said.way == "in":
                size = float((np.einsum("ij,ij->i", velocity[here], area) * rho[here]).sum())
                velocity[here] *= -wanted / size if size else 0.0
            else:
                arrives = flow.velocity[s.face_cell[here]]
                size = np.linalg.norm(area, axis=1)
                speed = np.einsum("ij,ij->i", arrives, area) / size
                mean = wanted / float(rho[here] @ size)
                out = np.maximum(speed, LEAST * mean)
                out *= wanted / float((rho[here] * out) @ size)
                velocity[here] = arrives + ((out - speed) / size)[:, None] * area
            through[here] = np.einsum("ij,ij->i", velocity[here], area) * rho[here]


def _wanted(said: Metered, enters: float) -> float:
    """In kg/s, the way the meter looks."""
    return said.value * enters if said.way == "share" else said.value
