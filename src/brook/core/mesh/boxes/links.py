"""Which points are joined by an edge of some polygons."""

from __future__ import annotations

import numpy as np
from scipy.sparse import csr_matrix

from brook.core.mesh.boxes import rings


def links_of(flat: np.ndarray, offsets: np.ndarray, count: int) -> csr_matrix:
    """A matrix (count, count) of ones where two points are joined by an edge of polygons in CSR form."""
    start, links = rings.links(flat, offsets, count)
    return csr_matrix((np.ones(len(links), np.float32), links, start), shape=(count, count))


def distinct(*columns: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Of rows of numbers from nothing up, given as columns (n,): where each that differs stands first (m,), in their order, and which of
    them each row is (n,)."""
    key = columns[0].astype(np.int64)
    for column in columns[1:]:
        key = key * (int(column.max(initial=0)) + 1) + column
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    return first, inverse.ravel()


def pairs_of(one: np.ndarray, two: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Each pair (n, 2) of numbers from nothing up once, sorted, and how often (n,) it is there."""
    wide = int(two.max(initial=0)) + 1
    key, count = np.unique(one * wide + two, return_counts=True)
    return np.stack([key // wide, key % wide], axis=1), count
