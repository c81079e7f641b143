"""Sizes of boxes that follow a solution: finer where a quantity bends most, coarser where least, about as many as wished."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

import numpy as np
from scipy.spatial import cKDTree

from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.octree import Octree, Zone
from brook.core.mesh.polyhedral import Mesh

BESIDE = 0.51  # of a box: so far from its middle are places in it
TRIES = 12  # how often a share that is halved is tried
NEAR = 0.03  # to the wished number of cells, as a share of it, is near enough
Where = Literal["everywhere", "zones", "outside"]


@dataclass(frozen=True, eq=False)
class Spots:
    """All boxes in which one of some places (n, 3) lies; of a sheet (n, 2), those that stand on its floor at z = 0."""

    places: np.ndarray

    def test(self, _: Surface) -> Zone:
        """What tells which boxes hold one."""
        tree, axes = cKDTree(self.places), self.places.shape[1]

        def reached(middle: np.ndarray, half: float) -> np.ndarray:
            side = half / np.sqrt(3) * (1 + 1e-9)
            away, _ = tree.query(middle[:, :axes], p=np.inf, distance_upper_bound=side)
            return np.isfinite(away) & (middle[:, axes:] < side).all(axis=1)

        return reached


@dataclass(frozen=True, eq=False)
class Following:
    """Boxes of a mesh that a run was made on: their places (n, 3), of a plane mesh (n, 2), and sizes (n,) in m, and as a power of two by how
    much they are too large (n,), but for a number that is the same for all, not a number where they stay as they were; how many cells of layers
    stood `over` each (n,); how many `cells` the mesh is to have with these, and the smallest size in m. Boxes change `where` zones of the
    plan are, or are not."""

    places: np.ndarray
    sizes: np.ndarray
    excess: np.ndarray
    over: np.ndarray
    cells: int
    least: float
    where: Where = "everywhere"

    def zones(self, shift: float | None = None) -> tuple[tuple[float, Spots], ...]:
        """Zones of boxes, one for each size: those that are too large by more than half a power with a `shift` are halved, those too small
        by as much are joined where all their neighbours in the larger one may be. None: all as they were."""
        change = np.zeros(len(self.sizes), np.int64)
        if shift is not None:
            change = np.clip(np.round(np.nan_to_num(self.excess + shift)), -1, 1).astype(np.int64)
            change[(change > 0) & (self.sizes / 2 < self.least)] = 0
        size = self.sizes / 2.0**change
        return tuple((float(one), Spots(self.places[size == one])) for one in np.unique(size))

    def within(self, octree: Octree) -> float:
        """How many cells come of the boxes that stand where the mesh was: of one half as large as there was four of eight have as many layers
        over them as that had."""
        axes = self.places.shape[1]
        centre, size = octree.centre, octree.size
        if axes < 3:
            floor = octree.at[:, 2] == 0
            centre, size = centre[floor, :axes], size[floor]
        away, nearest = cKDTree(self.places).query(centre, p=np.inf, workers=-1)
        here = away < BESIDE * np.maximum(size, self.sizes[nearest])
        place = nearest[here]
        return float((1 + self.over[place] * size[here] / self.sizes[place]).sum())

    def bound(self, zones: Sequence[Zone]) -> Following:
        """The same that changes boxes only where its statement says, of zones of the plan by their tests."""
        if self.where == "everywhere":
            return self
        places = np.zeros((len(self.places), 3))
        places[:, : self.places.shape[1]] = self.places
        within = np.zeros(len(places), bool)
        for test in zones:
            within |= test(places, 0.0)
        return replace(self, excess=np.where(within == (self.where == "zones"), self.excess, np.nan))

    def pressed(self, by: np.ndarray) -> Following:
        """The same in a space that is pressed together along each axis by so much (3,), which boxes were before they were stretched."""
        return replace(self, places=self.places / by[: self.places.shape[1]])

    def fitted(self, boxes: Callable[[tuple[tuple[float, Spots], ...]], Octree]) -> tuple[tuple[float, Spots], ...]:
        """The zones with which there are about as many cells as wished, or as near as halving and joining once comes; `boxes` makes those
        that come of zones."""
        best, far = self.zones(), np.inf
        if np.isnan(self.excess).all():
            return best
        low, high = -float(np.nanmax(self.excess)) - 1.0, 1.0 - float(np.nanmin(self.excess))
        for _ in range(TRIES):
            middle = (low + high) / 2
            zones = self.zones(middle)
            count = self.within(boxes(zones))
            if abs(np.log(count / self.cells)) < far:
                best, far = zones, abs(float(np.log(count / self.cells)))
            if far < NEAR:
                break
            low, high = (low, middle) if count > self.cells else (middle, high)
        return best

    def save(self, path: Path) -> None:
        """Writes a file that `load` reads."""
        np.savez_compressed(
            path, places=self.places.astype(np.float32), sizes=self.sizes, excess=self.excess.astype(np.float32),
            over=self.over.astype(np.float32), told=np.array([self.cells, self.least]),
        )  # fmt: skip

    @classmethod
    def load(cls, path: Path) -> Following:
        """Raises `OSError`, `ValueError` or `KeyError` for a file that is none."""
        with np.load(path, allow_pickle=False) as file:
            cells, least = (float(v) for v in file["told"])
            return cls(
                file["places"].astype(float), file["sizes"].astype(float), file["excess"].astype(float),
                file["over"].astype(float), int(cells), least,
            )  # fmt: skip


def following(
    mesh: Mesh, bend: np.ndarray, bulk: float, least: float, cells: int, stretch: Sequence[float] = (1.0, 1.0, 1.0)
) -> Following:
    """What a run on a mesh of boxes asks for, the largest of them `bulk`, where a quantity's second derivative is `bend` (C,): h²·bend tells
    how far it leaves a straight line within a cell of size h, and is as good as its error there. Where boxes are `stretch` times as long along
    each axis, h is that before they were stretched.

    Of all meshes of N cells the sum of errors is least where h⁵·bend is the same everywhere: the sum of h²·bend·V is to be least while that of
    V/h³ is N; of a plane mesh that of A/h², so h⁴·bend. Layers along walls go with the boxes that they stand at. Bodies in which nothing bends
    are left as they were.
    """
    axes = 2 if mesh.is_plane else 3
    core = np.nonzero(mesh.layer == 0)[0]
    low, high = mesh.cell_box
    sides = ((high - low) / np.asarray(stretch))[core, :axes]
    size = bulk / 2.0 ** np.round(np.log2(bulk / sides.max(axis=1)))
    most = np.zeros(len(mesh.bodies))
    np.maximum.at(most, mesh.body, bend)
    floor = 1e-12 * max(float(most.max()), 1e-300)
    excess = np.log2(size * np.maximum(bend[core], floor) ** (1 / (axes + 2)))
    excess[most[mesh.body[core]] <= floor] = np.nan
    if not np.isnan(excess).all():
        excess -= np.nanmedian(excess)
    _, under = cKDTree(mesh.centre[core]).query(mesh.centre[mesh.layer > 0])
    over = np.bincount(under, minlength=len(core)).astype(float)
    return Following(mesh.centre[core, :axes], size, excess, over, cells, least)
