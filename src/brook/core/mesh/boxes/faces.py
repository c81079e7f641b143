"""Sides of kept boxes as polygons: with the points that finer neighbours put on their edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh.boxes import kernels
from brook.core.mesh.boxes.octree import Octree


@dataclass(frozen=True, eq=False)
class Skin:
    """The outer sides of kept boxes: polygons (n, 8) of nodes, -1 behind the last; how many corners; whose they are."""

    polygon: np.ndarray
    corners: np.ndarray
    leaf: np.ndarray
    node_count: int

    @property
    def edges(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Start, end and face (m,) of every edge."""
        return polygon_edges(self.polygon, self.corners)


def polygon_edges(polygon: np.ndarray, corners: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    face, place = np.nonzero(polygon >= 0)
    after = np.where(place + 1 < corners[face], place + 1, 0)
    return polygon[face, place], polygon[face, after], face


def outer_sides(octree: Octree, inside: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Leaf whose side makes the polygon, its direction, the leaf inside, and whether the polygon looks out of that."""
    leaf, direction, other = octree.pairs
    there = np.where(other >= 0, inside[np.maximum(other, 0)], False)
    chosen = inside[leaf] != there
    mine = inside[leaf[chosen]]
    return leaf[chosen], direction[chosen], np.where(mine, leaf[chosen], other[chosen]), mine


def skin_of(octree: Octree, inside: np.ndarray) -> Skin:
    leaf, direction, owner, outward = outer_sides(octree, inside)
    key = kernels.quads(leaf, direction, octree.at, octree.side)
    key[~outward] = key[~outward][:, ::-1]
    nodes = np.unique(key)
    polygon, corners = kernels.polygons(key, nodes)
    return Skin(polygon, corners, owner, len(nodes))


@dataclass(frozen=True, eq=False)
class Frame:
    """Kept boxes as a polyhedral mesh that does not fit the shape yet.

    points (P, 3) in m; polygon (F, 8) of points and how many corners; owner (F,) and neighbour (F,), -1 at the skin,
    which comes last; size (C,) is the side of each cell in m.
    """

    points: np.ndarray
    polygon: np.ndarray
    corners: np.ndarray
    owner: np.ndarray
    neighbour: np.ndarray
    size: np.ndarray

    @property
    def inner_count(self) -> int:
        return int((self.neighbour >= 0).sum())


def frame_of(octree: Octree, inside: np.ndarray) -> Frame:
    """Cells in the order of the leaves; faces by owner then neighbour, those of the skin behind them."""
    cell = np.cumsum(inside) - 1
    leaf, direction, other = octree.pairs
    there = np.where(other >= 0, inside[np.maximum(other, 0)], False)
    used = inside[leaf] | there
    leaf, direction, other, there = leaf[used], direction[used], other[used], there[used]
    here = inside[leaf]
    both = here & there
    key = kernels.quads(leaf, direction, octree.at, octree.side)
    mine, theirs = cell[leaf], cell[np.maximum(other, 0)]
    # normals look from the owner, the lower number, to the neighbour, or out
    turned = (both & (theirs < mine)) | (~here & there)
    key[turned] = key[turned][:, ::-1]
    owner = np.where(both, np.minimum(mine, theirs), np.where(here, mine, theirs))
    neighbour = np.where(both, np.maximum(mine, theirs), -1)
    order = np.lexsort((neighbour, owner, neighbour < 0))
    key, owner, neighbour = key[order], owner[order], neighbour[order]
    nodes = np.unique(key)
    polygon, corners = kernels.polygons(key, nodes)
    one = (1 << kernels.WIDE) - 1
    at = np.stack([nodes & one, nodes >> kernels.WIDE & one, nodes >> (2 * kernels.WIDE)], axis=1)
    points = octree.grid.start + octree.grid.unit * at
    return Frame(points, polygon, corners, owner, neighbour, octree.size[inside])
