"""Compiled loops of the multigrid: aggregates, coarse matrices, sweeps. Matrices are CSR without their diagonal."""

from __future__ import annotations

import numpy as np
from numba import njit, prange


@njit(cache=True)
def paired(offsets, columns, entries, least):
    """Aggregates (n,) of two rows each by the strongest coupling, and their count; rows without a partner whose coupling
    is at least `least` of their strongest stay alone. Braess (1995)."""
    n = len(offsets) - 1
    of = np.full(n, -1, np.int32)
    count = 0
    for i in range(n):
        if of[i] >= 0:
            continue
        best, strongest, most = -1, np.float32(0.0), np.float32(0.0)
        for k in range(offsets[i], offsets[i + 1]):
            coupling = -entries[k]
            most = max(most, coupling)
            if of[columns[k]] < 0 and coupling > strongest:
                strongest, best = coupling, columns[k]
        of[i] = count
        if best >= 0 and strongest >= least * most:
            of[best] = count
        count += 1
    return of, count


@njit(cache=True)
def pattern(offsets, columns, of, count):
    """CSR pattern of the matrix over aggregates, and where (nnz,) each entry is added, -1 for those within one."""
    n = len(of)
    start = np.zeros(count + 1, np.int32)
    for i in range(n):
        start[of[i] + 1] += 1
    for c in range(count):
        start[c + 1] += start[c]
    rows, fill = np.empty(n, np.int32), start[:-1].copy()
    for i in range(n):
        rows[fill[of[i]]] = i
        fill[of[i]] += 1
    to = np.full(len(columns), -1, np.int32)
    out_offsets, out_columns = np.zeros(count + 1, np.int32), np.empty(len(columns), np.int32)
    seen = np.full(count, -1, np.int32)
    used = 0
    for c in range(count):
        begin = used
        for r in range(start[c], start[c + 1]):
            for k in range(offsets[rows[r]], offsets[rows[r] + 1]):
                d = of[columns[k]]
                if d == c:
                    continue
                if seen[d] < begin:
                    seen[d] = used
                    out_columns[used] = d
                    used += 1
                to[k] = seen[d]
        out_offsets[c + 1] = used
    return out_offsets, out_columns[:used].copy(), to


@njit(cache=True)
def summed(offsets, entries, diagonal, of, to, out_entries, out_diagonal):
    """The matrix over aggregates: sums of entries between and within them. In place."""
    out_entries[:] = 0.0
    out_diagonal[:] = 0.0
    for i in range(len(of)):
        total = diagonal[i]
        for k in range(offsets[i], offsets[i + 1]):
            if to[k] < 0:
                total += entries[k]
            else:
                out_entries[to[k]] += entries[k]
        out_diagonal[of[i]] += total


# Sweeps go over a block of rows; the same for all blocks at once stands behind each. Small matrices have one block, and
# starting threads would take longer than to sweep it.


@njit(cache=True)
def forward_rows(offsets, columns, entries, inverse, right, x, first, last):
    """x from nothing by one forward sweep over a block of rows: only what stands before a row in it counts."""
    for i in range(first, last):
        total = right[i]
        for k in range(offsets[i], offsets[i + 1]):
            j = columns[k]
            if j < i and j >= first:
                total -= entries[k] * x[j]
        x[i] = total * inverse[i]


@njit(cache=True, parallel=True)
def forward(offsets, columns, entries, inverse, right, x, blocks):
    for t in prange(len(blocks) - 1):
        forward_rows(offsets, columns, entries, inverse, right, x, blocks[t], blocks[t + 1])


@njit(cache=True)
def left_rows(offsets, columns, entries, x, rest, first, last):
    """What `forward_rows` leaves of the right-hand side: the part of the rows that it did not touch."""
    for i in range(first, last):
        total = np.float32(0.0)
        for k in range(offsets[i], offsets[i + 1]):
            j = columns[k]
            if j > i or j < first:
                total -= entries[k] * x[j]
        rest[i] = total


@njit(cache=True, parallel=True)
def left(offsets, columns, entries, x, rest, blocks):
    for t in prange(len(blocks) - 1):
        left_rows(offsets, columns, entries, x, rest, blocks[t], blocks[t + 1])


@njit(cache=True)
def backward_rows(offsets, columns, entries, inverse, right, x, before, first, last):
    """One backward sweep over a block of rows; `before` is x as it was, for what lies in other blocks."""
    for i in range(last - 1, first - 1, -1):
        total = right[i]
        for k in range(offsets[i], offsets[i + 1]):
            j = columns[k]
            total -= entries[k] * (x[j] if first <= j < last else before[j])
        x[i] = total * inverse[i]


@njit(cache=True, parallel=True)
def backward(offsets, columns, entries, inverse, right, x, before, blocks):
    for t in prange(len(blocks) - 1):
        backward_rows(offsets, columns, entries, inverse, right, x, before, blocks[t], blocks[t + 1])


@njit(cache=True)
def restricted(rest, of, out):
    out[:] = 0.0
    for i in range(len(of)):
        out[of[i]] += rest[i]


@njit(cache=True)
def corrected(x, correction, of, scale, before):
    """x with the correction of each row's aggregate, and a copy of it. In place."""
    for i in range(len(of)):
        x[i] += scale * correction[of[i]]
        before[i] = x[i]


@njit(cache=True)
def product_rows(offsets, columns, entries, diagonal, x, out, first, last):
    for i in range(first, last):
        total = diagonal[i] * x[i]
        for k in range(offsets[i], offsets[i + 1]):
            total += entries[k] * x[columns[k]]
        out[i] = total


@njit(cache=True, parallel=True)
def product(offsets, columns, entries, diagonal, x, out, blocks):
    for t in prange(len(blocks) - 1):
        product_rows(offsets, columns, entries, diagonal, x, out, blocks[t], blocks[t + 1])
