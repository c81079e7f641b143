"""Sides of kept boxes as polygons: with the points that finer neighbours put on their edges."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from brook.core.mesh.boxes import kernels
from brook.core.mesh.boxes.octree import Octree
from brook.core.mesh.ordering import distinct, order_by


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
    """Of polygons (n, 4) with so many `corners` (n,): both ends (m,) of each edge, and its polygon (m,)."""
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


def _quads(octree: Octree, leaf: np.ndarray, direction: np.ndarray, turned: np.ndarray) -> np.ndarray:
    """Keys (n, 4) of the corners of sides, those `turned` (n,) the other way round; in a sheet all upper ones are at one height."""
    key = kernels.quads(leaf, direction, octree.at, octree.side, turned)
    if octree.flat:
        high = 2 * kernels.WIDE
        key = key & ((1 << high) - 1) | np.where(key >> high > 0, 1, 0) << high
    return key


def skin_of(octree: Octree, inside: np.ndarray) -> Skin:
    """The outer faces of boxes that are `inside`."""
    leaf, direction, owner, outward = outer_sides(octree, inside)
    key = _quads(octree, leaf, direction, ~outward)
    nodes = distinct(key)
    polygon, corners = kernels.polygons(key, nodes)
    return Skin(polygon, corners, owner, len(nodes))


@dataclass(frozen=True, eq=False)
class Frame:
    """Kept boxes as a polyhedral mesh that does not fit the shape yet.

    points (P, 3) in m; polygon (F, 8) of points and how many corners; owner (F,) and neighbour (F,), -1 at the skin;
    size (C,) is the side of each cell in m; body (C,) the body of each. Behind the faces within bodies, `within` in
    number, stand those between two bodies and then the skin: these are fitted. One of them looks out of the body with
    the lower number where `looks` (F - within,) is 1, else the other way. Those marked in `lid` (F - within,) are the
    floor and the lid of a sheet; nothing is marked where there is none.
    """

    points: np.ndarray
    polygon: np.ndarray
    corners: np.ndarray
    owner: np.ndarray
    neighbour: np.ndarray
    size: np.ndarray
    body: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int64))
    within: int = 0
    looks: np.ndarray = field(default_factory=lambda: np.ones(0))
    lid: np.ndarray = field(default_factory=lambda: np.zeros(0, bool))

    @cached_property
    def flat(self) -> np.ndarray:
        """The points of all polygons in a row, for `offsets`."""
        found: np.ndarray = self.polygon[self.polygon >= 0]
        return found

    @cached_property
    def offsets(self) -> np.ndarray:
        """Where each polygon begins in `flat` (F + 1,)."""
        return np.concatenate([[0], np.cumsum(self.corners)])


def frame_of(
    octree: Octree, inside: np.ndarray, body: np.ndarray | None = None, parted: np.ndarray | None = None
) -> Frame:
    """Cells in the order of the leaves; faces by owner then neighbour. `body` (leaves,) numbers bodies, all 0 if None. Pairs of leaves
    marked in `parted` (pairs,) have a wall between them though they are of one body."""
    cell = np.cumsum(inside) - 1
    leaf, direction, other = octree.pairs
    if octree.flat:
        lids = np.nonzero(inside)[0]
        leaf = np.concatenate([leaf, lids, lids])
        direction = np.concatenate([direction, np.full(len(lids), 4), np.full(len(lids), 5)])
        other = np.concatenate([other, np.full(2 * len(lids), -1)])
    there = np.where(other >= 0, inside[np.maximum(other, 0)], False)
    used = inside[leaf] | there
    leaf, direction, other, there = leaf[used], direction[used], other[used], there[used]
    here = inside[leaf]
    both = here & there
    mine, theirs = cell[leaf], cell[np.maximum(other, 0)]
    # normals look from the owner, the lower number, to the neighbour, or out
    turned = (both & (theirs < mine)) | (~here & there)
    owner = np.where(both, np.minimum(mine, theirs), np.where(here, mine, theirs))
    neighbour = np.where(both, np.maximum(mine, theirs), -1)
    of = np.zeros(int(inside.sum()), np.int64) if body is None else body[inside]
    between = (neighbour >= 0) & (of[owner] != of[np.maximum(neighbour, 0)])
    if parted is not None:
        between |= parted[used]
    order = order_by(neighbour < 0, between, owner, neighbour)
    is_lid = direction[order] >= 4 if octree.flat else np.zeros(0, bool)
    key = _quads(octree, leaf[order], direction[order], turned[order])
    owner, neighbour = owner[order], neighbour[order]
    nodes = distinct(key)
    polygon, corners = kernels.polygons(key, nodes)
    one = (1 << kernels.WIDE) - 1
    at = np.stack([nodes & one, nodes >> kernels.WIDE & one, nodes >> (2 * kernels.WIDE)], axis=1)
    points = octree.grid.start + octree.grid.unit * at
    within = int(((neighbour >= 0) & ~between[order]).sum())
    there = neighbour[within:]
    looks = np.where((there >= 0) & (of[np.maximum(there, 0)] < of[owner[within:]]), -1.0, 1.0)
    lid = is_lid[within:] if octree.flat else np.zeros(0, bool)
    return Frame(points, polygon, corners, owner, neighbour, octree.size[inside], of, within, looks, lid)
