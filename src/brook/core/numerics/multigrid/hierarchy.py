"""Levels of coarser and coarser matrices over aggregates of cells, and one cycle through them.

Aggregates come from pairing rows by the strongest coupling, twice: four cells. They are chosen once; new coefficients are
only summed up anew. Cycles on the first coarse levels are of the kind of Notay (2010, Electron. Trans. Numer. Anal. 37):
two steps of flexible conjugate gradients there make the number of iterations nearly free of the mesh's size.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from brook.core.numerics.multigrid import kernels

PASSES = 2  # pairings for a level
STEPPED = 3  # coarse levels on which two steps are taken
SMALLEST = 300  # rows that are solved at once
LEAST = np.float32(0.25)
OVER = np.float32(1.6)  # by which a correction that is constant on aggregates falls short. Braess (1995)
ENOUGH = 0.25  # of the residual: what one step has to leave for a second one to be taken
BLOCKS, SINGLE = 2, 20_000  # of rows, whatever the number of threads; below so many rows there is one


def blocks_of(count: int) -> np.ndarray:
    """Where blocks of so many rows begin, and the end."""
    return np.linspace(0, count, (BLOCKS if count > SINGLE else 1) + 1).astype(np.int64)


def times(
    offsets: np.ndarray, columns: np.ndarray, entries: np.ndarray, diagonal: np.ndarray, x: np.ndarray, out: np.ndarray,
    blocks: np.ndarray,
) -> None:  # fmt: skip
    """The product of a matrix with x (n,). In place."""
    if len(blocks) == 2:
        kernels.product_rows(offsets, columns, entries, diagonal, x, out, 0, len(x))
    else:
        kernels.product(offsets, columns, entries, diagonal, x, out, blocks)


@dataclass(eq=False)
class Level:
    """A matrix (n, n) in float32 with room to work in; `of` (n,) are aggregates and `to` (nnz,) where entries go."""

    offsets: np.ndarray
    columns: np.ndarray
    entries: np.ndarray
    diagonal: np.ndarray
    of: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int32))
    to: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int32))

    def __post_init__(self) -> None:
        count = len(self.diagonal)
        self.inverse = 1 / self.diagonal
        self.blocks = blocks_of(count)
        self.x, self.right, self.rest, self.before = (np.zeros(count, np.float32) for _ in range(4))
        self.one, self.one_image, self.two, self.two_image = (np.zeros(count, np.float32) for _ in range(4))

    def forward(self, right: np.ndarray, x: np.ndarray) -> None:
        """x from nothing by one forward sweep, and what it leaves in `rest`."""
        matrix = (self.offsets, self.columns, self.entries)
        if len(self.blocks) == 2:
            kernels.forward_rows(*matrix, self.inverse, right, x, 0, len(x))
            kernels.left_rows(*matrix, x, self.rest, 0, len(x))
        else:
            kernels.forward(*matrix, self.inverse, right, x, self.blocks)
            kernels.left(*matrix, x, self.rest, self.blocks)

    def backward(self, right: np.ndarray, x: np.ndarray) -> None:
        """One backward sweep; `before` holds x."""
        matrix = (self.offsets, self.columns, self.entries, self.inverse, right, x, self.before)
        if len(self.blocks) == 2:
            kernels.backward_rows(*matrix, 0, len(x))
        else:
            kernels.backward(*matrix, self.blocks)

    def product(self, x: np.ndarray, out: np.ndarray) -> None:
        times(self.offsets, self.columns, self.entries, self.diagonal, x, out, self.blocks)

    def refill(self, entries: np.ndarray, diagonal: np.ndarray) -> None:
        self.entries, self.diagonal, self.inverse = entries, diagonal, 1 / diagonal


class Hierarchy:
    """Levels from the finest on; `cycle` is a symmetric positive preconditioner of the first."""

    def __init__(self, offsets: np.ndarray, columns: np.ndarray, entries: np.ndarray, diagonal: np.ndarray):
        """From CSR without its diagonal."""
        level = Level(
            offsets.astype(np.int32), columns.astype(np.int32), entries.astype(np.float32), diagonal.astype(np.float32)
        )
        self.levels = [level]
        while len(level.diagonal) > SMALLEST:
            coarse = _coarser(level)
            if len(coarse.diagonal) > 0.8 * len(level.diagonal):
                break
            self.levels.append(coarse)
            level = coarse
        self._invert()

    def refill(self, entries: np.ndarray, diagonal: np.ndarray) -> None:
        """New coefficients of the same matrix."""
        self.levels[0].refill(entries.astype(np.float32), diagonal.astype(np.float32))
        for fine, coarse in zip(self.levels[:-1], self.levels[1:], strict=True):
            kernels.summed(fine.offsets, fine.entries, fine.diagonal, fine.of, fine.to, coarse.entries, coarse.diagonal)
            coarse.refill(coarse.entries, coarse.diagonal)
        self._invert()

    def _invert(self) -> None:
        last = self.levels[-1]
        whole = np.diag(last.diagonal.astype(float))
        row = np.repeat(np.arange(len(last.diagonal)), np.diff(last.offsets))
        np.add.at(whole, (row, last.columns), last.entries)
        self._inverse = np.linalg.inv(whole).astype(np.float32)

    def cycle(self, right: np.ndarray, x: np.ndarray, depth: int = 0) -> None:
        """x about the solution for a right-hand side (n,), both float32. In place."""
        level = self.levels[depth]
        if depth == len(self.levels) - 1:
            x[:] = self._inverse @ right
            return
        coarse = self.levels[depth + 1]
        level.forward(right, x)
        kernels.restricted(level.rest, level.of, coarse.right)
        if depth < STEPPED and depth + 1 < len(self.levels) - 1:
            correction, scale = self._two_steps(depth + 1), np.float32(1.0)
        else:
            self.cycle(coarse.right, coarse.x, depth + 1)
            correction, scale = coarse.x, OVER
        kernels.corrected(x, correction, level.of, scale, level.before)
        level.backward(right, x)

    def _two_steps(self, depth: int) -> np.ndarray:
        """Up to two steps of flexible conjugate gradients, each preconditioned by a cycle."""
        level = self.levels[depth]
        right = level.right.copy()
        self.cycle(right, level.one, depth)
        level.product(level.one, level.one_image)
        size = float(level.one @ level.one_image)
        if not size > 0:
            return level.one
        first = float(level.one @ right) / size
        rest = right - np.float32(first) * level.one_image
        if float(rest @ rest) <= ENOUGH**2 * float(right @ right):
            return np.float32(first) * level.one
        self.cycle(rest, level.two, depth)
        level.product(level.two, level.two_image)
        shared = float(level.two @ level.one_image)
        own = float(level.two @ level.two_image) - shared**2 / size
        if not own > 0:
            return np.float32(first) * level.one
        second = float(level.two @ rest) / own
        return np.float32(first - shared * second / size) * level.one + np.float32(second) * level.two


def _coarser(level: Level) -> Level:
    """The matrix over aggregates of a level, which gets its maps."""
    offsets, columns, entries, diagonal = level.offsets, level.columns, level.entries, level.diagonal
    of = np.arange(len(diagonal), dtype=np.int32)
    for _ in range(PASSES):
        pair, count = kernels.paired(offsets, columns, entries, LEAST)
        offsets, columns, entries, diagonal, _ = _over(offsets, columns, entries, diagonal, pair, count)
        of = pair[of]
    *coarse, level.to = _over(level.offsets, level.columns, level.entries, level.diagonal, of, len(diagonal))
    level.of = of
    return Level(*coarse)


def _over(
    offsets: np.ndarray, columns: np.ndarray, entries: np.ndarray, diagonal: np.ndarray, of: np.ndarray, count: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """A matrix over aggregates and where each entry goes."""
    coarse_offsets, coarse_columns, to = kernels.pattern(offsets, columns, of, count)
    coarse_entries, coarse_diagonal = np.empty(len(coarse_columns), np.float32), np.empty(count, np.float32)
    kernels.summed(offsets, entries, diagonal, of, to, coarse_entries, coarse_diagonal)
    return coarse_offsets, coarse_columns, coarse_entries, coarse_diagonal, to
