"""Plane meshes on lines: through every edge of the shape, graded between.

Cells are at most `bulk` large and `wall` large at walls; away from a wall the size may grow
by `growth` from one cell to the next, which makes it grow linearly with the distance.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brook.core.geometry import PlaneShape
from brook.core.mesh.polyhedral import PLANE_SIDES, Mesh, Patch
from brook.core.study import Problem, Resolved
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
MAX_CELLS = 2_000_000
# At the peak of a run, above the 1600 B of `brook bench`; and about the time of the demo runs (12.7 s, 6268 cells).
BYTES_PER_CELL = 2600
SECONDS_PER_CELL = 2e-3
MAX_LINES = 200_000


@dataclass(frozen=True, eq=False)
class Lines:
    """The x (nx+1,) and y (ny+1,) lines in m, and which boxes of theirs are cells (ny, nx)."""

    x: np.ndarray
    y: np.ndarray
    inside: np.ndarray

    @property
    def cell_count(self) -> int:
        return int(self.inside.sum())


@dataclass(frozen=True)
class Estimate:
    """What a mesh would cost: cells, bytes while running, seconds of a typical run."""

    cells: int

    @property
    def memory(self) -> float:
        return self.cells * BYTES_PER_CELL

    @property
    def seconds(self) -> float:
        return self.cells * SECONDS_PER_CELL


def estimate(shape: PlaneShape, plan: Resolved) -> Estimate:
    """The exact count of cells, without building the lines."""
    columns, rows = _counts(shape, plan)
    return Estimate(int(np.outer(rows, columns)[shape.inside].sum()))


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


def _wall_lines(pieces: np.ndarray) -> np.ndarray:
    """Which lines carry boundary anywhere along them."""
    return np.any(pieces >= 0, axis=0)


def _counts(shape: PlaneShape, plan: Resolved) -> tuple[np.ndarray, np.ndarray]:
    columns = _intervals(shape.x, _wall_lines(shape.vertical), plan)
    rows = _intervals(shape.y, _wall_lines(shape.horizontal.T), plan)
    return columns, rows


def _intervals(lines: np.ndarray, walls: np.ndarray, plan: Resolved) -> np.ndarray:
    """How many cells lie between each two lines: the integral of 1/size, rounded up."""
    counts = []
    for a, b in pairwise(lines):
        counts.append(max(1, int(np.ceil(_position(b, a, b, lines[walls], plan) - 1e-6))))
    return np.array(counts, float)


def _size_pieces(a: float, b: float, walls: np.ndarray, plan: Resolved) -> tuple[np.ndarray, np.ndarray]:
    """Break points in [a, b] between which the wanted size is linear, and the sizes there."""
    slope = (plan.growth - 1.0) / (0.5 * (plan.growth + 1.0))
    first = 0.5 * plan.wall
    reach = first + (plan.bulk - plan.wall) / slope
    kinks = [walls + d for d in (0.0, -first, first, -reach, reach)]
    points = np.concatenate([[a, b], *kinks, (walls[1:] + walls[:-1]) / 2])
    points = np.unique(np.clip(points, a, b))
    if not len(walls):
        return points, np.full(len(points), plan.bulk)
    distance = np.min(np.abs(points[:, None] - walls[None, :]), axis=1)
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
        points, sizes = _size_pieces(a, b, lines[walls], plan)
        fine = np.unique(np.concatenate([points, np.linspace(a, b, 40 * count + 1)]))
        cumulative = _cumulative(fine, np.interp(fine, points, sizes))
        inner = np.interp(np.arange(1, count) * cumulative[-1] / count, cumulative, fine)
        found.append(np.concatenate([inner, [b]]))
    return np.concatenate(found)


def divide(shape: PlaneShape, plan: Resolved) -> Lines:
    """The graded lines of a shape."""
    columns, rows = _counts(shape, plan)
    x = _divide(shape.x, _wall_lines(shape.vertical), columns, plan)
    y = _divide(shape.y, _wall_lines(shape.horizontal.T), rows, plan)
    inside = np.repeat(np.repeat(shape.inside, rows.astype(int), axis=0), columns.astype(int), axis=1)
    return Lines(x, y, inside)


def build(shape: PlaneShape, plan: Resolved) -> Mesh:
    """The polyhedral mesh of a plane shape, one cell thick over its depth."""
    columns, rows = (c.astype(int) for c in _counts(shape, plan))
    lines = divide(shape, plan)
    inside = lines.inside
    ny, nx = inside.shape
    cell = np.full((ny + 2, nx + 2), -1, np.int64)
    cell[1:-1, 1:-1][inside] = np.arange(inside.sum())
    # coarse patch numbers spread to the fine pieces of the coarse lines
    vertical = np.full((ny, nx + 1), -1)
    vertical[:, np.concatenate([[0], np.cumsum(columns)])] = np.repeat(shape.vertical, rows, axis=0)
    horizontal = np.full((ny + 1, nx), -1)
    horizontal[np.concatenate([[0], np.cumsum(rows)])] = np.repeat(shape.horizontal, columns, axis=1)

    j, i = np.nonzero(np.ones((ny, nx + 1), bool))
    upright = _Faces(cell[j + 1, i], cell[j + 1, i + 1], _corners(j, i, j + 1, i, nx, ny), vertical[j, i])
    j, i = np.nonzero(np.ones((ny + 1, nx), bool))
    flat = _Faces(cell[j, i + 1], cell[j + 1, i + 1], _corners(j, i + 1, j, i, nx, ny), horizontal[j, i])
    faces = _Faces.join(upright, flat)
    j, i = np.nonzero(inside)
    layer = (nx + 1) * (ny + 1)
    square = np.stack([_point(j, i, nx), _point(j, i + 1, nx), _point(j + 1, i + 1, nx), _point(j + 1, i, nx)], axis=1)
    return _assemble(lines, shape, faces, square, layer)


def _point(j: np.ndarray, i: np.ndarray, nx: int) -> np.ndarray:
    return j * (nx + 1) + i


def _corners(j0: np.ndarray, i0: np.ndarray, j1: np.ndarray, i1: np.ndarray, nx: int, ny: int) -> np.ndarray:
    """Corners of faces over the depth, ordered so that the normal points to +x or +y."""
    layer = (nx + 1) * (ny + 1)
    a, b = _point(j0, i0, nx), _point(j1, i1, nx)
    return np.stack([a, b, b + layer, a + layer], axis=1)


@dataclass
class _Faces:
    low: np.ndarray
    high: np.ndarray
    corners: np.ndarray
    patch: np.ndarray

    @staticmethod
    def join(a: _Faces, b: _Faces) -> _Faces:
        return _Faces(*(np.concatenate([getattr(a, n), getattr(b, n)]) for n in ("low", "high", "corners", "patch")))


def _assemble(lines: Lines, shape: PlaneShape, faces: _Faces, square: np.ndarray, layer: int) -> Mesh:
    is_inner = (faces.low >= 0) & (faces.high >= 0)
    is_boundary = (faces.low >= 0) ^ (faces.high >= 0)
    order = np.lexsort((faces.high[is_inner], faces.low[is_inner]))
    owner = [faces.low[is_inner][order]]
    neighbour = faces.high[is_inner][order]
    corners = [faces.corners[is_inner][order]]
    patches, at = [], len(neighbour)
    for number, name in enumerate(shape.patches):
        chosen = np.nonzero(is_boundary & (faces.patch == number))[0]
        turned = faces.low[chosen] < 0  # the cell lies on the + side: turn the normal outward
        corners.append(np.where(turned[:, None], faces.corners[chosen][:, ::-1], faces.corners[chosen]))
        owner.append(np.where(turned, faces.high[chosen], faces.low[chosen]))
        patches.append(Patch(name, at, at + len(chosen)))
        at += len(chosen)
    cells = np.arange(len(square))
    corners += [square[:, ::-1], square + layer]
    owner += [cells, cells]
    patches.append(Patch(PLANE_SIDES, at, at + 2 * len(square)))
    x, y = np.meshgrid(lines.x, lines.y)
    flat = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1)
    points = np.concatenate([flat, flat + np.array([0.0, 0.0, shape.depth])])
    face_points = np.concatenate(corners)
    used = np.zeros(len(points), bool)
    used[face_points] = True
    renumber = np.cumsum(used) - 1
    return Mesh(
        points=points[used],
        face_points=renumber[face_points].ravel(),
        face_offsets=np.arange(0, 4 * len(face_points) + 1, 4, dtype=np.int64),
        owner=np.concatenate(owner),
        neighbour=neighbour,
        patches=tuple(patches),
        bodies=(shape.body,),
        body=np.zeros(len(square), np.int64),
    )
