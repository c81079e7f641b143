"""Compiled loops of the multigrid: aggregates, coarse matrices, sweeps. Matrices are CSR without their diagonal, in the
order of `rows.Order`; each loop over rows stands once for a stretch of them and once for all on all threads."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, loop
from brook.core.numerics.passes import EXACT, ONE


@kernel
def paired(offsets, columns, entries, least):
    """Aggregates (n,) of two rows each by the strongest coupling, and their count. Braess (1995). A row whose neighbours
    are all taken makes three of the pair it is coupled to most; one coupled to free rows by less than `least` of its
    strongest coupling does that too."""
    n = len(offsets) - 1
    of = np.full(n, -1, np.int32)
    size = np.zeros(n, np.int32)
    count = 0
    for i in range(n):
        if of[i] >= 0:
            continue
        best, strongest, most = -1, np.float32(0.0), np.float32(0.0)
        pair, tightest = -1, np.float32(0.0)
        for k in range(offsets[i], offsets[i + ONE]):
            coupling, j = -entries[k], np.int64(columns[k])
            if j == i:
                continue
            most = max(most, coupling)
            if of[j] < 0:
                if coupling > strongest:
                    strongest, best = coupling, j
            elif coupling > tightest and size[of[j]] < 3:
                tightest, pair = coupling, of[j]
        if best >= 0 and strongest >= least * most:
            of[i] = of[best] = count
            size[count] = 2
            count += 1
        elif pair >= 0 and tightest >= least * most:
            of[i] = pair
            size[pair] += 1
        else:
            of[i] = count
            size[count] = 1
            count += 1
    return of, count


@kernel
def members(of, count):
    """Rows of each aggregate as CSR: (offsets (count + 1,), rows (n,))."""
    start = np.zeros(count + 1, np.int32)
    for i in range(len(of)):
        start[of[i] + 1] += 1
    for c in range(count):
        start[c + ONE] += start[c]
    rows, fill = np.empty(len(of), np.uint32), start[:-1].copy()
    for i in range(len(of)):
        rows[fill[of[i]]] = i
        fill[of[i]] += 1
    return start, rows


@kernel
def pattern(offsets, columns, of, start, rows):
    """CSR pattern of the matrix over aggregates, and where (nnz,) each entry is added, -1 for those within one."""
    count = len(start) - 1
    to = np.full(len(columns), -1, np.int32)
    out_offsets, out_columns = np.zeros(count + 1, np.int32), np.empty(len(columns), np.uint32)
    seen = np.full(count, -1, np.int32)
    used = 0
    for c in range(count):
        begin = used
        for r in range(start[c], start[c + ONE]):
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


@loop(fastmath=EXACT)
def summed(first, last, chunk, offsets, entries, diagonal, start, rows, to, out_offsets, out_entries, out_diagonal,
           out_inverse):  # fmt: skip
    """A_c = Pᵀ A P with P constant on aggregates: the matrix over aggregates `first` to `last`, sums of entries between and within them.
    In place."""
    for k in range(out_offsets[first], out_offsets[last]):
        out_entries[k] = 0.0
    for s in range(first, last):
        c = np.uint32(s)
        whole = np.float32(0.0)
        for r in range(start[c], start[c + ONE]):
            i = rows[r]
            total = diagonal[i]
            for k in range(np.uint32(offsets[i]), np.uint32(offsets[i + ONE])):
                t = to[k]
                if t < 0:
                    total += entries[k]
                else:
                    out_entries[np.uint32(t)] += entries[k]
            whole += total
        out_diagonal[c] = whole
        out_inverse[c] = np.float32(1.0) / whole if whole != 0 else np.float32(0.0)


@loop(fastmath=EXACT)
def forward(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """x = (D + L)⁻¹ b: x from nothing by one forward sweep over a block of rows: only what stands before a row in it counts."""
    for s in range(first, last):
        i = np.uint32(s)
        total = right[i]
        for k in range(np.uint32(offsets[i]), np.uint32(split[i])):
            total -= entries[k] * x[columns[k]]
        x[i] = total * inverse[i]


@loop(fastmath=EXACT)
def left(first, last, chunk, offsets, split, columns, entries, x, residual):
    """r = −U x after a forward sweep from nothing, b − A x: the part of the rows that it did not touch."""
    for s in range(first, last):
        i = np.uint32(s)
        total = np.float32(0.0)
        for k in range(np.uint32(split[i]), np.uint32(offsets[i + ONE])):
            total -= entries[k] * x[columns[k]]
        residual[i] = total


@loop(fastmath=EXACT)
def backward(first, last, chunk, offsets, split, columns, entries, inverse, right, x):
    """x_i = (b_i − Σ_{j≠i} e_ij x_j)/a_i for i from the last on: one backward sweep over a block of rows; rows of other blocks stand behind x as they were. The row swept before
    comes last: all else is then there already."""
    for s in range(last - first):
        i = np.uint32(last - 1 - s)
        total = right[i]
        middle, end = np.uint32(split[i]), np.uint32(offsets[i + ONE])
        for k in range(np.uint32(offsets[i]), middle):
            total -= entries[k] * x[columns[k]]
        for t in range(end - middle):
            k = np.uint32(end - 1 - t)
            total -= entries[k] * x[columns[k]]
        x[i] = total * inverse[i]


@loop(fastmath=EXACT)
def restricted(first, last, chunk, residual, start, rows, out):
    """r_c = Pᵀ r: sums (count,) over aggregates."""
    for s in range(first, last):
        c = np.uint32(s)
        total = np.float32(0.0)
        for r in range(np.uint32(start[c]), np.uint32(start[c + ONE])):
            total += residual[rows[r]]
        out[c] = total


@loop(fastmath=EXACT)
def lifted(first, last, chunk, correction, start, rows, scale, x):
    """x ← x + scale · P x_c: x with the correction of each row's aggregate. In place."""
    for s in range(first, last):
        c = np.uint32(s)
        step = scale * correction[c]
        for r in range(np.uint32(start[c]), np.uint32(start[c + ONE])):
            x[rows[r]] += step


