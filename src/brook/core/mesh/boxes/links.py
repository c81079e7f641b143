"""Which points are joined by an edge of some polygons."""

from __future__ import annotations

import numpy as np
from numba import njit
from scipy.sparse import csr_matrix


@njit(cache=True)
def _links(flat, offsets, count):
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
    links = np.empty(start[count], np.int32)
    for p in range(count):
        links[start[p] : start[p + 1]] = found[room[p] : room[p] + used[p]]
    return start, links


def links_of(flat: np.ndarray, offsets: np.ndarray, count: int) -> csr_matrix:
    """A matrix (count, count) of ones where two points are joined by an edge of polygons in CSR form."""
    start, links = _links(flat, offsets, count)
    return csr_matrix((np.ones(len(links), np.float32), links, start), shape=(count, count))
