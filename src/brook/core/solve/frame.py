"""A flow looked at from a frame that turns: −2 ρ Ω × u and ρ Ω² r besides (Greenspan 1968, The Theory of Rotating Fluids).

The second is the slope of ρ Ω² r²/2, r being the way from the axis: what is solved for is the pressure less that, and only where the density differs from
that of the fluid does more of it push.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from brook.core.numerics import Stencil
from brook.core.solve.fields import Fields
from brook.core.solve.setup import BoundaryConditions

if TYPE_CHECKING:
    from brook.core.solve.coarse import Agglomerates
    from brook.core.solve.flow import FlowSolver

HELD = 1.2  # times as much as keeps iterations from growing
LEAST = 1e-300


class TurningFrame:
    """`turning` (3,) in rad/s about an axis through a place (3,) in m; `density` (C,) in kg/m³ is that whose weight the pressure bears."""

    def __init__(self, stencil: Stencil, turning: np.ndarray, place: np.ndarray, density: np.ndarray):
        self.stencil, self.turning, self.place, self.density = stencil, turning, place, density
        self.held = np.zeros(stencil.cells)

    def away(self, places: np.ndarray) -> np.ndarray:
        """From the axis (n, 3) in m."""
        rate = float(np.linalg.norm(self.turning))
        along = self.turning / max(rate, LEAST)
        found = places - self.place
        return np.asarray(found - (found @ along)[:, None] * along)

    def borne(self, places: np.ndarray, density: np.ndarray) -> np.ndarray:
        """ρ Ω² r²/2 (n,) in Pa."""
        away = self.away(places)
        return np.asarray(density * (self.turning @ self.turning) * np.einsum("ij,ij->i", away, away) / 2)

    def force(self, flow: FlowSolver) -> tuple[np.ndarray, np.ndarray]:
        """On each cell (C, 3): a force in N, and what is held back so that iterations do not grow, in N s/m.

        What turns a velocity about answers to it late: with the diagonal a and ω = 2 ρ V Ω an iteration grows by (s + i ω)/(a + s), less than 1 for s over (ω² − a²)/(2 a)."""
        s, mass = self.stencil, flow.medium.density * self.stencil.mesh.volume
        found = -2 * mass[:, None] * np.cross(self.turning, flow.velocity)
        more = flow.medium.density - self.density
        if more.any():
            push = (more * s.mesh.volume * (self.turning @ self.turning))[:, None]
            found += push * self.away(s.mesh.centre)
        turns = 2 * mass * float(np.linalg.norm(self.turning))
        if flow.momentum.pressure_coefficient.any():
            own = s.mesh.volume / np.maximum(flow.momentum.pressure_coefficient, LEAST) - self.held
            own = np.maximum(own, 0.1 * turns)
        else:
            own = turns
        self.held = HELD * np.maximum((turns**2 - own**2) / (2 * own), 0.0)
        sink = np.repeat(self.held[:, None], 3, axis=1)
        return found + sink * flow.velocity, sink

    def coarse(self, agglomerates: Agglomerates) -> Any:
        """The same on agglomerates of cells."""
        volume = agglomerates.summed(np.repeat((self.density * self.stencil.mesh.volume)[:, None], 3, axis=1))[:, 0]
        to = agglomerates.stencil
        return TurningFrame(to, self.turning, self.place, volume / to.mesh.volume)

    def borne_at_boundary(self) -> np.ndarray:
        """ρ Ω² r²/2 (B,) at the middles of boundary faces."""
        s = self.stencil
        return self.borne(s.mesh.face_centres(slice(s.inner, s.active)), self.density[s.face_cell])

    def reduced(self, conditions: BoundaryConditions) -> BoundaryConditions:
        """Conditions whose pressures are those that are solved for."""
        return replace(conditions, pressure=conditions.pressure - self.borne_at_boundary())

    def onto(self, fields: Fields) -> Fields:
        """The fields with the pressure as a whole."""
        s = fields.stencil
        at = s.mesh.face_centres(slice(s.inner, s.active))
        cells = self.borne(s.mesh.centre, self.density)
        return replace(
            fields, pressure=fields.pressure + cells, boundary_pressure=fields.boundary_pressure + self.borne(at, self.density[s.face_cell])
        )  # fmt: skip
