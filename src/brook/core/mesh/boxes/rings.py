"""Compiled passes round the points of polygons: which are joined by edges, and where more than one sheet of a skin meets."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, prange

BLOCK = 4096  # points that one thread goes over at a time


@kernel
def corners_at(flat, count):
    """The corners of each point (count,) as CSR, in their order: where they begin (count + 1,) and their places in `flat`."""
    start = np.zeros(count + 1, np.int64)
    for k in range(len(flat)):
        start[flat[k] + 1] += 1
    for p in range(count):
        start[p + 1] += start[p]
    place = start[:-1].copy()
    corner = np.empty(len(flat), np.int32)
    for k in range(len(flat)):
        corner[place[flat[k]]] = k
        place[flat[k]] += 1
    return start, corner


@kernel(parallel=True)
def beside(offsets):
    """The corner before and the one after (corners,) each corner of polygons, round each."""
    before, after = np.empty(offsets[-1], np.int32), np.empty(offsets[-1], np.int32)
    for f in prange(len(offsets) - 1):
        first, last = offsets[f], offsets[f + 1]
        for k in range(first, last):
            before[k] = last - 1 if k == first else k - 1
            after[k] = first if k == last - 1 else k + 1
    return before, after


@kernel
def links(flat, offsets, count):
    """Neighbours of each point (count,) as CSR, each once, in the order in which polygons name them."""
    room = np.zeros(count + 1, np.int64)
    for k in range(len(flat)):
        room[flat[k] + 1] += 2
    for p in range(count):
        room[p + 1] += room[p]
    found = np.empty(room[count], np.int32)
    used = np.zeros(count, np.int32)
    for f in range(len(offsets) - 1):
        a, b = offsets[f], offsets[f + 1]
        for k in range(a, b):
            p, q = flat[k], flat[k + 1 if k + 1 < b else a]
            for turn in range(2):
                one, other = (p, q) if turn == 0 else (q, p)
                known = False
                for j in range(room[one], room[one] + used[one]):
                    if found[j] == other:
                        known = True
                        break
                if not known:
                    found[room[one] + used[one]] = other
                    used[one] += 1
    start = np.zeros(count + 1, np.int32)
    for p in range(count):
        start[p + 1] = start[p] + used[p]
    made = np.empty(start[count], np.int32)
    for p in range(count):
        made[start[p] : start[p + 1]] = found[room[p] : room[p] + used[p]]
    return start, made


@kernel
def _sheets(near, degree, sheet):
    """How many sheets the faces round a point make, joined over the edges that two of them share: of each the points before and after
    in `near` (2 degree,). `sheet` (degree,) is written over."""
    for i in range(degree):
        sheet[i] = i
    changed = True
    while changed:
        changed = False
        for a in range(2 * degree):
            uses, b = 0, -1
            for other in range(2 * degree):
                if near[other] == near[a]:
                    uses += 1
                    if other != a:
                        b = other
            if uses == 2 and sheet[a // 2] != sheet[b // 2]:
                low = min(sheet[a // 2], sheet[b // 2])
                sheet[a // 2], sheet[b // 2] = low, low
                changed = True
    count = 0
    for i in range(degree):
        first = True
        for j in range(i):
            if sheet[j] == sheet[i]:
                first = False
        count += first
    return count


@kernel(parallel=True)
def pinched(flat, offsets, count):
    """Of each corner (corners,) of a skin's polygons: whether more than two of them share the edge behind it, and whether more than one
    sheet of the skin meets at its point."""
    start, corner = corners_at(flat, count)
    before, after = beside(offsets)
    crowded, several = np.zeros(len(flat), np.bool_), np.zeros(len(flat), np.bool_)
    most = 0
    for p in range(count):
        most = max(most, start[p + 1] - start[p])
    for block in prange((count + BLOCK - 1) // BLOCK):
        near, sheet = np.empty(2 * most, np.int64), np.empty(most, np.int64)
        for p in range(block * BLOCK, min(count, (block + 1) * BLOCK)):
            first, degree = start[p], start[p + 1] - start[p]
            for i in range(degree):
                k = corner[first + i]
                near[2 * i], near[2 * i + 1] = flat[before[k]], flat[after[k]]
            apart = _sheets(near, degree, sheet) > 1
            for i in range(degree):
                k = corner[first + i]
                several[k] = apart
                uses = 0
                for other in range(2 * degree):
                    uses += near[other] == near[2 * i + 1]
                crowded[k] = uses > 2
    return crowded, several
