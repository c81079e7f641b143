"""Surfaces of known area and volume for tests."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.surface import Surface, surface_of

CUBE_POINTS = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float)
# the two triangles of each side, anticlockwise seen from outside
CUBE = {
    "west": [(0, 1, 3), (0, 3, 2)], "east": [(4, 6, 7), (4, 7, 5)], "south": [(0, 4, 5), (0, 5, 1)],
    "north": [(2, 3, 7), (2, 7, 6)], "floor": [(0, 2, 6), (0, 6, 4)], "lid": [(1, 5, 7), (1, 7, 3)],
}  # fmt: skip


def cube(side: float = 1.0, at: tuple[float, float, float] = (0, 0, 0)) -> Surface:
    """A cube with its lower corner at a place, each side a patch."""
    triangles = [t for of in CUBE.values() for t in of]
    return surface_of(CUBE_POINTS * side + np.array(at), np.array(triangles), np.repeat(np.arange(6), 2), list(CUBE))


def tube(around: int = 24, along: int = 12, radius: float = 0.5, length: float = 2.0) -> Surface:
    """A round tube along x with flat ends: patches `near`, `far` and `wall`."""
    turn = 2 * np.pi * np.arange(around) / around
    rings = [
        np.stack([np.full(around, x), radius * np.cos(turn), radius * np.sin(turn)], axis=1)
        for x in np.linspace(0, length, along + 1)
    ]
    points = np.concatenate([*rings, [[0, 0, 0], [length, 0, 0]]])
    triangles, patch = [], []
    for j in range(along):
        for i in range(around):
            a, b = j * around + i, j * around + (i + 1) % around
            c, d = a + around, b + around
            triangles += [(a, b, d), (a, d, c)]
            patch += [2, 2]
    last = along * around
    for i in range(around):
        triangles += [(i, len(points) - 2, (i + 1) % around), (last + i, last + (i + 1) % around, len(points) - 1)]
        patch += [0, 1]
    made = surface_of(points, np.array(triangles), np.array(patch), ["near", "far", "wall"])
    return made if made.volume > 0 else made.flipped(np.ones(made.count, bool))


def together(*surfaces: Surface) -> Surface:
    """Several surfaces as one; patches keep their names, the same name is the same patch."""
    names = list(dict.fromkeys(n for s in surfaces for n in s.patches))
    offsets = np.cumsum([0, *(len(s.points) for s in surfaces)])
    points = np.concatenate([s.points for s in surfaces])
    triangles = np.concatenate([s.triangles + o for s, o in zip(surfaces, offsets, strict=False)])
    patch = np.concatenate([np.array([names.index(n) for n in s.patches])[s.patch] for s in surfaces])
    return Surface(points, triangles, patch, tuple(names))
