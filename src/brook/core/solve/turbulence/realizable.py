"""The realizable k-ε model: Shih, Liou, Shabbir, Yang & Zhu (1995, Computers & Fluids 24), with two layers at walls."""

from __future__ import annotations

import math

import numpy as np

from brook.core.compiling.kernel import loop
from brook.core.numerics.passes import EXACT
from brook.core.solve.turbulence.two_layer import LEAST_SHARE, TwoLayer, drawn, layers

A0, C1, C2, LEAST_C1, SIGMA_K, SIGMA_EPSILON, LIMIT = 4.04, 1.44, 1.9, 0.43, 1.0, 1.2, 10.0


@loop(fastmath=EXACT)
def realizable_cells(first, last, chunk, k, epsilon, gradient, density, viscosity, distance, volume, wall, wall_shear, wall_production,
                     eddy, k_diffusivity, epsilon_diffusivity, source, sink, hold, target):  # fmt: skip
    """μ_t = ρ C_μ k²/ε, C_μ = 1/(4.04 + A_s k U*/ε), A_s = √6 cos φ, φ = ⅓ arccos(√6 W), W = S_ij S_jk S_ki/(S_ij S_ij)^1.5, U* = √(S_ij S_ij +
    Ω_ij Ω_ij); sources of k: min(μ_t S², 10 ρ ε) − ρ ε; of ε: C₁ ρ S ε − C₂ ρ ε²/(k + √(ν ε)), C₁ = max(0.43, η/(η + 5)), η = S k/ε.

    S = √(2 S_ij S_ij) of the velocity gradient (C, 3, 3), in cells at a `wall` (C,) `wall_shear` (C,), P_k there `wall_production` (C,) in
    W/m³. `eddy` (C,) goes half the way to μ_t. Diffusivities μ + μ_t/σ (C,); source and sink (2, C) of whole cells: −ρ ε of k as −1.5 ρ ε
    with half of it back, the other as its tangent. ε is drawn to a `target` (C,) with a weight `hold` (C,), that of the wall's layer."""
    for s in range(first, last):
        c = np.uint32(s)
        rho, mu, here, w, v = density[c], viscosity[c], k[c], epsilon[c], volume[c]
        nu = mu / rho
        s00, s11, s22 = gradient[c, 0, 0], gradient[c, 1, 1], gradient[c, 2, 2]
        s01 = 0.5 * (gradient[c, 0, 1] + gradient[c, 1, 0])
        s02 = 0.5 * (gradient[c, 0, 2] + gradient[c, 2, 0])
        s12 = 0.5 * (gradient[c, 1, 2] + gradient[c, 2, 1])
        w01 = 0.5 * (gradient[c, 0, 1] - gradient[c, 1, 0])
        w02 = 0.5 * (gradient[c, 0, 2] - gradient[c, 2, 0])
        w12 = 0.5 * (gradient[c, 1, 2] - gradient[c, 2, 1])
        strain = s00 * s00 + s11 * s11 + s22 * s22 + 2.0 * (s01 * s01 + s02 * s02 + s12 * s12)
        turning = 2.0 * (w01 * w01 + w02 * w02 + w12 * w12)
        cubed = (
            s00 * s00 * s00 + s11 * s11 * s11 + s22 * s22 * s22 + 6.0 * s01 * s02 * s12
            + 3.0 * (s01 * s01 * (s00 + s11) + s02 * s02 * (s00 + s22) + s12 * s12 * (s11 + s22))
        )  # fmt: skip
        size = math.sqrt(strain)
        shape = math.sqrt(6.0) * cubed / max(size * size * size, 1e-300)
        turned = math.sqrt(6.0) * math.cos(math.acos(min(max(shape, -1.0), 1.0)) / 3.0)
        shear = wall_shear[c] if wall[c] else math.sqrt(2.0 * strain)
        share, stirs, near = layers(here, nu, distance[c])
        if wall[c]:
            share = 0.0
        hold[c], target[c] = drawn(share), near
        if share < LEAST_SHARE:
            w = near
            epsilon[c] = near
        factor = 1.0 / (A0 + turned * here * math.sqrt(strain + turning) / w)
        mu_t = rho * (share * factor * here * here / w + (1.0 - share) * stirs)
        held = 0.5 * (eddy[c] + mu_t)
        eddy[c] = held
        k_diffusivity[c], epsilon_diffusivity[c] = mu + held / SIGMA_K, mu + held / SIGMA_EPSILON
        eta = shear * here / w
        made = max(LEAST_C1, eta / (eta + 5.0)) * shear
        uses = C2 * w / (here + math.sqrt(nu * w))
        produced = wall_production[c] if wall[c] else min(mu_t * shear * shear, LIMIT * rho * w)
        source[0, c] = v * (produced + 0.5 * rho * w)
        sink[0, c] = v * 1.5 * rho * w / here
        source[1, c] = v * rho * w * (made + uses)
        sink[1, c] = v * 2.0 * rho * uses


REALIZABLE = TwoLayer(realizable_cells, C1)
