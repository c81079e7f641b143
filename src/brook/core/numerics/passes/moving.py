"""Momentum over faces, and what is left of it in cells."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, loop
from brook.core.numerics.passes.common import EXACT, NON_ORTHOGONAL, ONE, SKEWED, logarithmic, second_order


@kernel(fastmath=EXACT, inline="always")
def _turned(f, p, n, w, mu, gradient, area):
    """μ_f (∇u)_fᵀ·S of a face, three components."""
    v, t0, t1, t2 = 1.0 - w, 0.0, 0.0, 0.0
    for i in range(3):
        part = mu * area[f, i]
        t0 += part * (w * gradient[p, i, 0] + v * gradient[n, i, 0])
        t1 += part * (w * gradient[p, i, 1] + v * gradient[n, i, 1])
        t2 += part * (w * gradient[p, i, 2] + v * gradient[n, i, 2])
    return t0, t1, t2


@loop(fastmath=EXACT)
def transfers(first, last, chunk, velocity, gradient, flux, viscosity, density, centre, owner, neighbour, weight,
              geometric_diffusion, face_kind, skew, area, upper_at, lower_at, scheme, softness, varies, turbulent, transfer, off, entries):  # fmt: skip
    """m_f u_f − μ_f |S|²/(S·r) (u_N − u_P) − μ_f (∇u)_f·(S − |S|²/(S·r) r) − μ_f (∇u)_fᵀ·S: momentum over each inner face from its owner to
    its neighbour, transfer (inner, 3); the last part only where the viscosity `varies`. μ_f is the linear mean, and the logarithmic one
    where it is `turbulent`.

    u_f is upwind with a step of second order (`second_order`) and the gradient to the face's centroid. off (inner,) = m_f − ρ_f ū_f·S
    with the mean velocity ū; entries (nnz,) min(m, 0) − μ|S|²/(S·r) and −max(m, 0) − μ|S|²/(S·r) of the matrix of upwind convection and
    diffusion, less u · divergence."""
    for s in range(first, last):
        f = np.uint32(s)
        p, n = owner[f], neighbour[f]
        through, w = flux[f], weight[f]
        rho = w * density[p] + (1.0 - w) * density[n]
        mu = w * viscosity[p] + (1.0 - w) * viscosity[n]
        if turbulent:
            mu = logarithmic(viscosity[p], viscosity[n])
        link = mu * geometric_diffusion[f]
        entries[upper_at[f]] = min(through, 0.0) - link
        entries[lower_at[f]] = -max(through, 0.0) - link
        forward = through >= 0.0
        c = p if forward else n
        fraction = 1.0 - w if forward else w
        kind = face_kind[f]
        total, t0, t1, t2 = 0.0, 0.0, 0.0, 0.0
        if varies:
            t0, t1, t2 = _turned(f, p, n, w, mu, gradient, area)
        transfer[f, 0], transfer[f, 1], transfer[f, 2] = -t0, -t1, -t2
        x, y, z = centre[n, 0] - centre[p, 0], centre[n, 1] - centre[p, 1], centre[n, 2] - centre[p, 2]
        for k in range(3):
            step = velocity[n, k] - velocity[p, k]
            face = velocity[c, k]
            middle = velocity[n, k] - w * step
            if scheme != 0:
                along = gradient[c, k, 0] * x + gradient[c, k, 1] * y + gradient[c, k, 2] * z
                ahead = step if forward else -step
                face += fraction * second_order(ahead, along, forward, scheme, softness)
            moved = -link * step
            if kind != 0:
                g0 = w * gradient[p, k, 0] + (1.0 - w) * gradient[n, k, 0]
                g1 = w * gradient[p, k, 1] + (1.0 - w) * gradient[n, k, 1]
                g2 = w * gradient[p, k, 2] + (1.0 - w) * gradient[n, k, 2]
                if kind & SKEWED:
                    middle += g0 * skew[f, 0] + g1 * skew[f, 1] + g2 * skew[f, 2]
                    if scheme != 0:
                        face += (
                            gradient[c, k, 0] * skew[f, 0]
                            + gradient[c, k, 1] * skew[f, 1]
                            + gradient[c, k, 2] * skew[f, 2]
                        )
                if kind & NON_ORTHOGONAL:
                    geometric = geometric_diffusion[f]
                    moved -= mu * (
                        g0 * (area[f, 0] - geometric * x)
                        + g1 * (area[f, 1] - geometric * y)
                        + g2 * (area[f, 2] - geometric * z)
                    )
            transfer[f, k] += through * face + moved
            total += middle * area[f, k]
        off[f] = through - rho * total


@kernel(fastmath=EXACT, inline="always")
def _gathered(c, transfer, flux, entries, offsets, faces):
    """What goes out of a cell over its faces: Σ_f transfer (three components), Σ_f m_f, and −Σ_f of the matrix' entries."""
    t0, t1, t2, out, around = 0.0, 0.0, 0.0, 0.0, 0.0
    for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
        code = faces[k]
        f = code >> ONE
        around -= entries[k]
        if code & ONE == 0:
            t0 += transfer[f, 0]
            t1 += transfer[f, 1]
            t2 += transfer[f, 2]
            out += flux[f]
        else:
            t0 -= transfer[f, 0]
            t1 -= transfer[f, 1]
            t2 -= transfer[f, 2]
            out -= flux[f]
    return t0, t1, t2, out, around


