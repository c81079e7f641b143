"""The pressure at openings: what is given, and less where a turbulent flow comes back in through one that lets it out."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import Stencil, gauss_gradient
from brook.core.solve.setup import BoundaryConditions

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

STEP = 0.3  # of the way that the pressure goes in an iteration
GONE = 1e-9  # of what was drawn at most: less is nothing


class Openings:
    """What is drawn in through openings of a flow.

    What comes back in through faces of a patch that as a whole lets the flow out was at rest outside, at the pressure that is given:
    on these faces it is p − m²/(2 ρ |S|²). With the given one there itself whatever comes in would bring as much energy along as it
    likes, and an eddy that reaches an outlet runs away with the flow."""

    def __init__(self, stencil: Stencil, open_faces: np.ndarray):
        self._open, self._stencil = open_faces, stencil
        self._drawn, self._most = np.zeros(len(open_faces)), 0.0
        self._step = 1.0  # what a state that is taken over draws in is drawn at once

    def pressure(self, conditions: BoundaryConditions) -> np.ndarray:
        """In Pa on boundaries (B,), where it is given: what is given now, less what is drawn."""
        if not self._drawn.any():
            return conditions.pressure
        found = conditions.pressure.copy()
        found[self._open] -= self._drawn
        return found

    def follow(self, flow: FlowSolver) -> None:
        """Looks at what comes back in now, where eddies are modelled; the pressure gradient follows it."""
        s = self._stencil
        if flow.medium.eddy is None or not len(self._open) or s.is_agglomerated:
            return
        through, drawn = flow.flux[s.inner :], np.zeros(s.boundary_count)
        for patch in s.patches:
            here = s.boundary_faces(patch)
            if through[here].sum() > 0:
                drawn[here] = np.minimum(through[here], 0.0) ** 2
        size = np.linalg.norm(s.area[s.inner + self._open], axis=1)
        wanted = drawn[self._open] / (2 * flow.medium.on_boundary[self._open] * size**2)
        if wanted.any() or self._drawn.any():
            self._drawn += self._step * (wanted - self._drawn)
            self._most = max(self._most, float(self._drawn.max()))
            self._drawn[self._drawn <= GONE * self._most] = 0.0
            gauss_gradient(s, flow.pressure_fit, flow.pressure, self.pressure(flow.conditions), flow.pressure_gradient)
        self._step = STEP
