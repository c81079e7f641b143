"""Which boxes water fills from a point, without passing where triangles are or where it is too narrow."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.sparse import coo_matrix, csr_matrix
from scipy.sparse.csgraph import breadth_first_order, connected_components, minimum_spanning_tree

from brook.core.geometry.nearest import Nearest
from brook.core.mesh.boxes.keeping import leaves_round
from brook.core.mesh.boxes.octree import MeshError, Octree

TOLD = 8  # rings of boxes round the surface in which the way of a leak is measured


class Leak(MeshError):
    """Water reaches where it must not: `path` (n, 3) in m from the wet point, the narrowest place on it, its width."""

    def __init__(self, path: np.ndarray, place: np.ndarray, width: float):
        super().__init__(
            f"the fluid leaks out through a hole about {1000 * width:.3g} mm wide at "
            f"({', '.join(f'{1000 * v:.4g}' for v in place)}) mm; close it, or let the wrap close holes that wide"
        )
        self.path, self.place, self.width = path, place, width

    @property
    def more(self) -> dict[str, Any]:
        """What a page draws of it."""
        return {"leak": {"path": self.path.tolist(), "at": self.place.tolist(), "width": self.width}}


def flooded(octree: Octree, tree: Nearest, wet: np.ndarray | None, closes: float) -> tuple[np.ndarray, np.ndarray]:
    """The leaves (n,) that water fills, and the distance (n,) of their middles from the surface, infinity far away.

    From a wet point (3,) it must not reach the end of the grid, else it comes from there. Holes up to `closes` m wide
    hold it back: it only goes where it is that wide, and then to the walls again. Raises `MeshError`, `Leak`.
    """
    leaf, _, other = octree.pairs
    known = other >= 0
    one, two = leaf[known], other[known]
    rings = int(np.ceil(closes / 2 / octree.size.min())) + 1 if closes else 0
    far = _distances(octree, tree, one, two, rings)
    free = ~octree.touched
    wide = free & (far >= closes / 2)
    at_end = (octree.beside == -1).any(axis=1)
    if wet is None:
        begin = np.nonzero(at_end & wide)[0][:1]
    else:
        begin = leaves_round(octree, wet)
        begin = begin[wide[begin]]
    if not len(begin):
        raise MeshError(
            "the wet point lies on a wall or where it is narrower than the holes to be closed; move it, or choose "
            "smaller triangles"
        )
    both = wide[one] & wide[two]
    links = _links(one[both], two[both], octree.count)
    _, part = connected_components(links, directed=False)
    filled = wide & (part == part[begin[0]])
    if wet is not None and (filled & at_end).any():
        far = _distances(octree, tree, one, two, max(rings, TOLD))
        far[np.isinf(far)] = TOLD * octree.size[np.isinf(far)]
        raise _leak(octree, links, int(begin[0]), filled & at_end, far)
    for _ in range(int(np.ceil(closes / 2 / octree.size.min())) + 1 if closes else 0):
        grown = filled.copy()
        grown[two[filled[one] & free[two]]] = True
        grown[one[filled[two] & free[one]]] = True
        if (grown == filled).all():
            break
        filled = grown
    return filled, far


def _distances(octree: Octree, tree: Nearest, one: np.ndarray, two: np.ndarray, rings: int) -> np.ndarray:
    """The distance (n,) of leaves' middles from the surface where they are within some rings of it, infinity beyond."""
    near = octree.touched.copy()
    for _ in range(rings):
        grown = near.copy()
        grown[two[near[one]]] = True
        grown[one[near[two]]] = True
        near = grown
    far = np.full(octree.count, np.inf)
    place, _ = tree.find(octree.centre[near])
    far[near] = np.linalg.norm(place - octree.centre[near], axis=1)
    return far


def seen(octree: Octree, tree: Nearest, filled: np.ndarray) -> np.ndarray:
    """Leaves that meet the surface whose middles are seen from the middle of a filled neighbour."""
    leaf, _, other = octree.pairs
    known = other >= 0
    one, two = leaf[known], other[known]
    pairs = np.concatenate([np.stack([one, two], axis=1), np.stack([two, one], axis=1)])
    pairs = pairs[filled[pairs[:, 0]] & octree.touched[pairs[:, 1]]]
    start, end = octree.centre[pairs[:, 0]], octree.centre[pairs[:, 1]]
    way = end - start
    length = np.linalg.norm(way, axis=1)
    free, _ = tree.seen(start, way / length[:, None], float(length.max(initial=0.0)))
    found = np.zeros(octree.count, bool)
    found[pairs[free > length, 1]] = True
    return found


def _links(one: np.ndarray, two: np.ndarray, count: int) -> csr_matrix:
    return coo_matrix((np.ones(len(one)), (one, two)), shape=(count, count)).tocsr()


def _leak(octree: Octree, links: csr_matrix, begin: int, end: np.ndarray, far: np.ndarray) -> Leak:
    """The widest way out, and where it is narrowest: the way along the tree that spans all boxes over the widest links."""
    one, two = links.nonzero()
    room = np.minimum(far[one], far[two])
    weight = coo_matrix((2 * float(far.max()) - room, (one, two)), shape=links.shape)
    order, before = breadth_first_order(minimum_spanning_tree(weight.tocsr()), begin, directed=False)
    least = np.zeros(octree.count)
    least[begin] = far[begin]
    for leaf in order[1:]:
        least[leaf] = min(least[before[leaf]], far[leaf])
    here = int(np.argmax(np.where(end, least, -1.0)))
    path = [here]
    while here != begin:
        here = int(before[here])
        path.append(here)
    way = np.array(path[::-1])
    narrow = int(way[np.argmin(far[way])])
    return Leak(octree.centre[way], octree.centre[narrow], float(2 * far[narrow]))
