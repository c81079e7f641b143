"""Sweeps over momentum equations, and what belongs to them."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from brook.core.numerics.passes.common import EXACT, ONE


@njit(cache=True, fastmath=EXACT)
def first_sweep_in(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """x (n, 3) from nothing by one forward sweep of Gauss and Seidel over a block of rows."""
    for s in range(first, last):
        i = np.uint32(s)
        a0, a1, a2 = right[i, 0], right[i, 1], right[i, 2]
        for k in range(np.uint32(offsets[i]), np.uint32(split[i])):
            j, e = columns[k], entries[k]
            a0 -= e * x[j, 0]
            a1 -= e * x[j, 1]
            a2 -= e * x[j, 2]
        x[i, 0], x[i, 1], x[i, 2] = a0 * inverse[i, 0], a1 * inverse[i, 1], a2 * inverse[i, 2]


@njit(cache=True, parallel=True, fastmath=EXACT)
def first_sweep(chunks, *args):
    for b in prange(len(chunks) - 1):
        first_sweep_in(chunks[b], chunks[b + 1], b, *args)


# What a row waits for, its neighbour of the step before, comes last: all else is then there already.


@njit(cache=True, fastmath=EXACT)
def forward_in(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """One forward sweep over a block of rows; rows of other blocks stand behind x as they were."""
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
        x[i, 0], x[i, 1], x[i, 2] = a0 * inverse[i, 0], a1 * inverse[i, 1], a2 * inverse[i, 2]


@njit(cache=True, parallel=True, fastmath=EXACT)
def forward(chunks, *args):
    for b in prange(len(chunks) - 1):
        forward_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def backward_in(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """The same backward."""
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
        x[i, 0], x[i, 1], x[i, 2] = a0 * inverse[i, 0], a1 * inverse[i, 1], a2 * inverse[i, 2]


@njit(cache=True, parallel=True, fastmath=EXACT)
def backward(chunks, *args):
    for b in prange(len(chunks) - 1):
        backward_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def moved_in(first, last, chunk, step, value):
    """value (n, 3) with a step (n, 3). In place."""
    for i in range(first, last):
        for k in range(3):
            value[i, k] += step[i, k]


@njit(cache=True, parallel=True, fastmath=EXACT)
def moved(chunks, *args):
    for b in prange(len(chunks) - 1):
        moved_in(chunks[b], chunks[b + 1], b, *args)


@njit(cache=True, fastmath=EXACT)
def coupled_in(first, last, chunk, offsets, columns, entries, value, out):
    """out (C, 3): the matrix without its diagonal times value (C, 3)."""
    for s in range(first, last):
        c = np.uint32(s)
        a0, a1, a2 = 0.0, 0.0, 0.0
        for k in range(np.uint32(offsets[c]), np.uint32(offsets[c + ONE])):
            n, e = columns[k], entries[k]
            a0 += e * value[n, 0]
            a1 += e * value[n, 1]
            a2 += e * value[n, 2]
        out[c, 0], out[c, 1], out[c, 2] = a0, a1, a2


@njit(cache=True, parallel=True, fastmath=EXACT)
def coupled(chunks, *args):
    for b in prange(len(chunks) - 1):
        coupled_in(chunks[b], chunks[b + 1], b, *args)
