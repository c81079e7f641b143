"""What a model of two equations says of a flow: one `Closure` a model, each in a file of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

import numpy as np

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.medium import Medium
    from brook.core.solve.turbulence.pair import ScalarPair
    from brook.core.solve.turbulence.walls import Walls


class Closure(Protocol):
    """k and a second scalar, `second`, `steep` where it grows as y⁻² at walls; both are kept, compared and taken over as k and ω. Of what
    buoyancy makes or takes of k, over k, the second gets so many times as much: `stirred`, `stilled`."""

    second: str
    steep: bool
    stirred: float
    stilled: float

    def of_omega(self, k: np.ndarray, omega: np.ndarray) -> np.ndarray:
        """The second scalar for k in m²/s² and ω in 1/s."""

    def omega_of(self, k: np.ndarray, second: np.ndarray) -> np.ndarray:
        """ω in 1/s for k and the second scalar."""

    def dissipation(self, k: np.ndarray, second: np.ndarray) -> np.ndarray:
        """ε in m²/s³."""

    def begin(self, pair: ScalarPair, walls: Walls, viscosity: np.ndarray, k: float, omega: float) -> None:
        """Fills a pair with a k and ω, and what walls make of them in a fluid of a kinematic `viscosity` (C,)."""

    def look(self, pair: ScalarPair, walls: Walls, medium: Medium, flow: FlowSolver, eddy: np.ndarray) -> None:
        """The eddy viscosity (C,) in Pa s, diffusivities, sources and sinks for the flow as it is. `walls` have looked."""
