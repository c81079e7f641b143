"""Fluxes, and the pressure correction that keeps mass."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import loop
from brook.core.numerics.passes.common import EXACT, ONE, SKEWED
from brook.core.numerics.passes.gradients import gauss_in_cell


@loop(fastmath=EXACT)
def fluxes(first, last, chunk, velocity, gradient, pressure, pressure_gradient, pressure_coefficient, simplec_coefficient, density, off, late, centre,
           owner, neighbour, weight, geometric_diffusion, face_kind, skew, area, upper_at, lower_at, alpha, per_time, flux, link, entries):  # fmt: skip
    """m_f = ρ_f (u_f·S + d_f |S|²/(S·r) ((∇p)_f·r − (p_N − p_P))) + (1 − α) m°_f − d_f ρ_f m_old: the mass flux after Rhie & Chow (1983),
    into flux (inner,).

    d_f = α d/(1 + d ρ/Δt) of the `pressure_coefficient` d = V/a; m° is `off` (inner,), the flux of before less that of the mean
    velocity (Majumdar 1988), m_old is `late` (inner,), empty in a steady flow. link (inner,) = ρ_f D_f |S|²/(S·r) of the
    `simplec_coefficient` D: how a flux answers to a step of the pressure correction; entries (nnz,) of the matrix of that."""
    for s in range(first, last):
        f = np.uint32(s)
        p, n = owner[f], neighbour[f]
        w, geometric = weight[f], geometric_diffusion[f]
        v = 1.0 - w
        rho = w * density[p] + v * density[n]
        gives = w * pressure_coefficient[p] + v * pressure_coefficient[n]
        gives *= alpha / (1.0 + gives * rho * per_time)
        total, along = 0.0, 0.0
        for k in range(3):
            total += (w * velocity[p, k] + v * velocity[n, k]) * area[f, k]
            along += (w * pressure_gradient[p, k] + v * pressure_gradient[n, k]) * (centre[n, k] - centre[p, k])
        if face_kind[f] & SKEWED:
            for k in range(3):
                step = 0.0
                for i in range(3):
                    step += (w * gradient[p, k, i] + v * gradient[n, k, i]) * skew[f, i]
                total += step * area[f, k]
        through = rho * (total + gives * geometric * (along - (pressure[n] - pressure[p]))) + (1.0 - alpha) * off[f]
        if len(late) > 0:
            through -= gives * rho * late[f]
        flux[f] = through
        bond = rho * (w * simplec_coefficient[p] + v * simplec_coefficient[n]) * geometric
        link[f] = bond
        entries[upper_at[f]] = -bond
        entries[lower_at[f]] = -bond


@loop(fastmath=EXACT)
def continuity(first, last, chunk, flux, entries, mass_storage, offsets, faces, boundary_offsets, boundary_faces, boundary_link, residual, diagonal,
               sums):  # fmt: skip
    """r_P = −(Σ_f m_f + ∂M/∂t): mass that enters each cell without being kept, residual (C,).

    `mass_storage` (C,) is ∂M/∂t, which may be empty; diagonal (C,) = Σ_f link of the matrix of the pressure correction; sums (chunks, 1):
    Σ|r|."""
    inner = len(faces) // 2
    left = 0.0
    for s in range(first, last):
        c = np.uint32(s)
        out, around = 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            code = faces[k]
            around -= entries[k]
            out += flux[code >> ONE] if code & ONE == 0 else -flux[code >> ONE]
        for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
            out += flux[inner + boundary_faces[k]]
            around += boundary_link[boundary_faces[k]]
        if len(mass_storage) > 0:
            out += mass_storage[c]
        residual[c] = -out
        diagonal[c] = around
        left += abs(out)
    sums[chunk, 0] = left


@loop(fastmath=EXACT)
def answer(first, last, chunk, correction, link, owner, neighbour, flux):
    """m_f ← m_f − link_f (p′_N − p′_P): flux (inner,) less what the pressure correction p′ (C,) drives back. In place."""
    for s in range(first, last):
        f = np.uint32(s)
        flux[f] -= link[f] * (correction[neighbour[f]] - correction[owner[f]])


@loop(fastmath=EXACT)
def corrected(first, last, chunk, correction, level, simplec_coefficient, plain, velocity, pressure, pressure_gradient, sums, boundary,
              slope, offsets, columns, faces, boundary_offsets, boundary_faces, boundary_line, boundary_weight, weight, face_kind, skew, area, volume,
              bent, unbent):  # fmt: skip
    """u ← u − D ∇p′, p ← p + p′ − level, ∇p ← ∇p + ∇p′ with the `simplec_coefficient` D (C,) and the pressure correction p′ (C,). In
    place.

    ∇p′ is that of `gauss_in_cell`, or `slope` (C, 3) where it is `plain`. sums (chunks, 1): the largest square of a speed, or nan where
    one is lost."""
    most, lost = 0.0, False
    for s in range(first, last):
        c = np.uint32(s)
        if plain:
            x, y, z = slope[c, 0], slope[c, 1], slope[c, 2]
        else:
            x, y, z = gauss_in_cell(
                c, correction, boundary, slope, offsets, columns, faces, boundary_offsets, boundary_faces, boundary_line, boundary_weight, weight, face_kind, skew,
                area, volume, bent, unbent,
            )  # fmt: skip
        pressure_gradient[c, 0] += x
        pressure_gradient[c, 1] += y
        pressure_gradient[c, 2] += z
        gives = simplec_coefficient[c]
        u0, u1, u2 = velocity[c, 0] - gives * x, velocity[c, 1] - gives * y, velocity[c, 2] - gives * z
        velocity[c, 0], velocity[c, 1], velocity[c, 2] = u0, u1, u2
        pressure[c] += correction[c] - level
        square = u0 * u0 + u1 * u1 + u2 * u2
        if not (square < np.inf and abs(pressure[c]) < np.inf):
            lost = True
        elif square > most:
            most = square
    sums[chunk, 0] = np.nan if lost else most
