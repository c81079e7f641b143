"""The k-ω model of shear stress transport: Menter, Kuntz & Langtry (2003, Turbulence, Heat and Mass Transfer 4)."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from brook.core.compiling.kernel import loop
from brook.core.numerics.chunks import over
from brook.core.numerics.passes import EXACT
from brook.core.numerics.passes.pair import HELD

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.medium import Medium
    from brook.core.solve.turbulence.pair import ScalarPair
    from brook.core.solve.turbulence.walls import Walls

A1, BETA_STAR, LIMIT = 0.31, 0.09, 10.0
ALPHA_1, BETA_1, SIGMA_K1, SIGMA_W1 = 5 / 9, 0.075, 0.85, 0.5
ALPHA_2, BETA_2, SIGMA_K2, SIGMA_W2 = 0.44, 0.0828, 1.0, 0.856
LEAST_CROSS = 1e-10
STEEPEST = 10.0  # |∇ω|/ω times the cube root of the volume, in cross-diffusion


@loop(fastmath=EXACT)
def sst_cells(first, last, chunk, k, omega, k_gradient, omega_gradient, gradient, density, viscosity, distance, volume, wall, wall_shear,
              wall_production, turned, eddy, k_diffusivity, omega_diffusivity, source, sink):  # fmt: skip
    """μ_t = ρ a₁ k / max(a₁ ω, S F₂); sources of k: min(μ_t S², 10 β* ρ k ω) − β* ρ ω k; of ω: α ρ min(S², 10 β* k ω/ν_t) − β ρ ω² +
    2 (1 − F₁) ρ σ_ω2 ∇k·∇ω/ω.

    S is that of the velocity gradient (C, 3, 3); in cells at a `wall` (C,) it is `wall_shear` (C,), P_k `wall_production` (C,) in W/m³ and
    F₁ = 1. Elsewhere what shear makes of both is `turned` (C,) times that, which may be empty. `eddy` (C,) goes half the way to μ_t. Diffusivities μ + σ μ_t (C,); source and sink (2, C) of whole cells: −β ρ ω² is taken as its tangent, cross-diffusion as
    that of something in proportion to 1/ω, or as a sink where it is negative. |∇ω|/ω in it is 10 over
    the cube root of the volume at most: a cell whose ω once is next to nothing would be held there by what ω beside it does."""
    for s in range(first, last):
        c = np.uint32(s)
        rho, mu, y = density[c], viscosity[c], distance[c]
        here, w, nu = k[c], omega[c], viscosity[c] / density[c]
        if wall[c]:
            shear = wall_shear[c]
        else:
            total = 0.0
            for i in range(3):
                total += 2.0 * gradient[c, i, i] * gradient[c, i, i]
            for i in range(3):
                j = (i + 1) % 3
                both = gradient[c, i, j] + gradient[c, j, i]
                total += both * both
            shear = math.sqrt(total)
        cross, steep = 0.0, 0.0
        for i in range(3):
            cross += k_gradient[c, i] * omega_gradient[c, i]
            steep += omega_gradient[c, i] * omega_gradient[c, i]
        v = volume[c]
        seen, sixth = w, (STEEPEST * w) ** 2
        if steep * steep * steep * v * v > sixth * sixth * sixth:  # seldom: what follows takes long
            seen = math.sqrt(steep) * v ** (1.0 / 3.0) / STEEPEST
        cross *= 2.0 * rho * SIGMA_W2 / seen
        root, thin = math.sqrt(here) / (BETA_STAR * w * y), 500.0 * nu / (y * y * w)
        far = max(2.0 * root, thin)
        f2 = math.tanh(far * far)
        f1 = 1.0
        if not wall[c]:
            near = min(max(root, thin), 4.0 * rho * SIGMA_W2 * here / (max(cross, LEAST_CROSS) * y * y))
            near *= near
            f1 = math.tanh(near * near)
        nu_t = A1 * here / max(A1 * w, shear * f2)
        alpha = f1 * ALPHA_1 + (1.0 - f1) * ALPHA_2
        beta = f1 * BETA_1 + (1.0 - f1) * BETA_2
        mu_t, most = rho * nu_t, LIMIT * BETA_STAR * here * w
        held = 0.5 * (eddy[c] + mu_t)  # ω that comes from walls through μ_t ~ 1/ω would turn to and fro without it
        eddy[c] = held
        k_diffusivity[c] = mu + (f1 * SIGMA_K1 + (1.0 - f1) * SIGMA_K2) * held
        omega_diffusivity[c] = mu + (f1 * SIGMA_W1 + (1.0 - f1) * SIGMA_W2) * held
        squared = shear * shear
        if len(turned) > 0 and not wall[c]:
            squared *= turned[c]
        source[0, c] = v * (wall_production[c] if wall[c] else min(mu_t * squared, rho * most))
        sink[0, c] = v * BETA_STAR * rho * w
        made = alpha * rho * min(squared, most / max(nu_t, 1e-300)) + beta * rho * w * w
        cross *= 1.0 - f1
        source[1, c] = v * (made + 2.0 * max(cross, 0.0))
        sink[1, c] = v * (2.0 * beta * rho * w + abs(cross) / seen)


class Sst:
    """k and ω."""

    second, steep = "omega", True
    stirred, stilled = ALPHA_2, 1.0

    def of_omega(self, k: np.ndarray, omega: np.ndarray) -> np.ndarray:
        """ω itself."""
        return omega

    def omega_of(self, k: np.ndarray, second: np.ndarray) -> np.ndarray:
        """ω itself."""
        return second

    def dissipation(self, k: np.ndarray, second: np.ndarray) -> np.ndarray:
        """ε = β* k ω."""
        found: np.ndarray = BETA_STAR * k * second
        return found

    def begin(self, pair: ScalarPair, walls: Walls, viscosity: np.ndarray, k: float, omega: float) -> None:
        """The same k everywhere, ω with 6 ν/(β₁ y²) of walls."""
        pair.hold[:] = np.where(walls.near, 2 * HELD, 0.0)
        pair.one[:] = k
        pair.two[:] = omega + 6 * viscosity / (BETA_1 * walls.distance**2)

    def look(self, pair: ScalarPair, walls: Walls, medium: Medium, flow: FlowSolver, eddy: np.ndarray) -> None:
        """Holds ω of cells at walls, and looks at all others."""
        pair.two[walls.near] = walls.omega[walls.near]
        pair.renew_gradients(flow.flux)
        over(
            pair.stencil.cell_chunks, sst_cells, pair.one, pair.two, pair.one_gradient, pair.two_gradient, flow.momentum.gradient,
            medium.density, medium.viscosity, walls.distance, pair.stencil.mesh.volume, walls.near, walls.shear, walls.production, pair.turned, eddy,
            pair.one_diffusivity, pair.two_diffusivity, pair.source, pair.sink,
        )  # fmt: skip
