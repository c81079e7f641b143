"""Lines of plane meshes: through every straight edge of the shape, graded between.

Cells are at most `bulk` large and `wall` large at walls; away from a wall the size may grow
by `growth` from one cell to the next, which makes it grow linearly with the distance. Where
a wall runs askew or bent, cells are small over its whole extent in both directions.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np

from brook.core.geometry.plane import PlaneShape
from brook.core.mesh.cells import cells_on
from brook.core.mesh.polyhedral import Mesh
from brook.core.study import Problem, Resolved
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
MAX_CELLS = 2_000_000
# At the peak of a run, above the 1600 B of `brook bench`; and about the time of the demo runs (12.7 s, 6268 cells).
BYTES_PER_CELL = 2600
SECONDS_PER_CELL = 2e-3


@dataclass(frozen=True)
class Estimate:
    """What a mesh would cost: cells, bytes while running, seconds of a typical run."""

    cells: int

    @property
    def memory(self) -> float:
        """Bytes that the mesh and a run on it take."""
        return self.cells * BYTES_PER_CELL

    @property
    def seconds(self) -> float:
        """Seconds of computing."""
        return self.cells * SECONDS_PER_CELL


def estimate(shape: PlaneShape, plan: Resolved) -> Estimate:
    """The count of cells, without building the lines; exact for shapes whose edges all run along lines."""
    return _estimate(shape, plan.bulk, plan.wall, plan.growth)


@lru_cache(maxsize=512)
def _estimate(shape: PlaneShape, bulk: float, wall: float, growth: float) -> Estimate:
    plan = Resolved(bulk=bulk, wall=wall, growth=growth)
    x, y, share = shape.samples
    columns = _spread(shape.x, shape.walls(0), plan, x)
    rows = _spread(shape.y, shape.walls(1), plan, y)
    return Estimate(round(float((np.outer(rows, columns) * share).sum())))


def plan_problems(plan: Resolved, shapes: list[PlaneShape], path: str) -> list[Problem]:
    """What is wrong with a mesh plan for these shapes."""
    if plan.bulk is None or plan.wall is None or plan.growth is None:
        return []
    if plan.growth <= 1.0:
        return [Problem(f"{path}/growth", "cells have to grow: write a number over 1, for example 1.2")]
    if plan.growth > 5.0:
        return [Problem(f"{path}/growth", "each cell may be at most 5 times the one before; write for example 1.2")]
    if plan.wall > plan.bulk:
        wall, bulk = show(plan.wall, LENGTH, given=True), show(plan.bulk, LENGTH, given=True)
        return [Problem(f"{path}/wall", f"cells at walls ({wall}) may not be larger than in the bulk ({bulk})")]
    largest = max((estimate(s, plan).cells for s in shapes), default=0)
    if largest > MAX_CELLS:
        field = "wall" if _without_walls(shapes, plan) < 0.5 * largest else "bulk"
        message = (
            f"this would make {largest / 1e6:.3g} million cells and need {largest * BYTES_PER_CELL / 1e9:.3g} GB; "
            f"at most {MAX_CELLS / 1e6:g} million are built here. Choose larger cells"
        )
        return [Problem(f"{path}/{field}", message)]
    return []


def _without_walls(shapes: list[PlaneShape], plan: Resolved) -> int:
    bulk_only = Resolved(bulk=plan.bulk, wall=plan.bulk, growth=plan.growth)
    return max(estimate(s, bulk_only).cells for s in shapes)


def _counts(shape: PlaneShape, plan: Resolved) -> tuple[np.ndarray, np.ndarray]:
    return _intervals(shape.x, shape.walls(0), plan), _intervals(shape.y, shape.walls(1), plan)


def _intervals(lines: np.ndarray, walls: np.ndarray, plan: Resolved) -> np.ndarray:
    """How many cells lie between each two lines: the integral of 1/size, rounded up."""
    counts = []
    for a, b in pairwise(lines):
        counts.append(max(1, int(np.ceil(_position(b, a, b, walls, plan) - 1e-6))))
    return np.array(counts, float)


def _spread(lines: np.ndarray, walls: np.ndarray, plan: Resolved, samples: np.ndarray) -> np.ndarray:
    """The count of cells between the lines, shared out to those between sample lines, which hold them all."""
    counts = _intervals(lines, walls, plan)
    if len(samples) == len(lines):
        return counts
    found = []
    for a, b, count in zip(lines[:-1], lines[1:], counts, strict=True):
        inner = samples[(samples >= a) & (samples <= b)]
        at = np.array([_position(v, a, b, walls, plan) for v in inner])
        found.append(np.diff(at) * count / at[-1])
    return np.concatenate(found)


def _size_pieces(a: float, b: float, walls: np.ndarray, plan: Resolved) -> tuple[np.ndarray, np.ndarray]:
    """Break points in [a, b] between which the wanted size is linear, and the sizes there."""
    slope = (plan.growth - 1.0) / (0.5 * (plan.growth + 1.0))
    first = 0.5 * plan.wall
    reach = first + (plan.bulk - plan.wall) / slope
    kinks = [walls[:, k] + sign * d for d in (0.0, first, reach) for k, sign in ((0, -1), (1, 1))]
    points = np.concatenate([[a, b], *kinks, (walls[1:, 0] + walls[:-1, 1]) / 2])
    points = np.unique(np.clip(points, a, b))
    if not len(walls):
        return points, np.full(len(points), plan.bulk)
    beyond = np.maximum(walls[:, 0] - points[:, None], points[:, None] - walls[:, 1])
    distance = np.maximum(0.0, np.min(beyond, axis=1))
    # half a cell off: a first cell of size `wall` then comes out as asked
    return points, np.minimum(plan.bulk, plan.wall + slope * np.maximum(0.0, distance - first))


def _position(x: float, a: float, b: float, walls: np.ndarray, plan: Resolved) -> float:
    """Integral of 1/size from a to x: the number of cells in between."""
    points, sizes = _size_pieces(a, b, walls, plan)
    return float(np.interp(x, points, _cumulative(points, sizes)))


def _cumulative(points: np.ndarray, sizes: np.ndarray) -> np.ndarray:
    width, low, high = np.diff(points), sizes[:-1], sizes[1:]
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = np.where(np.abs(high - low) > 1e-9 * low, (high - low) / np.log(high / low), low)
    return np.concatenate([[0.0], np.cumsum(width / mean)])


def _divide(lines: np.ndarray, walls: np.ndarray, counts: np.ndarray, plan: Resolved) -> np.ndarray:
    """All lines in one direction."""
    found = [lines[:1]]
    for a, b, count in zip(lines[:-1], lines[1:], counts.astype(int), strict=True):
        points, sizes = _size_pieces(a, b, walls, plan)
        fine = np.unique(np.concatenate([points, np.linspace(a, b, 40 * count + 1)]))
        cumulative = _cumulative(fine, np.interp(fine, points, sizes))
        inner = np.interp(np.arange(1, count) * cumulative[-1] / count, cumulative, fine)
        found.append(np.concatenate([inner, [b]]))
    return np.concatenate(found)


def divide(shape: PlaneShape, plan: Resolved) -> tuple[np.ndarray, np.ndarray]:
    """The graded x (nx+1,) and y (ny+1,) lines of a shape, in m."""
    columns, rows = _counts(shape, plan)
    return _divide(shape.x, shape.walls(0), columns, plan), _divide(shape.y, shape.walls(1), rows, plan)


def build(shape: PlaneShape, plan: Resolved) -> Mesh:
    """The polyhedral mesh of a plane shape, one cell thick over its depth."""
    return cells_on(shape, *divide(shape, plan))
