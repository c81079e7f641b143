"""Points that differ by no more than numbers are rounded by are one point."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brook.core.geometry.surface.triangles import Surface

ROUNDED = 1e-9  # of the largest coordinate: what differs by less was rounded on its way into a file

LOST = 0.01  # of the triangles may come to nothing


def joined(surface: Surface) -> Surface:
    """The surface with such points made one; `joined` says how many went. Triangles that come to nothing by it go too."""
    size = float(np.abs(surface.points).max(initial=0.0))
    near = ROUNDED * size
    suspects = _suspects(surface.points, near)
    if len(suspects) < 2:
        return surface
    from scipy.sparse import coo_matrix  # a fifth of a second that most files do not need
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    # many points at one place would be many pairs: those that fall into one small box are one first
    places = surface.points[suspects]
    _, first, box = np.unique(np.round(places / (near / 2)), axis=0, return_index=True, return_inverse=True)
    pairs = cKDTree(places[first]).query_pairs(near, output_type="ndarray")
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(first), len(first)))
    count, group = connected_components(graph, directed=False)
    group = group[box.ravel()]
    if count == len(suspects):
        return surface
    keeper = np.full(count, len(surface.points))
    np.minimum.at(keeper, group, suspects)
    becomes = np.arange(len(surface.points))
    becomes[suspects] = keeper[group]
    triangles = becomes[surface.triangles]
    a, b, c = triangles.T
    whole = (a != b) & (b != c) & (c != a)
    if whole.sum() < (1 - LOST) * surface.count:  # those were no rounding differences: one coordinate is far too large
        return surface
    used, renumbered = np.unique(triangles[whole], return_inverse=True)
    return replace(
        surface, points=surface.points[used], triangles=renumbered.reshape(-1, 3), patch=surface.patch[whole],
        joined=len(suspects) - count,
    )  # fmt: skip


def _suspects(points: np.ndarray, near: float) -> np.ndarray:
    """Points (n,) that may have another one nearby that is not at just the same place: two places differ along some axis, by
    little."""
    found = np.zeros(len(points), bool)
    for values in points.T:
        levels = np.unique(values)
        close = np.diff(levels) <= near
        if close.any():
            beside = np.concatenate([close, [False]]) | np.concatenate([[False], close])
            found |= beside[np.searchsorted(levels, values)]
    return np.nonzero(found)[0]
