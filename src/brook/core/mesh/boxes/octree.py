"""Boxes that are halved where small ones are wanted, and the surface's triangles that each meets.

Leaves are one array along a Morton curve; the box over a side is found by halving it. Neighbours, also over edges and
corners, differ by one level at most.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Self

import numpy as np

from brook.core.mesh.boxes import kernels
from brook.core.mesh.ordering import distinct

MOST_LEVELS = 12
MOST_COORDINATE = 2**20
MOST_BOXES = 30_000_000


class MeshError(ValueError):
    """Why no mesh can be made, in one line that says what to change."""


@dataclass(frozen=True, eq=False)
class Grid:
    """The coarsest boxes: `start` (3,) in m, their side in m, how many (3,); `levels` times they may be halved."""

    start: np.ndarray
    side: float
    shape: np.ndarray
    levels: int

    @property
    def unit(self) -> float:
        """Side of the finest boxes in m."""
        return self.side / 2**self.levels


@dataclass(frozen=True, eq=False)
class Octree:
    """Leaves sorted by their codes: code (n,), level (n,), lower corner `at` (n, 3) and `side` (n,) in finest boxes.

    `meets` are pairs (m, 2) of a leaf and a triangle of the surface.
    """

    grid: Grid
    code: np.ndarray
    level: np.ndarray
    meets: np.ndarray
    flat = False  # whether all leaves are to be one sheet of the same height

    @property
    def count(self) -> int:
        """Number of leaves."""
        return len(self.code)

    def only(self, chosen: np.ndarray) -> Self:
        """The same with some of its leaves (n,) left out."""
        number = np.cumsum(chosen) - 1
        meets = self.meets[chosen[self.meets[:, 0]]]
        meets = np.stack([number[meets[:, 0]], meets[:, 1]], axis=1)
        return type(self)(self.grid, self.code[chosen], self.level[chosen], meets)

    @cached_property
    def at(self) -> np.ndarray:
        """The lower corners (n, 3) of leaves, in smallest boxes."""
        return kernels.decode(self.code)

    @cached_property
    def side(self) -> np.ndarray:
        """How many smallest boxes (n,) a side of each leaf is long."""
        return np.int64(1) << (self.grid.levels - self.level.astype(np.int64))

    @cached_property
    def centre(self) -> np.ndarray:
        """Middles of leaves (n, 3) in m."""
        return self.grid.start + self.grid.unit * (self.at + self.side[:, None] / 2)

    @cached_property
    def size(self) -> np.ndarray:
        """Sides of leaves (n,) in m."""
        return self.grid.unit * self.side

    @cached_property
    def touched(self) -> np.ndarray:
        """Which leaves (n,) meet the surface."""
        found = np.zeros(self.count, bool)
        found[self.meets[:, 0]] = True
        return found

    @cached_property
    def beside(self) -> np.ndarray:
        """The leaf (n, 6) over each side −x, +x, −y, …: -1 where the grid ends, -2 where there are smaller ones."""
        return kernels.faces_between(self.code, self.at, self.side, self.grid.shape << self.grid.levels)

    @cached_property
    def pairs(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Every pair of leaves that share a side, once: the one not larger (n,), its side (n,), the other (n,).

        Where the grid ends the other is -1.
        """
        return kernels.side_pairs(self.beside, self.side)


def grid_for(box: tuple[np.ndarray, np.ndarray], size: float, smallest: float, floor: bool = False) -> Grid:
    """A grid of boxes of a size in m over a box with half a size to spare all round, or one layer of them over z = 0
    with a `floor`. Raises `MeshError`."""
    low, high = box
    levels = max(0, int(np.ceil(np.log2(size / smallest) - 1e-9)))
    if levels > MOST_LEVELS:
        raise MeshError(
            f"the smallest size is {size / smallest:.0f} times under the bulk size; at most {2**MOST_LEVELS} is done"
        )
    # the grid lies so that its planes do not fall together with those of shapes built on round numbers
    spare = np.array([0.53, 0.57, 0.61]) * size
    shape = np.ceil((high - low + 2 * spare) / size).astype(np.int64)
    if floor:
        shape[2] = 1
    if (shape << levels).max() >= MOST_COORDINATE:
        raise MeshError(f"{(shape << levels).max():.0f} boxes in a row are too many; choose a larger smallest size")
    _count_check(int(shape.prod()))
    start = (low + high) / 2 - shape * size / 2
    if floor:
        start[2] = 0.0
    return Grid(start, size, shape, levels)


def _count_check(count: int) -> None:
    if count > MOST_BOXES:
        raise MeshError(
            f"this would be over {count / 1e6:.0f} million boxes; at most {MOST_BOXES / 1e6:.0f} are made, so choose larger sizes"
        )


