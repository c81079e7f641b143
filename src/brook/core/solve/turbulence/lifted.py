"""What buoyancy makes of eddies, and takes from them: G = −α_t g·∇ρ, in W/m³.

Rodi (1987, J. Geophys. Res. 92); of the equation of ε it makes C₁ G ε/k where it stirs, and nothing where it stills (Viollet 1987, Nucl. Eng. Des. 99).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import gradient
from brook.core.solve.turbulence.walls import eddy_conductivity

if TYPE_CHECKING:
    from brook.core.numerics.stencil import Fit
    from brook.core.solve.energy import EnergyEquation
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.medium import Medium
    from brook.core.solve.turbulence.closure import Closure
    from brook.core.solve.turbulence.pair import ScalarPair
    from brook.core.solve.turbulence.walls import Walls

MOST = 10.0  # of the dissipation: what buoyancy makes at most, as what shear does
LEAST = 1e-300


def added(pair: ScalarPair, closure: Closure, volume: np.ndarray, density: np.ndarray, made: np.ndarray) -> None:
    """Adds what buoyancy has `made` (C,) in W/m³ to sources and sinks of k and the second scalar.

    With ε = β* k ω, the equation of ε gives that of ω: ω/k ((1 + α) max(G, 0) − G)."""
    k, second = pair.one, pair.two
    dissipated = density * closure.dissipation(k, second)
    stirs = np.clip(made, 0.0, MOST * dissipated) * volume
    stills = np.maximum(-made, 0.0) * volume
    pair.source[0] += stirs
    pair.sink[0] += stills / np.maximum(k, LEAST)
    rate = second / np.maximum(k, LEAST)
    pair.source[1] += rate * (closure.stirred * stirs + closure.stilled * stills)


class Lifted:
    """Eddies under the weight that the temperature of an `energy` equation gives the fluid."""

    def __init__(self, energy: EnergyEquation):
        self.energy = energy
        self._fit: Fit | None = None  # of cells alone: near walls the temperature is steeper than eddies feel

    def made(self, flow: FlowSolver, medium: Medium, eddy: np.ndarray, walls: Walls) -> np.ndarray:
        """G (C,); in cells at walls, where their law rules, none."""
        s, heat, cells = flow.stencil, self.energy.heat, self.energy.part.cells
        heavier = self.energy.heavier()
        if heavier is None:
            return np.zeros(s.cells)
        if self._fit is None:
            self._fit = s.fit(np.zeros(s.boundary_count, bool))
        capacity, molecular = heat.capacity[cells], heat.conductivity[cells]
        carried = eddy_conductivity(eddy, capacity, molecular, walls.prandtl) / (medium.density * capacity)
        slope = gradient(s, self._fit, heavier, np.zeros(s.boundary_count))
        made: np.ndarray = -carried * (slope @ self.energy.gravity)
        made[walls.near] = 0.0
        return made
