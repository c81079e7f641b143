"""Levels of coarser and coarser matrices over aggregates of cells, and one cycle through them.

Aggregates come from pairing rows by the strongest coupling, twice: four cells. They are chosen once; new coefficients are
only summed up anew. Cycles on the first coarse levels are of the kind of Notay (2010, Electron. Trans. Numer. Anal. 37):
two steps of flexible conjugate gradients there make the number of iterations nearly free of the mesh's size.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from brook.core.numerics.chunks import chunks_of, over
from brook.core.numerics.multigrid import kernels
from brook.core.numerics.rows import Order, ordered

PASSES = 2  # pairings for a level
STEPPED = 3  # coarse levels on which two steps are taken
SMALLEST = 150  # rows that are solved at once
LEAST = np.float32(0.25)
OVER = np.float32(1.6)  # by which a correction that is constant on aggregates falls short. Braess (1995)
PLAIN = 1.2  # the same where a flow carries, which falls less short
ENOUGH = 0.25  # of the residual: what one step has to leave for a second one to be taken


@dataclass(frozen=True, eq=False)
class Aggregates:
    """Rows of a level, `rows` (n,) from `start` (count + 1,) on, that make one each, and `to` (nnz,) where entries go."""

    start: np.ndarray
    rows: np.ndarray
    to: np.ndarray
    chunks: np.ndarray


@dataclass(eq=False)
class Level:
    """A matrix (n, n) in float32 with room to work in."""

    order: Order
    entries: np.ndarray
    diagonal: np.ndarray
    inverse: np.ndarray
    up: Aggregates | None = None
    x: np.ndarray = field(init=False)
    right: np.ndarray = field(init=False)
    residual: np.ndarray = field(init=False)
    steps: tuple[np.ndarray, ...] = ()

    def __post_init__(self) -> None:
        count = len(self.diagonal)
        self.x = np.zeros(self.order.length, np.float32)
        self.right, self.residual = (np.zeros(count, np.float32) for _ in range(2))
        self._sum, self._chunks = np.zeros(len(self.order.blocks) - 1), chunks_of(count)
        self._pair = np.zeros((len(self._chunks) - 1, 2))

    def room(self) -> tuple[np.ndarray, ...]:
        """Two directions with their halo, their images, and what is left, made when first asked for."""
        if not self.steps:
            long, count = self.order.length, len(self.diagonal)
            self.steps = tuple(np.zeros(n, np.float32) for n in (long, count, long, count, count))
        return self.steps

    def dots(self, x: np.ndarray, one: np.ndarray, two: np.ndarray) -> list[float]:
        """x times one and x times two."""
        over(self._chunks, kernels.dots, x, one, two, self._pair)
        return self._pair.sum(axis=0).tolist()

    def remaining(self, right: np.ndarray, step: float, image: np.ndarray, residual: np.ndarray) -> list[float]:
        """`residual` is what a step leaves of the right-hand side; gives the squares of both."""
        over(self._chunks, kernels.remaining, right, np.float32(step), image, residual, self._pair)
        return self._pair.sum(axis=0).tolist()

    def combined(self, one: np.ndarray, factor: float, two: np.ndarray, other: float) -> None:
        """one times its factor and the other besides. In place."""
        over(self._chunks, kernels.led, two, np.float32(other), np.float32(factor), one)

    def forward(self, right: np.ndarray, x: np.ndarray) -> None:
        """x from nothing by one forward sweep, and what it leaves in `residual`."""
        o = self.order
        over(
            o.blocks,
            kernels.forward,
            o.offsets,
            o.split,
            o.columns,
            self.entries,
            self.inverse,
            right,
            x,
        )
        o.exchange(x)
        over(o.blocks, kernels.left, o.offsets, o.split, o.columns, self.entries, x, self.residual)

    def backward(self, right: np.ndarray, x: np.ndarray) -> None:
        """x by one backward sweep, from where it stands. In place."""
        o = self.order
        o.exchange(x)
        over(
            o.blocks,
            kernels.backward,
            o.offsets,
            o.split,
            o.columns,
            self.entries,
            self.inverse,
            right,
            x,
        )

    def product(self, x: np.ndarray, out: np.ndarray) -> float:
        """out is the matrix times x; gives x times that."""
        o = self.order
        o.exchange(x)
        over(
            o.blocks,
            kernels.product,
            o.offsets,
            o.columns,
            self.entries,
            self.diagonal,
            x,
            out,
            self._sum,
        )
        return float(self._sum.sum())


class Hierarchy:
    """Levels from the finest on; `cycle` is a preconditioner of the first, symmetric and positive if the matrix is."""

    def __init__(self, order: Order, columns: np.ndarray, entries: np.ndarray, diagonal: np.ndarray):
        """From CSR without its diagonal, its rows in an order; `columns` (nnz,) are those of the matrix."""
        level = Level(order, entries, diagonal, 1 / diagonal)
        self.levels = [level]
        while len(level.diagonal) > SMALLEST:
            coarse, coarse_columns = _coarser(level, columns)
            if len(coarse.diagonal) > 0.8 * len(level.diagonal):
                level.up = None
                break
            self.levels.append(coarse)
            level, columns = coarse, coarse_columns
        self._columns = columns
        self.refill(entries, diagonal)

    def refill(self, entries: np.ndarray, diagonal: np.ndarray, steps: bool = True) -> None:
        """New coefficients, float32, of a matrix of the same pattern; they are kept, not copied.

        Without `steps`, cycles are plain ones, as matrices need that are not symmetric.
        """
        self._stepped, self._over = (STEPPED, OVER) if steps else (0, np.float32(PLAIN))
        first = self.levels[0]
        first.entries, first.diagonal = entries, diagonal
        np.divide(np.float32(1.0), diagonal, out=first.inverse)
        for fine, coarse in zip(self.levels[:-1], self.levels[1:], strict=True):
            up, o = fine.up, coarse.order
            assert up is not None
            over(
                up.chunks, kernels.summed, fine.order.offsets, fine.entries, fine.diagonal, up.start, up.rows,
                up.to, o.offsets, coarse.entries, coarse.diagonal, coarse.inverse,
            )  # fmt: skip
        last = self.levels[-1]
        whole = np.diag(last.diagonal.astype(float))
        row = np.repeat(np.arange(len(last.diagonal)), np.diff(last.order.offsets))
        np.add.at(whole, (row, self._columns[: len(row)]), last.entries[: len(row)])
        self._inverse = np.linalg.inv(whole).astype(np.float32)

    def cycle(self, right: np.ndarray, x: np.ndarray, depth: int = 0) -> None:
        """x about the solution for a right-hand side (n,), both float32; x has room for its halo. In place."""
        level = self.levels[depth]
        if level.up is None:
            x[: len(right)] = self._inverse @ right
            return
        coarse, up = self.levels[depth + 1], level.up
        level.forward(right, x)
        over(up.chunks, kernels.restricted, level.residual, up.start, up.rows, coarse.right)
        if depth < self._stepped and coarse.up is not None:
            correction, scale = self._two_steps(depth + 1), np.float32(1.0)
        else:
            self.cycle(coarse.right, coarse.x, depth + 1)
            correction, scale = coarse.x, self._over
        over(up.chunks, kernels.lifted, correction, up.start, up.rows, scale, x)
        level.backward(right, x)

    def _two_steps(self, depth: int) -> np.ndarray:
        """Up to two steps of flexible conjugate gradients, each preconditioned by a cycle."""
        level = self.levels[depth]
        one, one_image, two, two_image, residual = level.room()
        right = level.right
        self.cycle(right, one, depth)
        size = level.product(one, one_image)
        if not size > 0:
            return one
        first = level.dots(one, right, right)[0] / size
        left, before = level.remaining(right, first, one_image, residual)
        if left <= ENOUGH**2 * before:
            one *= np.float32(first)
            return one
        self.cycle(residual, two, depth)
        whole = level.product(two, two_image)
        shared, along = level.dots(two, one_image, residual)
        own = whole - shared**2 / size
        if not own > 0:
            one *= np.float32(first)
            return one
        second = along / own
        level.combined(one, first - shared * second / size, two, second)
        return one


def lumped(offsets: np.ndarray, columns: np.ndarray, entries: np.ndarray, passes: int) -> np.ndarray:
    """The aggregate (n,) of each row of a CSR matrix without its diagonal, paired so many times over."""
    of, diagonal = np.arange(len(offsets) - 1, dtype=np.int32), np.zeros(len(offsets) - 1, np.float32)
    for _ in range(passes):
        pair, count = kernels.paired(offsets, columns, entries, LEAST)
        start, rows = kernels.members(pair, count)
        made_offsets, made_columns, to = kernels.pattern(offsets, columns, pair, start, rows)
        sums, whole, inverse = (
            np.empty(len(made_columns), np.float32),
            np.empty(count, np.float32),
            np.ones(count, np.float32),
        )
        kernels.summed.alone(
            0, count, 0, offsets, entries, diagonal, start, rows, to, made_offsets, sums, whole, inverse
        )
        offsets, columns, entries, diagonal, of = (
            made_offsets,
            made_columns,
            sums,
            np.zeros(count, np.float32),
            pair[of],
        )
    return of


def _coarser(level: Level, columns: np.ndarray) -> tuple[Level, np.ndarray]:
    """The matrix over aggregates of a level, which gets its maps, and the columns of that matrix."""
    offsets, entries, diagonal = level.order.offsets, level.entries, level.diagonal
    of = lumped(offsets, columns, entries, PASSES)
    count = int(of.max()) + 1
    start, rows = kernels.members(of, count)
    coarse_offsets, coarse_columns, to = kernels.pattern(offsets, columns, of, start, rows)
    order, taken = ordered(coarse_offsets, coarse_columns)
    place = np.empty(len(taken), np.int32)
    place[taken] = np.arange(len(taken), dtype=np.int32)
    inside = to >= 0
    to[inside] = place[to[inside]]
    level.up = Aggregates(start, rows, to, chunks_of(count, len(diagonal)))
    coarse = Level(order, np.empty(len(taken), np.float32), np.empty(count, np.float32), np.empty(count, np.float32))
    kernels.summed.alone(
        0, count, 0, offsets, entries, diagonal, start, rows, to, coarse_offsets, coarse.entries, coarse.diagonal,
        coarse.inverse,
    )  # fmt: skip
    return coarse, coarse_columns[taken]
