"""What a finding is: a kind of defect with every place where it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brook.core.geometry.surface import Surface


@dataclass(frozen=True, eq=False)
class Place:
    """Where a defect is: its centre (3,) and size in m, its triangles, and its edges as point numbers (n, 2)."""

    centre: np.ndarray
    size: float
    words: str
    triangles: np.ndarray
    edges: np.ndarray


@dataclass(frozen=True)
class Finder:
    """Looks for one kind of defect; `advice` says what mends it."""

    kind: str
    words: str
    advice: str
    find: Callable[[Surface], list[Place]]


@dataclass(frozen=True, eq=False)
class Finding:
    """A kind of defect and its places, the largest first."""

    kind: str
    words: str
    advice: str
    places: tuple[Place, ...]

    @property
    def count(self) -> int:
        """How many places there are."""
        return len(self.places)


NO_EDGES = np.zeros((0, 2), np.int64)


def place_of(surface: Surface, triangles: np.ndarray, words: str, edges: np.ndarray = NO_EDGES) -> Place:
    """A place round some triangles, or round edges where there are some."""
    points = surface.points[edges.ravel() if len(edges) else surface.triangles[triangles].ravel()]
    low, high = points.min(axis=0), points.max(axis=0)
    return Place((low + high) / 2, float(np.linalg.norm(high - low)), words, np.asarray(triangles, np.int64), edges)


def groups_of(edges: np.ndarray) -> list[np.ndarray]:
    """Edges (n, 2) that hang together by their ends, as lists of rows."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    if not len(edges):
        return []
    points, ends = np.unique(edges, return_inverse=True)
    ends = ends.reshape(-1, 2)
    graph = coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(len(points), len(points)))
    _, label = connected_components(graph, directed=False)
    of = label[ends[:, 0]]
    order = np.argsort(of, kind="stable")
    return np.split(order, np.nonzero(np.diff(of[order]))[0] + 1)
