"""Compiled loops behind the operators and the rows of cells. Plain arrays in, plain arrays out."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def divergence(flux, owner, neighbour, out):
    """out (C,): sum of the fluxes (F,) out of each cell."""
    out[:] = 0.0
    for f in range(len(neighbour)):
        out[owner[f]] += flux[f]
        out[neighbour[f]] -= flux[f]
    for f in range(len(neighbour), len(owner)):
        out[owner[f]] += flux[f]


@njit(cache=True)
def upwind_correction_scalar(value, gradient, flux, owner, neighbour, weight, line, skew, scheme, softness, out):
    """out (C,) += -flux * (second-order face value - upwind value), with the gradient (C, 3) of the value (C,).

    scheme 1: upwind-biased of third order where the field is smooth, limited after van Albada et al.
    (1982), with `softness` (in units of value²) below which differences count as smooth; scheme 2: central.
    """
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        forward = flux[f] >= 0.0
        c = p if forward else n
        fraction = 1.0 - weight[f] if forward else weight[f]
        sign = 1.0 if forward else -1.0
        ahead = sign * (value[n] - value[p])
        slope, offset = 0.0, 0.0
        for i in range(3):
            slope += gradient[c, i] * line[f, i]
            offset += gradient[c, i] * skew[f, i]
        step = ahead
        if scheme != 2:
            behind = 2.0 * sign * slope - ahead
            a2, b2 = behind * behind + softness, ahead * ahead + softness
            step = (2.0 * a2 * ahead + b2 * behind) / (2.0 * a2 + b2)
        correction = flux[f] * (fraction * step + offset)
        out[p] -= correction
        out[n] += correction


@njit(cache=True)
def diffusion_correction_scalar(coefficient, gradient, owner, neighbour, weight, cross, out):
    """out (C,) += coefficient (inner,) * cross . (gradient at the face)."""
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        w, part = weight[f], 0.0
        for i in range(3):
            part += cross[f, i] * (w * gradient[p, i] + (1.0 - w) * gradient[n, i])
        part *= coefficient[f]
        out[p] += part
        out[n] -= part


@njit(cache=True)
def arrange(offsets, columns, blocks, taken, split, ends):
    """Rows one after the other: before, behind, in other blocks; each part by column."""
    for b in range(len(blocks) - 1):
        first, last = blocks[b], blocks[b + 1]
        for i in range(first, last):
            at = offsets[i]
            for part in range(3):
                begin = at
                for k in range(offsets[i], offsets[i + 1]):
                    j = np.int64(columns[k])
                    here = first <= j < last
                    if (part == 0 and here and j < i) or (part == 1 and here and j > i) or (part == 2 and not here):
                        m = at
                        while m > begin and columns[taken[m - 1]] > columns[k]:
                            taken[m] = taken[m - 1]
                            m -= 1
                        taken[m] = k
                        at += 1
                if part == 0:
                    split[i] = at
                elif part == 1:
                    ends[i] = at


@njit(cache=True)
def mark(offsets, ends, outside):
    """Which entries (nnz,) stand behind the `ends` (n,) of their rows."""
    outside[:] = False
    for i in range(len(ends)):
        for k in range(ends[i], offsets[i + 1]):
            outside[k] = True


@njit(cache=True)
def fill(owner, neighbour, at, columns, faces):
    """Neighbours and faces of each row, as `rows.Rows` has them, from where rows begin, `at`, which is moved on."""
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        columns[at[p]], faces[at[p]] = n, 2 * f
        columns[at[n]], faces[at[n]] = p, 2 * f + 1
        at[p] += 1
        at[n] += 1
