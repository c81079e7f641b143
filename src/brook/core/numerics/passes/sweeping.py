"""Sweeps over momentum equations, and what belongs to them."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import loop
from brook.core.numerics.passes.common import EXACT, ONE


@loop(fastmath=EXACT)
def first_sweep(first, last, chunk, offsets, split, columns, entries, inverse_diagonal, right, x):
    """x_i = (b_i − Σ_{j<i} e_ij x_j)/a_i: x (n, 3) from nothing by one forward sweep of Gauss and Seidel over a block of rows."""
    for s in range(first, last):
        i = np.uint32(s)
        a0, a1, a2 = right[i, 0], right[i, 1], right[i, 2]
        for k in range(np.uint32(offsets[i]), np.uint32(split[i])):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        x[i, 0], x[i, 1], x[i, 2] = (
            a0 * inverse_diagonal[i, 0],
            a1 * inverse_diagonal[i, 1],
            a2 * inverse_diagonal[i, 2],
        )


# What a row waits for, its neighbour of the step before, comes last: all else is then there already.


@loop(fastmath=EXACT)
def forward(first, last, chunk, offsets, split, columns, entries, inverse_diagonal, right, x):
    """x_i = (b_i − Σ_{j≠i} e_ij x_j)/a_i for i from the first on: one forward sweep of Gauss and Seidel over a block of rows; rows of other
    blocks stand behind x as they were."""
    for s in range(first, last):
        i = np.uint32(s)
        a0, a1, a2 = right[i, 0], right[i, 1], right[i, 2]
        middle = np.uint32(split[i])
        for k in range(middle, np.uint32(offsets[i + ONE])):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        for k in range(np.uint32(offsets[i]), middle):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        x[i, 0], x[i, 1], x[i, 2] = (
            a0 * inverse_diagonal[i, 0],
            a1 * inverse_diagonal[i, 1],
            a2 * inverse_diagonal[i, 2],
        )


@loop(fastmath=EXACT)
def backward(first, last, chunk, offsets, split, columns, entries, inverse_diagonal, right, x):
    """x_i = (b_i − Σ_{j≠i} e_ij x_j)/a_i for i from the last on: the same backward."""
    for s in range(last - first):
        i = np.uint32(last - 1 - s)
        a0, a1, a2 = right[i, 0], right[i, 1], right[i, 2]
        middle, end = np.uint32(split[i]), np.uint32(offsets[i + ONE])
        for k in range(np.uint32(offsets[i]), middle):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        for t in range(end - middle):
            k = np.uint32(end - 1 - t)
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        x[i, 0], x[i, 1], x[i, 2] = (
            a0 * inverse_diagonal[i, 0],
            a1 * inverse_diagonal[i, 1],
            a2 * inverse_diagonal[i, 2],
        )


@loop(fastmath=EXACT)
def moved(first, last, chunk, step, value):
    """u ← u + δ of a step δ (n, 3). In place."""
    for i in range(first, last):
        for k in range(3):
            value[i, k] += step[i, k]


@loop(fastmath=EXACT)
def coupled(first, last, chunk, offsets, columns, entries, value, out):
    """Σ_{j≠i} e_ij u_j: the matrix without its diagonal times value (C, 3), into out (C, 3)."""
    for s in range(first, last):
        c = np.uint32(s)
        a0, a1, a2 = 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            n, e = columns[k], entries[k]
            a0 += e * value[n, 0]
            a1 += e * value[n, 1]
            a2 += e * value[n, 2]
        out[c, 0], out[c, 1], out[c, 2] = a0, a1, a2
