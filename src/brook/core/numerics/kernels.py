"""Compiled loops behind the operators and the rows of cells. Plain arrays in, plain arrays out."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel


@kernel
def divergence(flux, owner, neighbour, out):
    """out (C,): sum of the fluxes (F,) out of each cell."""
    out[:] = 0.0
    for f in range(len(neighbour)):
        out[owner[f]] += flux[f]
        out[neighbour[f]] -= flux[f]
    for f in range(len(neighbour), len(owner)):
        out[owner[f]] += flux[f]


@kernel
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
                    here = first <= j < last and j != i
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


@kernel
def mark(offsets, ends, outside):
    """Which entries (nnz,) stand behind the `ends` (n,) of their rows."""
    outside[:] = False
    for i in range(len(ends)):
        for k in range(ends[i], offsets[i + 1]):
            outside[k] = True


@kernel
def fill(owner, neighbour, at, columns, faces):
    """Neighbours and faces of each row, as `rows.Rows` has them, from where rows begin, `at`, which is moved on."""
    for f in range(len(neighbour)):
        p, n = owner[f], neighbour[f]
        columns[at[p]], faces[at[p]] = n, 2 * f
        columns[at[n]], faces[at[n]] = p, 2 * f + 1
        at[p] += 1
        at[n] += 1


@kernel
def exchange(halo, x):
    """Copies the rows `halo` (h,) of x (n + h,) behind the others. In place."""
    count = len(x) - len(halo)
    for k in range(len(halo)):
        x[count + k] = x[halo[k]]


@kernel
def exchange_vectors(halo, x):
    """The same of vectors (n + h, 3)."""
    count = len(x) - len(halo)
    for k in range(len(halo)):
        n = halo[k]
        x[count + k, 0], x[count + k, 1], x[count + k, 2] = x[n, 0], x[n, 1], x[n, 2]