@loop(fastmath=EXACT)
def product(first, last, chunk, offsets, columns, entries, diagonal, x, out, sums):
    """A x, into out (n,); sums (chunks,): xᵀ A x."""
    whole = 0.0
    for s in range(first, last):
        i = np.uint32(s)
        total = diagonal[i] * x[i]
        for k in range(np.uint32(offsets[i]), np.uint32(offsets[i + ONE])):
            total += entries[k] * x[columns[k]]
        out[i] = total
        whole += x[i] * total
    sums[chunk] = whole


# Vectors of conjugate gradients, of the type of the matrix. Sums are float64, one a chunk.


@loop(fastmath=EXACT)
def dots(first, last, chunk, x, one, two, sums):
    """sums (chunks, 2): xᵀ one and xᵀ two."""
    a, b = 0.0, 0.0
    for s in range(first, last):
        i = np.uint32(s)
        a += x[i] * one[i]
        b += x[i] * two[i]
    sums[chunk, 0], sums[chunk, 1] = a, b


@loop(fastmath=EXACT)
def remaining(first, last, chunk, right, step, image, residual, sums):
    """r = b − step · A d, of which `image` is A d: what of the right-hand side a step leaves; sums (chunks, 2): rᵀ r and bᵀ b."""
    a, b = 0.0, 0.0
    for s in range(first, last):
        i = np.uint32(s)
        left = right[i] - step * image[i]
        residual[i] = left
        a += np.float64(left) * left
        b += np.float64(right[i]) * right[i]
    sums[chunk, 0], sums[chunk, 1] = a, b


@loop(fastmath=EXACT)
def led(first, last, chunk, smooth, scale, factor, direction):
    """d ← factor · d + scale · z: direction (n,) with `smooth` (n,) besides. In place."""
    for s in range(first, last):
        i = np.uint32(s)
        direction[i] = scale * smooth[i] + factor * direction[i]


@loop(fastmath=EXACT)
def stepped(first, last, chunk, step, direction, image, value, residual, sums):
    """x ← x + step · d, r ← r − step · A d: value and residual after a step. In place. sums (chunks,): rᵀ r."""
    total = 0.0
    for s in range(first, last):
        i = np.uint32(s)
        value[i] += step * direction[i]
        left = residual[i] - step * image[i]
        residual[i] = left
        total += np.float64(left) * left
    sums[chunk] = total
