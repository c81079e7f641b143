"""Sizes of boxes that follow a solution: finer where a quantity bends most, coarser where least, about as many as wished."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.octree import Octree, Zone
from brook.core.mesh.polyhedral import Mesh

BESIDE = 0.51  # of a box: so far from its middle are places in it
TRIES = 12  # how often a share that is halved is tried
NEAR = 0.03  # to the wished number of cells, as a share of it, is near enough


@dataclass(frozen=True, eq=False)
class Spots:
    """All boxes in which one of some places (n, 3) lies."""

    places: np.ndarray

    def test(self, _: Surface) -> Zone:
        """What tells which boxes hold one."""
        tree = cKDTree(self.places)

        def reached(middle: np.ndarray, half: float) -> np.ndarray:
            away, _ = tree.query(middle, p=np.inf, distance_upper_bound=half / np.sqrt(3) * (1 + 1e-9))
            found: np.ndarray = np.isfinite(away)
            return found

        return reached


@dataclass(frozen=True, eq=False)
class Following:
    """Boxes of a mesh that a run was made on: their places (n, 3) and sizes (n,) in m, and as a power of two by how much they are too large
    (n,), but for a number that is the same for all; how many `cells` the mesh had with its layers, how many it is to have, and the smallest size in m."""

    places: np.ndarray
    sizes: np.ndarray
    excess: np.ndarray
    before: int
    cells: int
    least: float

    def zones(self, shift: float | None = None) -> tuple[tuple[float, Spots], ...]:
        """Zones of boxes, one for each size: those that are too large by more than half a power with a `shift` are halved, those too small
        by as much are joined where all their neighbours in the larger one may be. None: all as they were."""
        change = np.zeros(len(self.sizes), np.int64)
        if shift is not None:
            change = np.clip(np.round(self.excess + shift), -1, 1).astype(np.int64)
            change[(change > 0) & (self.sizes / 2 < self.least)] = 0
        size = self.sizes / 2.0**change
        return tuple((float(one), Spots(self.places[size == one])) for one in np.unique(size))

    def within(self, octree: Octree) -> int:
        """How many boxes stand where the mesh was."""
        away, nearest = cKDTree(self.places).query(octree.centre, p=np.inf, workers=-1)
        return int((away < BESIDE * np.maximum(octree.size, self.sizes[nearest])).sum())

    def fitted(self, boxes: Callable[[tuple[tuple[float, Spots], ...]], Octree]) -> tuple[tuple[float, Spots], ...]:
        """The zones with which there are about as many cells as wished, or as near as halving and joining once comes; `boxes` makes those
        that come of zones."""
        wished = self.cells / self.before * self.within(boxes(self.zones()))
        low, high = -float(self.excess.max()) - 1.0, 1.0 - float(self.excess.min())
        best, far = self.zones(), np.inf
        for _ in range(TRIES):
            middle = (low + high) / 2
            zones = self.zones(middle)
            count = self.within(boxes(zones))
            if abs(np.log(count / wished)) < far:
                best, far = zones, abs(float(np.log(count / wished)))
            if far < NEAR:
                break
            low, high = (low, middle) if count > wished else (middle, high)
        return best

    def save(self, path: Path) -> None:
        """Writes a file that `load` reads."""
        np.savez_compressed(
            path, places=self.places.astype(np.float32), sizes=self.sizes, excess=self.excess.astype(np.float32),
            told=np.array([self.before, self.cells, self.least]),
        )  # fmt: skip

    @classmethod
    def load(cls, path: Path) -> Following:
        """Raises `OSError`, `ValueError` or `KeyError` for a file that is none."""
        with np.load(path, allow_pickle=False) as file:
            before, cells, least = (float(v) for v in file["told"])
            return cls(
                file["places"].astype(float), file["sizes"].astype(float), file["excess"].astype(float),
                int(before), int(cells), least,
            )  # fmt: skip


def following(mesh: Mesh, bend: np.ndarray, bulk: float, least: float, cells: int) -> Following:
    """What a run on a mesh of boxes asks for, the largest of them `bulk`, where a quantity's second derivative is `bend` (C,): h²·bend tells
    how far it leaves a straight line within a cell of size h, and is as good as its error there.

    Of all meshes of N cells the sum of errors is least where h⁵·bend is the same everywhere: the sum of h²·bend·V is to be least while that of
    V/h³ is N. Layers along walls go with the boxes that they stand at.
    """
    core = np.nonzero(mesh.layer == 0)[0]
    low, high = mesh.cell_box
    size = bulk / 2.0 ** np.round(np.log2(bulk / (high - low).max(axis=1)[core]))
    floor = 1e-12 * max(float(bend.max(initial=0.0)), 1e-300)
    excess = np.log2(size * np.maximum(bend[core], floor) ** 0.2)
    return Following(mesh.centre[core], size, excess - np.median(excess), mesh.cell_count, cells, least)
