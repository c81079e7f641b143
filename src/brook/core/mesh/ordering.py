"""Orders of whole numbers, quickly: meshes sort millions of them."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np

WIDEST = 2**62
MANY = 1_000_000  # numbers from which two threads sort them


def distinct(keys: np.ndarray) -> np.ndarray:
    """Each whole number of `keys` (any shape) once, sorted."""
    flat = keys.ravel()
    if len(flat) >= MANY:  # the halves at the same time: little is left of each where most stand there more than once
        with ThreadPoolExecutor(2) as pool:
            flat = np.concatenate(list(pool.map(_distinct, np.array_split(flat, 2))))
    return _distinct(flat)


def _distinct(keys: np.ndarray) -> np.ndarray:
    flat = np.sort(keys)
    if not len(flat):
        return flat
    first = np.empty(len(flat), bool)
    first[0] = True
    np.not_equal(flat[1:], flat[:-1], out=first[1:])
    return flat[first]


def order_by(*keys: np.ndarray) -> np.ndarray:
    """The order (n,) that sorts by the first of some whole numbers (n,), among equals by the next, and then by place.

    They are put into one number each where that has room for all of them.
    """
    whole = np.zeros(len(keys[0]), np.int64)
    room = 1
    for key in keys:
        low = int(key.min(initial=0))
        span = int(key.max(initial=0)) - low + 1
        room *= span
        if room > WIDEST:
            return np.lexsort(keys[::-1])
        whole *= span
        whole += key
        whole -= low
    return np.argsort(whole, kind="stable")
