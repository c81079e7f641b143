"""Two scalars φ = (a, b) of one mass flux m, each with a diffusivity of its own: what both share is looked up once.

Σ_f (m_f φ_f − Γ_f |S|²/(S·d) (φ_N − φ_P) − Γ_f (∇φ)_f · (S − |S|²/(S·d) d)) − φ_P Σ_f m_f = S_P − K_P φ_P for each cell.
"""

from __future__ import annotations

import math

import numpy as np

from brook.core.compiling.kernel import kernel, loop
from brook.core.numerics.passes.common import EXACT, NON_ORTHOGONAL, ONE, SKEWED, logarithmic, second_order

HELD = 1e6  # weight over its diagonal from which a cell keeps what it holds


@kernel(fastmath=EXACT, inline="always")
def _carried(f, through, w, k, gradient, value, p, n, c, x, y, z, forward, kind, skew, area, geometric, scheme, softness):  # fmt: skip
    """m φ_f − Γ (∂φ/∂n) |S| over a face; φ_f is at most twice what is upstream: a cell that holds next to nothing would give what it has
    not, and hold nothing for good."""
    g0 = gradient[c, 0]
    g1 = gradient[c, 1]
    g2 = gradient[c, 2]
    besides = 0.0
    step = value[n] - value[p]
    if scheme != 0:
        ahead = step if forward else -step
        besides = (1.0 - w if forward else w) * second_order(ahead, g0 * x + g1 * y + g2 * z, forward, scheme, softness)
        if scheme < 4 and kind & SKEWED:
            besides += g0 * skew[f, 0] + g1 * skew[f, 1] + g2 * skew[f, 2]
        besides = min(besides, value[c])  # as if what lies upstream of a positive value were positive too
    found = through * (value[c] + besides) - k * geometric * step
    if kind & NON_ORTHOGONAL:
        v = 1.0 - w
        found -= k * (
            (w * gradient[p, 0] + v * gradient[n, 0]) * (area[f, 0] - geometric * x)
            + (w * gradient[p, 1] + v * gradient[n, 1]) * (area[f, 1] - geometric * y)
            + (w * gradient[p, 2] + v * gradient[n, 2]) * (area[f, 2] - geometric * z)
        )
    return found


@loop(fastmath=EXACT)
def pair_faces(first, last, chunk, one, two, one_gradient, two_gradient, flux, one_diffusivity, two_diffusivity, centre, owner,
               neighbour, weight, geometric_diffusion, face_kind, skew, area, upper_at, lower_at, scheme, one_softness,
               two_softness, steep, one_transfer, two_transfer, one_entries, two_entries):  # fmt: skip
    """m φ_f − Γ_f (∂φ/∂n) |S| over each inner face from its owner to its neighbour, into one_transfer and two_transfer (inner,), and the
    entries (nnz,) of both matrices, less φ · divergence.

    Γ on a face is the logarithmic mean of the diffusivities (C,). Where the second is `steep`, as ω ~ y⁻² is at walls, its Γ is taken
    times m³, m = 4q/(1 + q)², q = √(b_P/b_N): the step over a face would draw too much."""
    for s in range(first, last):
        f = np.uint32(s)
        p, n = owner[f], neighbour[f]
        through, w, geometric, kind = flux[f], weight[f], geometric_diffusion[f], face_kind[f]
        x, y, z = centre[n, 0] - centre[p, 0], centre[n, 1] - centre[p, 1], centre[n, 2] - centre[p, 2]
        forward = through >= 0.0
        c = p if forward else n
        k1 = logarithmic(one_diffusivity[p], one_diffusivity[n])
        k2 = logarithmic(two_diffusivity[p], two_diffusivity[n])
        if steep:
            q = math.sqrt(two[p] / two[n])
            m = 4.0 * q / ((1.0 + q) * (1.0 + q))
            k2 *= m * m * m
        into, out = min(through, 0.0), -max(through, 0.0)
        one_entries[upper_at[f]] = into - k1 * geometric
        one_entries[lower_at[f]] = out - k1 * geometric
        two_entries[upper_at[f]] = into - k2 * geometric
        two_entries[lower_at[f]] = out - k2 * geometric
        one_transfer[f] = _carried(
            f, through, w, k1, one_gradient, one, p, n, c, x, y, z, forward, kind, skew, area, geometric, scheme, one_softness
        )  # fmt: skip
        two_transfer[f] = _carried(
            f, through, w, k2, two_gradient, two, p, n, c, x, y, z, forward, kind, skew, area, geometric, scheme, two_softness
        )  # fmt: skip


