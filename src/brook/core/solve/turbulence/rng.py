"""The k-ε model by renormalization groups: Yakhot, Orszag, Thangam, Gatski & Speziale (1992, Physics of Fluids A 4), with two layers at walls."""

from __future__ import annotations

import math

import numpy as np

from brook.core.compiling.kernel import loop
from brook.core.numerics.passes import EXACT
from brook.core.solve.turbulence.two_layer import LEAST_SHARE, TwoLayer, drawn, layers

C_MU, C1, C2, SIGMA, ETA_0, BETA, LIMIT = 0.0845, 1.42, 1.68, 0.7194, 4.38, 0.012, 10.0


@loop(fastmath=EXACT)
def rng_cells(first, last, chunk, k, epsilon, gradient, density, viscosity, distance, volume, wall, wall_shear, wall_production,
              eddy, k_diffusivity, epsilon_diffusivity, source, sink, hold, target):  # fmt: skip
    """μ_t = ρ C_μ k²/ε; sources of k: min(μ_t S², 10 ρ ε) − ρ ε; of ε: C₁ P_k ε/k − (C₂ + R) ρ ε²/k, R = C_μ η³ (1 − η/4.38)/(1 + 0.012 η³), η =
    S k/ε.

    S = √(2 S_ij S_ij) of the velocity gradient (C, 3, 3), in cells at a `wall` (C,) `wall_shear` (C,), P_k there `wall_production` (C,) in
    W/m³. `eddy` (C,) goes half the way to μ_t. Diffusivities μ + μ_t/σ (C,); source and sink (2, C) of whole cells: −ρ ε of k as −1.5 ρ ε
    with half of it back, C₂ as its tangent, R as a source where it is negative. ε is drawn to a `target` (C,) with a weight `hold` (C,),
    that of the wall's layer."""
    for s in range(first, last):
        c = np.uint32(s)
        rho, mu, here, w, v = density[c], viscosity[c], k[c], epsilon[c], volume[c]
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
        share, stirs, near = layers(here, mu / rho, distance[c])
        if wall[c]:
            share = 0.0
        hold[c], target[c] = drawn(share), near
        if share < LEAST_SHARE:
            w = near
            epsilon[c] = near
        mu_t = rho * (share * C_MU * here * here / w + (1.0 - share) * stirs)
        held = 0.5 * (eddy[c] + mu_t)
        eddy[c] = held
        k_diffusivity[c], epsilon_diffusivity[c] = mu + held / SIGMA, mu + held / SIGMA
        eta = shear * here / w
        cube = eta * eta * eta
        strained = C_MU * cube * (1.0 - eta / ETA_0) / (1.0 + BETA * cube)
        produced = wall_production[c] if wall[c] else min(mu_t * shear * shear, LIMIT * rho * w)
        rate = w / here
        source[0, c] = v * (produced + 0.5 * rho * w)
        sink[0, c] = v * 1.5 * rho * rate
        source[1, c] = v * (C1 * produced * rate + rho * w * rate * (C2 + max(-strained, 0.0)))
        sink[1, c] = v * rho * rate * (2.0 * C2 + max(strained, 0.0))


RNG = TwoLayer(rng_cells, C1)
