"""A surface of triangles with named patches, and the edges between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.geometry.surface import kernels


@dataclass(frozen=True, eq=False)
class Edges:
    """Edges of a surface, each once.

    `ends` (E, 2) are its points, the smaller number first; `of` (T, 3) the edge from each corner of a triangle to
    the next; `uses` (E,) how many triangles have it; `turns` (E,) how many run along it from the smaller number less
    how many run back: nothing where two triangles go round the same way.
    """

    ends: np.ndarray
    of: np.ndarray
    uses: np.ndarray
    turns: np.ndarray

    @cached_property
    def by_edge(self) -> tuple[np.ndarray, np.ndarray]:
        """Triangles of each edge as CSR: (offsets (E+1,), triangles)."""
        flat = self.of.ravel()
        offsets = np.concatenate([[0], np.cumsum(self.uses)])
        return offsets, np.argsort(flat, kind="stable") // 3

    @cached_property
    def pairs(self) -> np.ndarray:
        """The two triangles (n, 2) of every edge that exactly two share."""
        offsets, triangles = self.by_edge
        start = offsets[:-1][self.uses == 2]
        return np.stack([triangles[start], triangles[start + 1]], axis=1)


@dataclass(frozen=True, eq=False)
class Surface:
    """points (P, 3) in m; triangles (T, 3) as point numbers, anticlockwise seen from outside; patch (T,) as an
    index into `patches`. Frozen: an operation gives a new one. `joined` points were made one with others on reading,
    `repeated` triangles that had one corner twice were left out, and so were `empty` groups; `called` are names in a file and the patches that they are."""

    points: np.ndarray
    triangles: np.ndarray
    patch: np.ndarray
    patches: tuple[str, ...]
    joined: int = 0
    repeated: int = 0
    empty: tuple[str, ...] = ()
    called: tuple[tuple[str, str], ...] = ()

    def __post_init__(self) -> None:
        for array in (self.points, self.triangles, self.patch):
            array.setflags(write=False)

    @property
    def count(self) -> int:
        """Number of triangles."""
        return len(self.triangles)

    @cached_property
    def vectors(self) -> np.ndarray:
        """Area vectors (T, 3) in m²."""
        a, b, c = (self.points[self.triangles[:, k]] for k in range(3))
        return np.cross(b - a, c - a) / 2

    @cached_property
    def areas(self) -> np.ndarray:
        """Areas (T,) in m²."""
        return np.linalg.norm(self.vectors, axis=1)

    @property
    def area(self) -> float:
        """In m²."""
        return float(self.areas.sum())

    @cached_property
    def volume(self) -> float:
        """Enclosed volume in m³ by the divergence theorem; of an open surface it depends on where that lies."""
        middle = (self.box[0] + self.box[1]) / 2
        return float(np.einsum("ij,ij->", self.points[self.triangles].mean(axis=1) - middle, self.vectors) / 3)

    @cached_property
    def box(self) -> tuple[np.ndarray, np.ndarray]:
        """Lower and upper corner (3,) of the box round all triangles, in m."""
        used = np.zeros(len(self.points), bool)
        used[self.triangles] = True
        points = self.points[used] if self.count else np.zeros((1, 3))
        return points.min(axis=0), points.max(axis=0)

    @cached_property
    def size(self) -> float:
        """The diagonal of the box in m."""
        return float(np.linalg.norm(self.box[1] - self.box[0]))

    @cached_property
    def edges(self) -> Edges:
        """The edges of all triangles."""
        start, end = self.triangles.ravel(), np.roll(self.triangles, -1, axis=1).ravel()
        low, high = np.minimum(start, end), np.maximum(start, end)
        key = low.astype(np.int64) * len(self.points) + high
        order = np.argsort(key, kind="stable")
        first = np.concatenate([[True], np.diff(key[order]) != 0]) if len(key) else np.zeros(0, bool)
        number = np.empty(len(key), np.int64)
        number[order] = np.cumsum(first) - 1
        ends = np.stack([low[order[first]], high[order[first]]], axis=1)
        count = len(ends)
        turns = np.bincount(number, np.where(start < end, 1.0, -1.0), count).astype(np.int64)
        return Edges(ends, number.reshape(-1, 3), np.bincount(number, minlength=count), turns)

    @property
    def is_closed(self) -> bool:
        """Whether every edge has two triangles that go round the same way."""
        return bool(self.count) and bool(np.all(self.edges.uses == 2)) and not self.edges.turns.any()

    @cached_property
    def shells(self) -> np.ndarray:
        """The shell (T,) of each triangle: those hang together by edges, numbered by their size."""
        offsets, triangles = self.edges.by_edge
        every = np.arange(len(triangles))
        inner = np.ones(len(triangles), bool)
        inner[offsets[:-1]] = False
        near, far = triangles[every[inner] - 1], triangles[every[inner]]
        label = kernels.linked(self.count, near, far)
        rank = np.argsort(-np.bincount(label), kind="stable")
        renumber = np.empty(len(rank), np.int64)
        renumber[rank] = np.arange(len(rank))
        return renumber[label]

    def only(self, chosen: np.ndarray) -> Surface:
        """The triangles of a mask or list, without points that nothing uses; patches stay, empty ones too."""
        return compact(self.points, self.triangles[chosen], self.patch[chosen], self.patches)

    def flipped(self, chosen: np.ndarray) -> Surface:
        """The same with the triangles of a mask the other way round."""
        triangles = self.triangles.copy()
        triangles[chosen] = triangles[chosen][:, ::-1]
        return Surface(self.points, triangles, self.patch, self.patches)

    def placed(self, points: np.ndarray) -> Surface:
        """The same triangles on other points (P, 3)."""
        return Surface(points, self.triangles, self.patch, self.patches)


def compact(points: np.ndarray, triangles: np.ndarray, patch: np.ndarray, patches: tuple[str, ...]) -> Surface:
    """A surface with only the points that its triangles use."""
    used = np.zeros(len(points), bool)
    used[triangles] = True
    renumber = np.cumsum(used) - 1
    return Surface(points[used], renumber[triangles], patch.copy(), patches)


def welded(corners: np.ndarray, patch: np.ndarray, patches: Sequence[str]) -> Surface:
    """A surface from loose triangles (T, 3, 3): corners at exactly the same place are one point."""
    flat = np.ascontiguousarray(corners, float).reshape(-1, 3) + 0.0  # no negative zeros
    number, first = kernels.same_places(flat)
    return Surface(flat[first], number.reshape(-1, 3), np.asarray(patch, np.int64), tuple(patches))


def surface_of(points: np.ndarray, triangles: np.ndarray, patch: np.ndarray, patches: Sequence[str]) -> Surface:
    """A surface from indexed triangles, points at the same place made one."""
    points = np.ascontiguousarray(points, float).reshape(-1, 3)
    return welded(points[np.asarray(triangles, np.int64).reshape(-1, 3)], patch, patches)