@loop(fastmath=EXACT)
def momentum(first, last, chunk, velocity, gradient, pressure_gradient, volume, density, transfer, flux, entries, offsets,
             faces, boundary_offsets, boundary_faces, boundary_implicit, boundary_explicit, inertia, source, sink, alpha, coupling, components, residual,
             inverse_diagonal, pressure_coefficient, simplec_coefficient, sums):  # fmt: skip
    """r = −V ∇p + b − K u − I u − Σ_f transfer + u Σ_f m − Σ_b (a u − b)_b: what is left of each momentum equation, residual (C, 3).

    b is `source` (C, 3), K `sink` (C, 3), I `inertia` (C,) of a step in time; each may be empty; a and b of boundary faces are
    `boundary_implicit` and `boundary_explicit` (B, 3). With the diagonal a = Σ −entries + Σ_b a + K: inverse_diagonal (C, 3) = α/(a + I),
    pressure_coefficient (C,) = V/a for face fluxes and simplec_coefficient (C,) = V/(a/coupling + I − Σ −entries) for the pressure
    correction (Van Doormaal & Raithby 1984). sums (chunks, 3): Σ|r|, sizes of terms, and how much mass stretches."""
    left, terms, stretched = 0.0, 0.0, 0.0
    for s in range(first, last):
        c = np.uint32(s)
        t0, t1, t2, out, around = _gathered(c, transfer, flux, entries, offsets, faces)
        u0, u1, u2 = velocity[c, 0], velocity[c, 1], velocity[c, 2]
        t0 -= out * u0
        t1 -= out * u1
        t2 -= out * u2
        h0, h1, h2 = around, around, around
        for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
            e = boundary_faces[k]
            h0 += boundary_implicit[e, 0]
            h1 += boundary_implicit[e, 1]
            h2 += boundary_implicit[e, 2]
            t0 += boundary_implicit[e, 0] * u0 - boundary_explicit[e, 0]
            t1 += boundary_implicit[e, 1] * u1 - boundary_explicit[e, 1]
            t2 += boundary_implicit[e, 2] * u2 - boundary_explicit[e, 2]
        if len(sink) > 0:
            h0 += sink[c, 0]
            h1 += sink[c, 1]
            h2 += sink[c, 2]
            t0 += sink[c, 0] * u0
            t1 += sink[c, 1] * u1
            t2 += sink[c, 2] * u2
        own = min(h0, h1) if components == 2 else min(min(h0, h1), h2)
        lazy = 0.0
        if len(inertia) > 0:
            lazy = inertia[c]
            t0 += lazy * u0
            t1 += lazy * u1
            t2 += lazy * u2
        if len(source) > 0:
            t0 -= source[c, 0]
            t1 -= source[c, 1]
            t2 -= source[c, 2]
        v = volume[c]
        p0, p1, p2 = -v * pressure_gradient[c, 0], -v * pressure_gradient[c, 1], -v * pressure_gradient[c, 2]
        r0, r1, r2 = p0 - t0, p1 - t1, p2 - t2
        residual[c, 0], residual[c, 1], residual[c, 2] = r0, r1, r2
        inverse_diagonal[c, 0], inverse_diagonal[c, 1], inverse_diagonal[c, 2] = (
            alpha / (h0 + lazy),
            alpha / (h1 + lazy),
            alpha / (h2 + lazy),
        )
        pressure_coefficient[c] = v / own
        simplec_coefficient[c] = v / (own / coupling + lazy - around)
        left += np.sqrt(r0 * r0 + r1 * r1 + r2 * r2)
        terms += np.sqrt(t0 * t0 + t1 * t1 + t2 * t2) + np.sqrt(p0 * p0 + p1 * p1 + p2 * p2)
        stretched += density[c] * v * (abs(gradient[c, 0, 0]) + abs(gradient[c, 1, 1]) + abs(gradient[c, 2, 2]))
    sums[chunk, 0], sums[chunk, 1], sums[chunk, 2] = left, terms, stretched
