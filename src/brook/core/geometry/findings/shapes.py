"""Triangles that are not as they should be: doubles, slivers, crossing ones; points nearly at one place."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.findings import kernels
from brook.core.geometry.findings.base import Finder, Place, place_of
from brook.core.geometry.surface import Surface
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
THIN = 1e-3  # height over the longest side
ROOM, MOST_PAIRS = 4000, 200_000  # pairs kept of each of the lists searched side by side


def duplicates(surface: Surface) -> np.ndarray:
    """Triangles (n,) whose three points an earlier triangle has too."""
    if not surface.count:
        return np.zeros(0, np.int64)
    corners = np.sort(surface.triangles, axis=1)
    order = np.lexsort(corners.T[::-1])
    same = np.all(np.diff(corners[order], axis=0) == 0, axis=1)
    return np.sort(order[1:][same])


def double_walls(surface: Surface) -> np.ndarray:
    """Those of the doubles (n,) that are walls between two closed bodies, of which each has its own: they look opposite ways, and no
    edge of their shell has an odd number of triangles."""
    double = duplicates(surface)
    if not len(double):
        return double
    edges, shell = surface.edges, surface.shells
    odd = ((edges.uses % 2 == 1) | (edges.turns != 0))[edges.of].any(axis=1)
    sound = ~np.isin(shell, np.unique(shell[odd]))
    corners = np.sort(surface.triangles, axis=1)
    _, group = np.unique(corners, axis=0, return_inverse=True)
    total = np.zeros((int(group.max()) + 1, 3))
    np.add.at(total, group.ravel(), surface.vectors)
    against = np.linalg.norm(total[group.ravel()], axis=1) < 0.5 * surface.areas
    return double[(sound & against)[double]]


def slivers(surface: Surface) -> np.ndarray:
    """Triangles (n,) without area, or so thin that their normal means little."""
    corners = surface.points[surface.triangles]
    longest = np.max([np.linalg.norm(corners[:, k] - corners[:, k - 1], axis=1) for k in range(3)], axis=0)
    return np.nonzero(2 * surface.areas <= THIN * longest**2)[0]


def crossing_pairs(surface: Surface) -> np.ndarray:
    """Pairs (n, 2) of triangles that cut each other or overlap in one plane.

    Pairs that share an edge are left out. Signs of determinants within round-off count as touching.
    """
    if not surface.count:
        return np.zeros((0, 2), np.int64)
    corners = surface.points[surface.triangles]
    low, high = corners.min(axis=1), corners.max(axis=1)
    span = float((high.max(axis=0) - low.min(axis=0)).max()) or 1.0
    code = kernels.morton((low + high) / 2, low.min(axis=0), (2**21 - 1) / span)
    order = np.argsort(code, kind="stable")
    leaves = 1
    while leaves * kernels.LEAF < surface.count:
        leaves *= 2
    boxes = kernels.tree_boxes(low, high, order, leaves)
    found, counts = kernels.crossing_pairs(order, low, high, boxes, leaves, surface.points, surface.triangles, ROOM)
    if counts.max() > ROOM:  # crowded: once more with room for all of a list, as far as that can be
        room = int(min(counts.max(), MOST_PAIRS))
        found, counts = kernels.crossing_pairs(order, low, high, boxes, leaves, surface.points, surface.triangles, room)
    return np.concatenate([one[:count] for one, count in zip(found, counts, strict=True)])


def near_points(surface: Surface, tolerance: float | None = None) -> np.ndarray:
    """Pairs (n, 2) of points on free edges that are nearer than the tolerance in m and not joined by an edge.

    Points that ought to be one always have free edges. Without a tolerance it is `near_tolerance`.
    """
    edges = surface.edges
    ends = edges.ends[edges.uses == 1]
    if not len(ends):
        return np.zeros((0, 2), np.int64)
    from scipy.spatial import cKDTree  # only where something is open: loading it takes longer than a small shape

    tolerance = near_tolerance(surface) if tolerance is None else tolerance
    points = np.unique(ends)
    pairs = points[cKDTree(surface.points[points]).query_pairs(tolerance, output_type="ndarray")].reshape(-1, 2)
    joined = edges.ends[:, 0] * len(surface.points) + edges.ends[:, 1]
    key = pairs.min(axis=1) * len(surface.points) + pairs.max(axis=1)
    return pairs[~np.isin(key, joined)]


def near_tolerance(surface: Surface) -> float:
    """A quarter of a middle free edge and at most a thousandth of the size, in m."""
    ends = surface.edges.ends[surface.edges.uses == 1]
    if not len(ends):
        return 1e-3 * surface.size
    lengths = np.linalg.norm(surface.points[ends[:, 0]] - surface.points[ends[:, 1]], axis=1)
    return min(0.25 * float(np.median(lengths)), 1e-3 * surface.size)


def _each(surface: Surface, triangles: np.ndarray, words: str) -> list[Place]:
    return [place_of(surface, np.array([t]), words) for t in triangles]


def _thin(surface: Surface) -> list[Place]:
    return _each(surface, slivers(surface), "sliver")


def _near(surface: Surface) -> list[Place]:
    found = []
    for a, b in near_points(surface):
        apart = float(np.linalg.norm(surface.points[a] - surface.points[b]))
        found.append(place_of(surface, np.zeros(0, np.int64), f"{show(apart, LENGTH)} apart", np.array([[a, b]])))
    return found


def _doubles(surface: Surface) -> list[Place]:
    return _each(surface, np.setdiff1d(duplicates(surface), double_walls(surface)), "double triangle")


def _walls(surface: Surface) -> list[Place]:
    walls = double_walls(surface)
    part = surface.only(walls)
    groups = part.shells if part.count else walls
    return [
        place_of(surface, mine, f"{len(mine)} triangle{'s' if len(mine) > 1 else ''} of both bodies")
        for mine in (walls[groups == k] for k in range(int(groups.max(initial=-1)) + 1))
    ]


DUPLICATES = Finder("duplicates", "double triangles", "remove the doubles", _doubles)
WALLS = Finder(
    "double_walls", "walls that two bodies have, each its own", "nothing to mend: of both one wall is made", _walls
)
SLIVERS = Finder("slivers", "slivers", "remove them; their neighbours close the gap", _thin)
CROSSING = Finder(
    "crossing", "crossing triangles", "unite overlapping parts, or delete one of them",
    lambda s: [place_of(s, pair, "two triangles cut each other") for pair in crossing_pairs(s)],
)  # fmt: skip
NEAR = Finder("near_points", "points nearly at one place", "merge them within a tolerance", _near)