@loop(fastmath=EXACT)
def pair_cells(first, last, chunk, one, two, one_transfer, two_transfer, flux, one_entries, two_entries, source, sink, hold, target, offsets,
               faces, boundary_offsets, boundary_faces, entering, one_entering, two_entering, inertia, residual, inverse, sums):  # fmt: skip
    """r = S − K φ − Σ_f transfer + φ Σ_f m + Σ_b m_in (φ_in − φ): what is left of both equations, residual (2, C), and inverse (2, C), one
    over the diagonal with an `inertia` times what passes a cell and is used up in it: of what spreads nothing is held back.

    `source` and `sink` (2, C) are S and K, entering (B,) is the mass m_in that comes in through boundary faces. The second is drawn to a
    `target` (C,) with a weight `hold` (C,) h of its diagonal, r + h d (target − φ); where that is at least `HELD` it stays as it is. sums
    (chunks, 4): Σ|r| of both and the sizes of their terms, of what is drawn 1/(1 + h)."""
    left1, left2, terms1, terms2 = 0.0, 0.0, 0.0, 0.0
    for s in range(first, last):
        c = np.uint32(s)
        a, b = one[c], two[c]
        t1, t2, out, passes, d1, d2 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            code = faces[k]
            f = code >> ONE
            d1 -= one_entries[k]
            d2 -= two_entries[k]
            passes += 0.5 * abs(flux[f])
            if code & ONE == 0:
                t1 += one_transfer[f]
                t2 += two_transfer[f]
                out += flux[f]
            else:
                t1 -= one_transfer[f]
                t2 -= two_transfer[f]
                out -= flux[f]
        t1 -= out * a
        t2 -= out * b
        for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
            e = boundary_faces[k]
            into = entering[e]
            passes += into
            d1 += into
            d2 += into
            t1 += into * (a - one_entering[e])
            t2 += into * (b - two_entering[e])
        d1 += sink[0, c] + inertia * (passes + sink[0, c])
        d2 += sink[1, c] + inertia * (passes + sink[1, c])
        r1 = source[0, c] - sink[0, c] * a - t1
        r2 = source[1, c] - sink[1, c] * b - t2
        h, free = hold[c], 1.0
        if h >= HELD:
            r2, free = 0.0, 0.0
        elif h > 0.0:
            free = 1.0 / (1.0 + h)
            r2 += h * d2 * (target[c] - b)
            terms2 += free * h * d2 * target[c]
            d2 *= 1.0 + h
        terms2 += free * (abs(t2) + source[1, c] + sink[1, c] * b)
        residual[0, c], residual[1, c] = r1, r2
        inverse[0, c], inverse[1, c] = 1.0 / max(d1, 1e-300), 1.0 / max(d2, 1e-300)
        left1 += abs(r1)
        left2 += free * abs(r2)
        terms1 += abs(t1) + source[0, c] + sink[0, c] * a
    sums[chunk, 0], sums[chunk, 1], sums[chunk, 2], sums[chunk, 3] = left1, left2, terms1, terms2


@loop(fastmath=EXACT)
def pair_forward(first, last, chunk, offsets, columns, one_entries, two_entries, inverse, right, one, two):
    """x_i = (b_i − Σ_{j≠i} e_ij x_j)/a_i for i from the first on: one forward sweep of Gauss and Seidel over both, one and two (n,)."""
    for s in range(first, last):
        i = np.uint32(s)
        a, b = right[0, i], right[1, i]
        for k in range(np.uint32(offsets[i]), np.uint32(offsets[i + ONE])):
            j = columns[k]
            a -= one_entries[k] * one[j]
            b -= two_entries[k] * two[j]
        one[i], two[i] = a * inverse[0, i], b * inverse[1, i]


@loop(fastmath=EXACT)
def pair_backward(first, last, chunk, offsets, columns, one_entries, two_entries, inverse, right, one, two):
    """x_i = (b_i − Σ_{j≠i} e_ij x_j)/a_i for i from the last on: the same backward."""
    for s in range(last - first):
        i = np.uint32(last - 1 - s)
        a, b = right[0, i], right[1, i]
        for k in range(np.uint32(offsets[i]), np.uint32(offsets[i + ONE])):
            j = columns[k]
            a -= one_entries[k] * one[j]
            b -= two_entries[k] * two[j]
        one[i], two[i] = a * inverse[0, i], b * inverse[1, i]


@loop(fastmath=EXACT)
def pair_moved(first, last, chunk, one_step, two_step, hold, least, most, one, two):
    """φ ← φ + δ, no further than to `least` and `most` times φ: what has to stay positive does. Where `hold` (C,) is at least `HELD`
    the second stays. In place."""
    for i in range(first, last):
        one[i] = min(max(one[i] + one_step[i], least * one[i]), most * one[i])
        if hold[i] < HELD:
            two[i] = max(two[i] + two_step[i], least * two[i])
