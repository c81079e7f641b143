"""Compiled loops between the cells of a mesh and lumps of them. What they are for is told in `solve/cycles.py`."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import loop
from brook.core.numerics.passes import EXACT, ONE


@loop(fastmath=EXACT)
def means(first, last, chunk, start, rows, volume, velocity, pressure, residual, mean_velocity, mean_pressure, total):
    """ū_A = Σ V u / Σ V and Σ r over lumps A of cells: means of velocity (C, 3) and pressure (C,) by volume, and sums `total` (n, 3) of
    what is left, `residual` (C, 3). Cells of a lump are `rows` (C,) from `start` (n + 1,) on."""
    for s in range(first, last):
        c = np.uint32(s)
        whole, u0, u1, u2, p, r0, r1, r2 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(np.uint32(start[c]), np.uint32(start[c + ONE])):
            i = np.uint32(rows[k])
            v = volume[i]
            whole += v
            u0 += v * velocity[i, 0]
            u1 += v * velocity[i, 1]
            u2 += v * velocity[i, 2]
            p += v * pressure[i]
            r0 += residual[i, 0]
            r1 += residual[i, 1]
            r2 += residual[i, 2]
        mean_velocity[c, 0], mean_velocity[c, 1], mean_velocity[c, 2] = u0 / whole, u1 / whole, u2 / whole
        mean_pressure[c] = p / whole
        total[c, 0], total[c, 1], total[c, 2] = r0, r1, r2


@loop(fastmath=EXACT)
def through(first, last, chunk, start, codes, flux, total):
    """M_F = Σ_f ± m_f: sums `total` (n,) of fluxes over the faces that make one, which are twice their number, and 1 more for those that
    look the other way, in `codes` from `start` (n + 1,) on."""
    for s in range(first, last):
        f = np.uint32(s)
        whole = 0.0
        for k in range(np.uint32(start[f]), np.uint32(start[f + ONE])):
            code = codes[k]
            whole += flux[code >> ONE] if code & ONE == 0 else -flux[code >> ONE]
        total[f] = whole


@loop(fastmath=EXACT)
def led(first, last, chunk, of, centre, middle, step, slope, pressure_step, pressure_slope, velocity, pressure, change):
    """u ← u + Δu_A + ∇Δu_A·(x − x_A), p alike: velocity (C, 3) and pressure (C,) with the changes of their lumps `of` (C,), `step` (n, 3)
    and `pressure_step` (n,), and their gradients. In place; `change` (C, 3) is that of the velocity."""
    for s in range(first, last):
        c = np.uint32(s)
        m = of[c]
        x, y, z = centre[c, 0] - middle[m, 0], centre[c, 1] - middle[m, 1], centre[c, 2] - middle[m, 2]
        for k in range(3):
            moved = step[m, k] + slope[m, k, 0] * x + slope[m, k, 1] * y + slope[m, k, 2] * z
            velocity[c, k] += moved
            change[c, k] = moved
        pressure[c] += pressure_step[m] + pressure_slope[m, 0] * x + pressure_slope[m, 1] * y + pressure_slope[m, 2] * z


@loop(fastmath=EXACT)
def driven(first, last, chunk, owner, neighbour, weight, area, density, change, flux):
    """m_f ← m_f + ρ_f (Δu)_f·S: flux (inner,) with what a change of velocity (C, 3) carries. In place."""
    for s in range(first, last):
        f = np.uint32(s)
        p, n, w = owner[f], neighbour[f], weight[f]
        v = 1.0 - w
        total = 0.0
        for k in range(3):
            total += (w * change[p, k] + v * change[n, k]) * area[f, k]
        flux[f] += (w * density[p] + v * density[n]) * total