Zone = Callable[[np.ndarray, float], np.ndarray]


def refine(
    grid: Grid, corners: np.ndarray, level: np.ndarray, zones: Sequence[tuple[int, Zone]] = (), buffer: int = 1
) -> Octree:
    """Boxes of at least `level` (n,) wherever they meet triangles (n, 3, 3).

    `zones` are levels with a test: given middles (m, 3) and a half diagonal in m it says which boxes may reach the
    zone. Around what is halved `buffer` boxes are halved too, so that twice as many stand before the next larger ones.
    """
    scaled = (corners - grid.start) / grid.side
    need: list[np.ndarray] = []
    inside = _base(grid) if zones else np.zeros(0, np.int64)
    code, triangle = _first(scaled, grid)
    for here in range(grid.levels):
        deeper = level[triangle] > here
        code, triangle = code[deeper], triangle[deeper]
        wanted = distinct(code)
        width = grid.side / 2**here
        reached = [_in_zone(inside, grid, width, zone) for to, zone in zones if to > here]
        inside = distinct(np.concatenate(reached)) if reached else np.zeros(0, np.int64)
        need.append(distinct(np.concatenate([wanted, inside])))
        _count_check(7 * len(need[-1]))
        inside = _children(inside)
        code, triangle = _parts(code, triangle, scaled, here + 1)
    for here in range(grid.levels - 1, -1, -1):
        for _ in range(buffer):
            need[here] = distinct(kernels.around(need[here], grid.shape << here))
        if here:  # neighbours, also over corners, are of the level before at least
            near = distinct(kernels.around(need[here], grid.shape << here) >> 3)
            need[here - 1] = distinct(np.concatenate([need[here - 1], near]))
    _count_check(int(grid.shape.prod()) + 7 * sum(len(n) for n in need))
    return _leaves(grid, need, scaled)


def _base(grid: Grid) -> np.ndarray:
    at = np.stack(np.meshgrid(*(np.arange(n) for n in grid.shape), indexing="ij"), axis=-1).reshape(-1, 3)
    return np.sort(kernels.encode(at))


def _children(code: np.ndarray) -> np.ndarray:
    return (code[:, None] << 3 | np.arange(8)).ravel()


def _in_zone(code: np.ndarray, grid: Grid, width: float, zone: Zone) -> np.ndarray:
    middle = grid.start + width * (kernels.decode(code) + 0.5)
    return code[zone(middle, width * np.sqrt(3) / 2)]


def _first(scaled: np.ndarray, grid: Grid) -> tuple[np.ndarray, np.ndarray]:
    room = 4 * len(scaled) + 1000
    code, triangle, count = kernels.first_pairs(scaled, grid.shape, room)
    if count > room:
        code, triangle, count = kernels.first_pairs(scaled, grid.shape, count)
    return code[:count], triangle[:count]


def _parts(code: np.ndarray, triangle: np.ndarray, scaled: np.ndarray, level: int) -> tuple[np.ndarray, np.ndarray]:
    """The parts, on the next level, of boxes with their triangles that still meet them."""
    pair, child = np.nonzero(kernels.meeting_children(code, triangle, scaled, 0.5**level))
    return code[pair] << 3 | child, triangle[pair]


def _leaves(grid: Grid, need: list[np.ndarray], scaled: np.ndarray) -> Octree:
    codes, levels, leaf_pairs = [], [], []
    here = _base(grid)
    code, triangle = _first(scaled, grid)
    for level in range(grid.levels + 1):
        split = _among(here, need[level]) if level < grid.levels else np.zeros(len(here), bool)
        shift = 3 * (grid.levels - level)
        codes.append(here[~split] << shift)
        levels.append(np.full(int((~split).sum()), level, np.int8))
        deeper = _among(code, need[level]) if level < grid.levels else np.zeros(len(code), bool)
        leaf_pairs.append(np.stack([code[~deeper] << shift, triangle[~deeper]], axis=1))
        if level < grid.levels:
            here = _children(here[split])
            code, triangle = _parts(code[deeper], triangle[deeper], scaled, level + 1)
    every, every_level, meets = np.concatenate(codes), np.concatenate(levels), np.concatenate(leaf_pairs)
    order = np.argsort(every, kind="stable")
    every = every[order]
    meets[:, 0] = np.searchsorted(every, meets[:, 0])
    return Octree(grid, every, every_level[order], meets)


def _among(code: np.ndarray, sorted_codes: np.ndarray) -> np.ndarray:
    if not len(sorted_codes):
        return np.zeros(len(code), bool)
    at = np.minimum(np.searchsorted(sorted_codes, code), len(sorted_codes) - 1)
    return sorted_codes[at] == code
