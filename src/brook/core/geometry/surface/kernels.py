"""Compiled loops over points and triangles of a surface."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def _hash(x, y, z):
    h = np.uint64(1469598103934665603)
    for value in (x, y, z):
        h = (h ^ np.uint64(value)) * np.uint64(1099511628211)
        h = h ^ (h >> np.uint64(29))
    return h


@njit(cache=True)
def _same_places(points, bits):
    count = len(points)
    size = 1
    while size < 2 * count + 2:
        size *= 2
    table = np.full(size, -1, np.int64)
    number = np.empty(count, np.int64)
    first = np.empty(count, np.int64)
    found = 0
    mask = np.uint64(size - 1)
    for k in range(count):
        at = _hash(bits[k, 0], bits[k, 1], bits[k, 2]) & mask
        while True:
            one = table[np.int64(at)]
            if one < 0:
                table[np.int64(at)] = found
                first[found] = k
                number[k] = found
                found += 1
                break
            j = first[one]
            if points[j, 0] == points[k, 0] and points[j, 1] == points[k, 1] and points[j, 2] == points[k, 2]:
                number[k] = one
                break
            at = (at + np.uint64(1)) & mask
    return number, first[:found]


def same_places(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Number (n,) of the place of each point (n, 3), and the first point (P,) at each place."""
    if not len(points):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    return _same_places(points, points.view(np.uint64))
