"""Points that should be one, and edges that should touch."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from brook.core.geometry.findings.shapes import near_points
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.triangles import compact

MOST_ROUNDS = 12


def merge_points(surface: Surface, tolerance: float | None = None) -> Surface:
    """Points on free edges that are nearer than the tolerance in m become one, in their middle.

    Triangles that lose their area by it go. Without a tolerance it is that of `near_points`.
    """
    pairs = near_points(surface, tolerance)
    if not len(pairs):
        return surface
    count = len(surface.points)
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    groups, label = connected_components(graph, directed=False)
    total = np.stack([np.bincount(label, surface.points[:, k], groups) for k in range(3)], axis=1)
    points = total / np.bincount(label, minlength=groups)[:, None]
    return _without_collapsed(points, label[surface.triangles], surface)


def _without_collapsed(points: np.ndarray, triangles: np.ndarray, surface: Surface) -> Surface:
    a, b, c = triangles.T
    whole = (a != b) & (b != c) & (c != a)
    return compact(points, triangles[whole], surface.patch[whole], surface.patches)


def stitch(surface: Surface, tolerance: float) -> Surface:
    """Closes seams whose two sides have their points at different places, within the tolerance in m.

    Points are merged where they can be; where a point of one side lies on an edge of the other, that edge gets
    the point, until nothing more is found.
    """
    surface = merge_points(surface, tolerance)
    for _ in range(MOST_ROUNDS):
        split = _split_once(surface, tolerance)
        if split is None:
            break
        surface = merge_points(split, tolerance)
    return surface


def _split_once(surface: Surface, tolerance: float) -> Surface | None:
    """Each free edge split at the free point nearest to its inside, None when there is none."""
    edges = surface.edges
    triangle, corner = np.nonzero(edges.uses[edges.of] == 1)
    if not len(triangle):
        return None
    start, end = surface.triangles[triangle, corner], surface.triangles[triangle, (corner + 1) % 3]
    free = np.unique([start, end])
    tree = cKDTree(surface.points[free])
    a, run = surface.points[start], surface.points[end] - surface.points[start]
    length = np.linalg.norm(run, axis=1)
    near = tree.query_ball_point(a + run / 2, length / 2 + tolerance)
    busy = np.zeros(surface.count, bool)
    chosen: list[tuple[int, int, int]] = []
    for k, candidates in enumerate(near):
        if busy[triangle[k]] or length[k] <= 2 * tolerance:
            continue
        at = free[candidates]
        at = at[(at != start[k]) & (at != end[k])]
        offset = surface.points[at] - a[k]
        along = offset @ run[k] / length[k] ** 2
        away = np.linalg.norm(offset - along[:, None] * run[k], axis=1)
        inside = (away <= tolerance) & (along * length[k] > tolerance) & ((1 - along) * length[k] > tolerance)
        if inside.any():
            best = int(at[inside][np.argmin(np.abs(along[inside] - 0.5))])
            chosen.append((int(triangle[k]), int(corner[k]), best))
            busy[triangle[k]] = True
    if not chosen:
        return None
    t, c, p = np.array(chosen).T
    one, other = surface.triangles[t].copy(), surface.triangles[t].copy()
    every = np.arange(len(t))
    one[every, (c + 1) % 3] = p
    other[every, c] = p
    kept = np.ones(surface.count, bool)
    kept[t] = False
    triangles = np.concatenate([surface.triangles[kept], one, other])
    patch = np.concatenate([surface.patch[kept], surface.patch[t], surface.patch[t]])
    made = Surface(surface.points, triangles, patch, surface.patches)
    return _without_collapsed(made.points, made.triangles, made)
