"""Closed surfaces drawn through rings of points."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.mending.fill import triangles_across
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.triangles import surface_of
from brook.core.study import Resolved


def swept(rings: np.ndarray, sides: list[str], start: str = "", end: str = "", closed: bool = False) -> Surface:
    """A surface through rings (n, m, 3) of points that go round alike.

    `sides` (m,) is the patch of the strip behind each point of a ring. Without `closed`, flat ends `start` and `end`
    close the first and the last ring; with it the last ring is joined to the first.
    """
    count, around = rings.shape[:2]
    points = rings.reshape(-1, 3)
    names = list(dict.fromkeys([*([] if closed else [start, end]), *sides]))
    last = count if closed else count - 1
    j, i = np.meshgrid(np.arange(last), np.arange(around), indexing="ij")
    a, b = j * around + i, j * around + (i + 1) % around
    after = (j + 1) % count
    c, d = after * around + i, after * around + (i + 1) % around
    strips = np.stack([np.stack([a, b, d], -1), np.stack([a, d, c], -1)], axis=2).reshape(-1, 3)
    number = np.array([names.index(s) for s in sides])
    patch = np.repeat(np.broadcast_to(number, (last, around)).ravel(), 2)
    triangles, patches = [strips], [patch]
    if not closed:
        first = np.arange(around)
        for name, ring in ((start, first[::-1]), (end, (count - 1) * around + first)):
            if np.ptp(points[ring], axis=0).max() == 0:
                continue  # a tip
            lid = triangles_across(points, ring)
            triangles.append(lid)
            patches.append(np.full(len(lid), names.index(name)))
    made = surface_of(points, np.concatenate(triangles), np.concatenate(patches), names)
    one, other, third = made.triangles.T
    whole = (one != other) & (other != third) & (third != one)
    made = made.only(whole)
    if made.volume < 0:
        made = made.flipped(np.ones(made.count, bool))
    counts = np.bincount(made.patch, minlength=len(names))
    if counts.all():
        return made
    kept = np.nonzero(counts)[0]
    table = np.cumsum(counts > 0) - 1
    return Surface(made.points, made.triangles, table[made.patch], tuple(names[k] for k in kept))


def frame(axis: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two directions across an axis, the three a right-handed system with the axis last."""
    one = np.cross(np.eye(3)[(int(np.argmax(np.abs(axis))) + 1) % 3], axis)
    one = np.cross(axis, one)
    one = one / np.linalg.norm(one)
    return one, np.cross(axis, one)


def box(part: Resolved) -> Surface:
    """A box from its lower corner."""
    low = np.array([part.x, part.y, part.z], float)
    w, d, h = part.width, part.depth, part.height
    ring = np.array([[0, 0], [w, 0], [w, d], [0, d]], float)
    rings = np.stack([np.concatenate([ring, np.full((4, 1), z)], axis=1) + low for z in (0.0, h)])
    p = part.patches
    return swept(rings, [p.south, p.east, p.north, p.west], p.floor, p.lid)
