"""Taking out triangles that should not be there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from brook.core.geometry.findings.shapes import duplicates, slivers
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.triangles import compact

MOST_ROUNDS = 200


def without(surface: Surface, triangles: np.ndarray) -> Surface:
    """The surface without some triangles."""
    kept = np.ones(surface.count, bool)
    kept[triangles] = False
    return surface.only(kept)


def remove_duplicates(surface: Surface) -> Surface:
    """One triangle of each that stand on the same three points."""
    double = duplicates(surface)
    return without(surface, double) if len(double) else surface


def remove_slivers(surface: Surface) -> Surface:
    """No thin triangle is left where that can be done without a hole.

    A short side is drawn together to a point; of a triangle that is flat because its middle point lies on its
    longest side, that side is turned over to the neighbour's far corner, if both get better by it. Of a fan of thin
    triangles the outermost goes first, which is beside a sound one; then the next.
    """
    for _ in range(MOST_ROUNDS):
        thin = slivers(surface)
        if not len(thin):
            return surface
        better = _collapse(surface, thin)
        better = _turn_over(surface, thin) if better is None else better
        if better is None:
            return surface
        surface = better
    return surface


def _sides(surface: Surface, thin: np.ndarray) -> np.ndarray:
    """Lengths (n, 3) of the sides from each corner to the next."""
    corners = surface.points[surface.triangles[thin]]
    return np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)


def _collapse(surface: Surface, thin: np.ndarray) -> Surface | None:
    """Draws together the shortest sides of triangles that have one much shorter than the others."""
    sides = _sides(surface, thin)
    short = sides.min(axis=1) <= 2e-2 * sides.max(axis=1)
    if not short.any():
        return None
    label = np.arange(len(surface.points))
    touched = np.zeros(len(surface.points), bool)
    for t, k in zip(thin[short], np.argmin(sides[short], axis=1), strict=True):
        a, b = surface.triangles[t, k], surface.triangles[t, (k + 1) % 3]
        if not touched[a] and not touched[b]:
            label[b] = a
            touched[a] = touched[b] = True
    triangles = label[surface.triangles]
    a, b, c = triangles.T
    whole = (a != b) & (b != c) & (c != a)
    return compact(surface.points, triangles[whole], surface.patch[whole], surface.patches)


def _turn_over(surface: Surface, thin: np.ndarray) -> Surface | None:
    """Joins each flat triangle with the neighbour over its longest side, and divides the two the other way."""
    edges = surface.edges
    offsets, by_edge = edges.by_edge
    keys = edges.ends[:, 0] * len(surface.points) + edges.ends[:, 1]  # ascending, as edges are numbered by them
    triangles = surface.triangles.copy()
    touched = np.zeros(surface.count, bool)
    done = False
    for t, k in zip(thin, np.argmax(_sides(surface, thin), axis=1), strict=True):
        edge = edges.of[t, k]
        if edges.uses[edge] != 2:
            continue
        pair = by_edge[offsets[edge] : offsets[edge] + 2]
        other = pair[0] if pair[1] == t else pair[1]
        if touched[t] or touched[other]:
            continue
        a, b, apex = triangles[t, k], triangles[t, (k + 1) % 3], triangles[t, (k + 2) % 3]
        far = int(triangles[other][~np.isin(triangles[other], (a, b))][0])
        key = min(far, apex) * len(surface.points) + max(far, apex)
        at = int(np.searchsorted(keys, key))
        if far == apex or (at < len(keys) and keys[at] == key):
            continue
        new = (a, far, apex), (far, b, apex)
        if min(_height(surface, one) for one in new) <= min(_height(surface, triangles[o]) for o in (t, other)):
            continue
        triangles[t], triangles[other] = new
        touched[t] = touched[other] = True
        done = True
    return Surface(surface.points, triangles, surface.patch, surface.patches) if done else None


def _height(surface: Surface, triangle: Sequence[int] | np.ndarray) -> float:
    """Height of a triangle over its longest side, as a share of that side."""
    a, b, c = surface.points[list(triangle)]
    longest = max(float(((p - q) ** 2).sum()) for p, q in ((a, b), (b, c), (c, a)))
    return float(np.linalg.norm(np.cross(b - a, c - a))) / longest if longest else 0.0
