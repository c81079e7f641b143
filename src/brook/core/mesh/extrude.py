"""A plane mesh, one cell thick, from cells drawn as polygons."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh.ordering import order_by
from brook.core.mesh.polyhedral import PLANE_SIDES, Mesh, Patch


@dataclass(frozen=True, eq=False)
class Polygons:
    """Cells as closed anticlockwise loops of points.

    `points` (P, 2) in m; `corners` (n,) and `offsets` (C+1,) the loops as CSR; `patch` (n,) the patch number of
    the edge from each corner to the next, -1 for edges that two cells share.
    """

    points: np.ndarray
    corners: np.ndarray
    offsets: np.ndarray
    patch: np.ndarray

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.offsets) - 1


def following(offsets: np.ndarray) -> np.ndarray:
    """The place (n,) of the corner after each one in its loop."""
    after = np.arange(1, offsets[-1] + 1)
    after[offsets[1:] - 1] = offsets[:-1]
    return after


def extruded(cells: Polygons, patches: tuple[str, ...], body: str, depth: float) -> Mesh:
    """The mesh of a slice `depth` m thick. Raises `ValueError` when edges do not fit each other."""
    number = np.repeat(np.arange(cells.count), np.diff(cells.offsets))
    start, end = cells.corners, cells.corners[following(cells.offsets)]
    inner = np.nonzero(cells.patch < 0)[0]
    low, high = np.minimum(start[inner], end[inner]), np.maximum(start[inner], end[inner])
    order = order_by(low, high, number[inner])
    one, other = inner[order[0::2]], inner[order[1::2]]
    if len(inner) % 2 or np.any(start[one] != end[other]) or np.any(end[one] != start[other]):
        raise ValueError("neighbouring cells do not share their edges")
    sorting = order_by(number[one], number[other])
    one, other = one[sorting], other[sorting]
    boundary = [np.nonzero(cells.patch == k)[0] for k in range(len(patches))]
    edges = np.concatenate([one, *boundary])
    used = np.zeros(len(cells.points), bool)
    used[cells.corners] = True
    renumber = np.cumsum(used) - 1
    layer = int(used.sum())
    flat = np.zeros((layer, 3))
    flat[:, :2] = cells.points[used]
    a, b = renumber[start[edges]], renumber[end[edges]]
    # the fluid lies on the left of an edge, so this order makes the normal point away from its cell
    upright = np.stack([a, b, b + layer, a + layer], axis=1).ravel()
    front = renumber[cells.corners]
    counts = np.diff(cells.offsets)
    within = np.arange(cells.offsets[-1]) - np.repeat(cells.offsets[:-1], counts)
    back = front[np.repeat(cells.offsets[:-1], counts) + (-within) % np.repeat(counts, counts)]
    face_offsets = np.concatenate([[0], np.cumsum(np.concatenate([np.full(len(edges), 4), counts, counts]))])
    every = np.arange(cells.count)
    ends = len(one) + np.cumsum([0, *(len(k) for k in boundary), 2 * cells.count])
    return Mesh(
        points=np.concatenate([flat, flat + np.array([0.0, 0.0, depth])]),
        face_points=np.concatenate([upright, back, front + layer]),
        face_offsets=face_offsets.astype(np.int64),
        owner=np.concatenate([number[edges], every, every]),
        neighbour=number[other],
        patches=tuple(Patch(n, int(p), int(q)) for n, p, q in zip((*patches, PLANE_SIDES), ends, ends[1:], strict=False)),
        bodies=(body,),
        body=np.zeros(cells.count, np.int64),
    )  # fmt: skip
