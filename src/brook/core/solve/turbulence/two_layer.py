"""Two layers at walls: under a Reynolds number Re_y = y √k/ν of 200 the length of eddies is that of the wall, and with it ε.

Chen & Patel (1988, AIAA J. 26) with lengths of Wolfshtein (1969, Int. J. Heat Mass Transfer 12); blended after Jongen (1992, PhD, EPFL).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from brook.core.compiling.kernel import Loop, kernel
from brook.core.numerics.chunks import over
from brook.core.numerics.passes import EXACT
from brook.core.numerics.passes.pair import HELD
from brook.core.solve.turbulence.wall_law import KAPPA
from brook.core.solve.turbulence.walls import BETA_STAR

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.medium import Medium
    from brook.core.solve.turbulence.pair import ScalarPair
    from brook.core.solve.turbulence.walls import Walls

CHANGES, WIDTH = 200.0, 8.7  # Re_y at which one layer ends, and over how much of it they are blended
SLOPE = KAPPA * BETA_STAR**-0.75  # of the length over y far into the logarithm
VISCOUS, DISSIPATING = 70.0, 2 * SLOPE
LEAST_SHARE = 1e-7  # of the layer far off, under which there is none of it
FARTHEST = 1e30  # m


@kernel(fastmath=EXACT)
def layers(k, nu, y):
    """λ = ½ (1 + tanh((Re_y − 200)/8.7)), the share of the layer far off; ν_t = C_μ √k l_μ and ε = k^1.5/l_ε of the one at the wall, with l =
    κ C_μ^(−¾) y (1 − e^(−Re_y/A)), A_μ = 70, A_ε = 2 κ C_μ^(−¾)."""
    y = min(y, FARTHEST)
    root = math.sqrt(k)
    reynolds = y * root / nu
    share = 0.5 * (1.0 + math.tanh((reynolds - CHANGES) / WIDTH))
    stirs = BETA_STAR * root * SLOPE * y * -math.expm1(-reynolds / VISCOUS)
    length = SLOPE * y * -math.expm1(-reynolds / DISSIPATING)
    return share, stirs, k * root / max(length, 1e-300)


@kernel(fastmath=EXACT)
def drawn(share):
    """(1 − λ)/λ: how strongly ε is drawn to that of the wall's layer, over the diagonal of its equation."""
    return 2.0 * HELD if share < LEAST_SHARE else (1.0 - share) / share


class TwoLayer:
    """k and ε, with the pass over cells of a model."""

    second, steep = "epsilon", False
    stilled = 0.0

    def __init__(self, cells: Loop, stirred: float):
        """`stirred` is C₁ of what buoyancy makes."""
        self._cells, self.stirred = cells, stirred

    def of_omega(self, k: np.ndarray, omega: np.ndarray) -> np.ndarray:
        """ε = β* k ω."""
        found: np.ndarray = BETA_STAR * k * omega
        return found

    def omega_of(self, k: np.ndarray, second: np.ndarray) -> np.ndarray:
        """ω = ε/(β* k)."""
        found: np.ndarray = second / (BETA_STAR * k)
        return found

    def dissipation(self, k: np.ndarray, second: np.ndarray) -> np.ndarray:
        """ε itself."""
        return second

    def begin(self, pair: ScalarPair, walls: Walls, viscosity: np.ndarray, k: float, omega: float) -> None:
        """The same k and ε everywhere; that of walls comes with the first look."""
        pair.one[:], pair.two[:] = k, BETA_STAR * k * omega

    def look(self, pair: ScalarPair, walls: Walls, medium: Medium, flow: FlowSolver, eddy: np.ndarray) -> None:
        """Holds ε where walls rule, and looks at all cells."""
        over(
            pair.stencil.cell_chunks, self._cells, pair.one, pair.two, flow.momentum.gradient, medium.density, medium.viscosity,
            walls.distance, pair.stencil.mesh.volume, walls.near, walls.shear, walls.production, eddy, pair.one_diffusivity,
            pair.two_diffusivity, pair.source, pair.sink, pair.hold, pair.target,
        )  # fmt: skip
        pair.renew_gradients(flow.flux)
