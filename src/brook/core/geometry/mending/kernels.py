"""Compiled loops of mending."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel


@kernel
def _turn(a, b, c):
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


@kernel
def clip_ears(at):
    """Triangles (n - 2, 3) that fill a simple anticlockwise polygon (n, 2); fewer when it crosses itself.

    Always the ear with the largest smallest angle goes first, so that no needless slivers come about.
    """
    count = len(at)
    before, after = np.empty(count, np.int64), np.empty(count, np.int64)
    for k in range(count):
        before[k], after[k] = (k - 1) % count, (k + 1) % count
    shape = np.full(count, -1.0)
    fresh = np.ones(count, np.bool_)
    alive = np.ones(count, np.bool_)
    made = np.empty((max(0, count - 2), 3), np.int64)
    for n in range(count - 2):
        best, best_shape = -1, 0.0
        for k in range(count):
            if not alive[k]:
                continue
            if fresh[k]:
                fresh[k] = False
                shape[k] = _ear(at, before[k], k, after[k], alive)
            if shape[k] > best_shape:
                best, best_shape = k, shape[k]
        if best < 0:  # nothing is left that does not cross: the flattest corner goes
            for k in range(count):
                if alive[k] and _turn(at[before[k]], at[k], at[after[k]]) >= 0.0:
                    best = k
                    break
            if best < 0:
                return made[:n]
        made[n, 0], made[n, 1], made[n, 2] = before[best], best, after[best]
        alive[best] = False
        after[before[best]], before[after[best]] = after[best], before[best]
        # an ear anywhere may have been kept by this corner, but only neighbours change their shape
        fresh[before[best]] = fresh[after[best]] = True
        for k in range(count):
            if alive[k] and shape[k] <= 0.0:
                fresh[k] = True
    return made


@kernel
def _ear(at, i, j, k, alive):
    """How good the triangle at a corner is: four areas over the sum of its squared sides; negative for no ear."""
    a, b, c = at[i], at[j], at[k]
    area = _turn(a, b, c)
    if area <= 0.0:
        return -1.0
    for p in range(len(at)):
        if alive[p] and p != i and p != j and p != k:
            q = at[p]
            if _turn(a, b, q) >= 0.0 and _turn(b, c, q) >= 0.0 and _turn(c, a, q) >= 0.0:
                if (
                    (q[0] == a[0] and q[1] == a[1])
                    or (q[0] == b[0] and q[1] == b[1])
                    or (q[0] == c[0] and q[1] == c[1])
                ):
                    continue  # the same place visited twice, as at a bridge to a hole
                return -1.0
    sides = ((b - a) ** 2).sum() + ((c - b) ** 2).sum() + ((a - c) ** 2).sum()
    return 2.0 * area / sides
