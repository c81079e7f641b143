"""Nearest places on triangles and lines, by a tree of boxes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.geometry.findings import kernels as trees
from brook.core.geometry.nearest import kernels
from brook.core.geometry.surface import Surface

EVERY = -1


@dataclass(frozen=True, eq=False)
class Nearest:
    """Triangles by their corners (n, 3, 3), each with a label (n,); lines are triangles whose last corners are one.

    The tree is a complete binary one over triangles sorted along a curve that keeps near ones together.
    """

    corners: np.ndarray
    label: np.ndarray
    number: np.ndarray
    boxes: np.ndarray
    leaves: int

    @classmethod
    def of(cls, corners: np.ndarray, label: np.ndarray) -> Nearest:
        """A tree over triangles by their corners (n, 3, 3) in m, with a label (n,) each."""
        corners = np.ascontiguousarray(corners, float)
        low, high = corners.min(axis=1), corners.max(axis=1)
        start = low.min(axis=0)
        span = float((high.max(axis=0) - start).max()) or 1.0
        order = np.argsort(trees.morton((low + high) / 2, start, (2**21 - 1) / span), kind="stable")
        leaves = 1
        while leaves * trees.LEAF < len(corners):
            leaves *= 2
        boxes = trees.tree_boxes(low, high, order, leaves)
        return cls(corners[order], np.ascontiguousarray(label[order], np.int64), order, boxes, leaves)

    def find(
        self, places: np.ndarray, label: np.ndarray | int = EVERY, hint: np.ndarray | None = None
    ) -> tuple[np.ndarray, np.ndarray]:
        """Nearest places (n, 3) to some, and the triangle (n,) each lies on (-1 when there is none of its label).

        `label` (n,) or one number says on which triangles to look, `EVERY` on all. `hint` (n,) are triangles known to be near, -1 for none:
        what is found is the same, sooner.
        """
        places = np.ascontiguousarray(places, float).reshape(-1, 3)
        wanted = np.array(np.broadcast_to(label, len(places)), np.int64)
        near = np.zeros(0, np.int64) if hint is None else np.where(hint >= 0, self._place[hint], -1)
        found, triangle = kernels.nearest(places, wanted, near, self.corners, self.label, self.boxes, self.leaves)
        return found, np.where(triangle >= 0, self.number[triangle], -1)

    @cached_property
    def _place(self) -> np.ndarray:
        """Where each triangle (n,) stands along the curve."""
        place = np.empty(len(self.number), np.int64)
        place[self.number] = np.arange(len(self.number))
        return place

    def labels_near(
        self, places: np.ndarray, reach: np.ndarray, most: int = 8
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The labels (n, most) within reach (n,) of places, nearest first, -1 for none; how far they are (n, most);
        and the triangle (n, most) that is nearest of each."""
        places = np.ascontiguousarray(places, float).reshape(-1, 3)
        label, far, triangle = kernels.labels_near(
            places, np.ascontiguousarray(reach, float), self.corners, self.label, self.boxes, self.leaves, most
        )
        return label, far, np.where(triangle >= 0, self.number[triangle], -1)

    def seen(self, places: np.ndarray, ways: np.ndarray, reach: float = np.inf) -> tuple[np.ndarray, np.ndarray]:
        """How far (n,) it is from places (n, 3) along unit ways (n, 3) to the first triangle within reach, and which (n,) it is, infinity
        and -1 for none."""
        places, ways = np.ascontiguousarray(places, float), np.ascontiguousarray(ways, float)
        far, triangle = kernels.along(places, ways, float(reach), self.corners, self.boxes, self.leaves)
        return far, np.where(triangle >= 0, self.number[triangle], -1)


@dataclass(frozen=True, eq=False)
class Sides:
    """Tells inside from outside of a closed surface by its nearest place and the pseudonormal there.

    Bærentzen & Aanæs (2005): angle-weighted at corners, the sum of both triangles' at edges.
    """

    surface: Surface
    tree: Nearest
    normal: np.ndarray
    edge_normal: np.ndarray
    point_normal: np.ndarray

    @classmethod
    def of(cls, surface: Surface) -> Sides:
        """For a closed surface."""
        corners = surface.points[surface.triangles]
        normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
        edges = surface.edges
        at_edges = np.zeros((len(edges.ends), 3))
        for i in range(3):
            np.add.at(at_edges, edges.of[:, i], normal)
        at_points = np.zeros((len(surface.points), 3))
        for i in range(3):
            u, v = corners[:, (i + 1) % 3] - corners[:, i], corners[:, (i + 2) % 3] - corners[:, i]
            across = np.linalg.norm(np.cross(u, v), axis=1)
            angle = np.arctan2(across, np.einsum("ij,ij->i", u, v))
            np.add.at(at_points, surface.triangles[:, i], angle[:, None] * normal)
        return cls(surface, Nearest.of(corners, np.zeros(surface.count, np.int64)), normal, at_edges, at_points)

    def distance(self, places: np.ndarray) -> np.ndarray:
        """Distances (n,) in m to the surface, negative inside."""
        places = np.ascontiguousarray(places, float).reshape(-1, 3)
        found, triangle = self.tree.find(places)
        return kernels.signed(
            places, found, triangle, self.surface.points, self.surface.triangles, self.surface.edges.of,
            self.normal, self.edge_normal, self.point_normal,
        )  # fmt: skip
