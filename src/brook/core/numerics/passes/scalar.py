"""A scalar φ that a mass flux m carries and a diffusivity Γ spreads: temperature, concentrations, whatever comes.

Σ_f (m_f c φ_f − Γ_f |S|²/(S·d) (φ_N − φ_P) − Γ_f (∇φ)_f · (S − |S|²/(S·d) d)) = S_P − K_P φ_P for each cell.
"""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import loop
from brook.core.numerics.passes.common import EXACT, NON_ORTHOGONAL, ONE, SKEWED, logarithmic, second_order


@loop(fastmath=EXACT)
def scalar_faces(first, last, chunk, value, gradient, flux, capacity, diffusivity, centre, owner, neighbour, weight, geometric_diffusion,
            face_kind, skew, area, upper_at, lower_at, scheme, softness, excess, growth, stirred, body, more, entries):  # fmt: skip
    """Over each inner face: m c φ_f − Γ (∂φ/∂n) |S|, what goes through it from its owner to its neighbour.

    entries (nnz,) of the matrix are those of upwind convection by `flux` (F,) times `capacity` (C,) and of diffusion, the
    diffusivity (C,) taken as through two layers in a row, or within a `body` (C,) that is `stirred` by eddies as their logarithmic mean,
    less φ · divergence; more (inner,) is what faces of second order
    and skewed ones carry besides. With `flux` itself goes `excess` (C,), which grows by `growth` (C,) with φ; both may be
    empty. Patankar (1980) for the mean.
    """
    for s in range(first, last):
        f = np.uint32(s)
        p, n = owner[f], neighbour[f]
        through, w = flux[f] * capacity[p], weight[f]
        both = w * diffusivity[n] + (1.0 - w) * diffusivity[p]
        k = diffusivity[p] * diffusivity[n] / both if both > 0.0 else 0.0
        if stirred and body[p] == body[n]:
            k = logarithmic(diffusivity[p], diffusivity[n])
        x, y, z = centre[n, 0] - centre[p, 0], centre[n, 1] - centre[p, 1], centre[n, 2] - centre[p, 2]
        link = k * geometric_diffusion[f]
        entries[upper_at[f]] = min(through, 0.0) - link
        entries[lower_at[f]] = -max(through, 0.0) - link
        forward = through >= 0.0
        c = p if forward else n
        besides = 0.0
        if scheme != 0:
            along = gradient[c, 0] * x + gradient[c, 1] * y + gradient[c, 2] * z
            ahead = value[n] - value[p] if forward else value[p] - value[n]
            besides = (1.0 - w if forward else w) * second_order(ahead, along, forward, scheme, softness)
            if face_kind[f] & SKEWED:
                besides += gradient[c, 0] * skew[f, 0] + gradient[c, 1] * skew[f, 1] + gradient[c, 2] * skew[f, 2]
        held = flux[f] * (excess[c] + growth[c] * besides) if len(excess) > 0 else 0.0
        besides = through * besides + held
        if face_kind[f] & NON_ORTHOGONAL:
            geometric, v = geometric_diffusion[f], 1.0 - w
            besides -= k * (
                (w * gradient[p, 0] + v * gradient[n, 0]) * (area[f, 0] - geometric * x)
                + (w * gradient[p, 1] + v * gradient[n, 1]) * (area[f, 1] - geometric * y)
                + (w * gradient[p, 2] + v * gradient[n, 2]) * (area[f, 2] - geometric * z)
            )
        more[f] = besides


@loop(fastmath=EXACT)
def scalar_cells(first, last, chunk, value, more, entries, source, sink, offsets, columns, faces, boundary_offsets, boundary_faces, boundary_implicit,
             boundary_explicit, diagonal, residual, sums):  # fmt: skip
    """S_P − K_P φ_P − Σ_f (what faces carry): what is left of each equation, residual (C,), and its diagonal (C,).

    `source` (C,) is S, `sink` (C,) K, which may be empty; boundary_implicit (B,) and boundary_explicit (B,) are the implicit and the
    explicit part of boundary faces. sums (chunks,): what neighbours exchange.
    """
    exchanged = 0.0
    for s in range(first, last):
        c = np.uint32(s)
        here, around, left = value[c], 0.0, source[c]
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            code, entry = faces[k], entries[k]
            around -= entry
            part = entry * (here - value[columns[k]])
            left += part
            exchanged += abs(part)
            left += -more[code >> ONE] if code & ONE == 0 else more[code >> ONE]
        for k in range(boundary_offsets[c], boundary_offsets[c + ONE]):
            e = boundary_faces[k]
            around += boundary_implicit[e]
            left += boundary_explicit[e] - boundary_implicit[e] * here
        if len(sink) > 0:
            around += sink[c]
            left -= sink[c] * here
        diagonal[c] = around
        residual[c] = left
    sums[chunk] = 0.5 * exchanged
