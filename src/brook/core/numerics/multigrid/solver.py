"""Flexible conjugate gradients with one cycle of the multigrid as their preconditioner."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from brook.core.numerics.chunks import chunks_of, over
from brook.core.numerics.matrix import Matrix
from brook.core.numerics.multigrid import kernels
from brook.core.numerics.multigrid.hierarchy import Hierarchy
from brook.core.numerics.rows import Order


class Pattern(Protocol):
    """Rows of a matrix: their order, and the columns (nnz,) of its entries in it."""

    @property
    def order(self) -> Order:
        """How sweeps read the rows."""

    @property
    def columns(self) -> np.ndarray:
        """Of each entry (nnz,), row after row."""


class Levels:
    """The hierarchy of a mesh, built for the first matrix that comes and only refilled from then on; solvers may share it
    that do not work at the same time."""

    def __init__(self) -> None:
        self._rows: Pattern | None = None
        self._hierarchy: Hierarchy | None = None

    def of(self, rows: Pattern, entries: np.ndarray, diagonal: np.ndarray, steps: bool = True) -> Hierarchy:
        """For a matrix in float32, kept and not copied; `steps` as in `Hierarchy.refill`."""
        if self._hierarchy is None or self._rows is not rows:
            self._hierarchy = Hierarchy(rows.order, rows.columns, entries, diagonal)
            self._rows = rows
        self._hierarchy.refill(entries, diagonal, steps)
        return self._hierarchy


class OwnMultigrid:
    """A `PressureSolver`: the hierarchy is built once for a mesh, and only refilled as coefficients change.

    The preconditioner is float32; residual and solution are of the type of the matrix, where float32 is enough for a
    hundredth of the right-hand side. The answer does not depend on the number of threads. That of
    a float32 system stands until the next one is solved.
    """

    max_iterations = 400

    def __init__(self, levels: Levels | None = None) -> None:
        self.levels = levels or Levels()
        self._room = np.zeros(0, np.float32)

    def work_in(self, room: np.ndarray) -> None:
        """Takes over room (n,) of float32 for the vectors of float32 systems; all may have changed from one to the next."""
        self._room = room

    def solve(self, matrix: Matrix, right: np.ndarray, tolerance: float) -> tuple[np.ndarray, int]:
        """As `PressureSolver.solve` says."""
        return self.solve_rows(matrix.stencil.rows, matrix.entries, matrix.diagonal, right, tolerance)

    def solve_rows(
        self, rows: Pattern, entries: np.ndarray, diagonal: np.ndarray, right: np.ndarray, tolerance: float
    ) -> tuple[np.ndarray, int]:
        """The same for a symmetric matrix of any rows."""
        single, kind, count = np.float32, entries.dtype, len(right)
        hierarchy = self.levels.of(rows, entries.astype(single, copy=False), diagonal.astype(single, copy=False))
        residual, value, image, direction = self._vectors(count, kind)
        residual[:] = right
        for vector in (value, image, direction):
            vector[:] = 0.0
        smooth, scaled = hierarchy.levels[0].x, hierarchy.levels[0].right
        chunks = chunks_of(count)
        whole, pair = np.zeros(len(chunks) - 1), np.zeros((len(chunks) - 1, 2))
        size = float(np.linalg.norm(residual))
        goal, before, step = tolerance * size, 1.0, 0.0
        for done in range(self.max_iterations):
            if not size > goal:
                return value, done
            np.divide(residual, kind.type(size), out=scaled, casting="same_kind")
            hierarchy.cycle(scaled, smooth)
            better = smooth[:count]
            over(chunks, kernels.dots, better, residual, image, pair)
            now, turned = (size * pair.sum(axis=0)).tolist()
            # the preconditioner changes a little from step to step: Polak and Ribière's factor forgets that
            factor = -step * turned / before if done else 0.0
            over(chunks, kernels.led, better, kind.type(size), kind.type(factor), direction)
            over(
                chunks, kernels.product, rows.order.offsets, rows.columns, entries, diagonal, direction,
                image, whole,
            )  # fmt: skip
            step, before = now / float(whole.sum()), now
            over(chunks, kernels.stepped, kind.type(step), direction, image, value, residual, whole)
            size = float(np.sqrt(whole.sum()))
        return value, self.max_iterations

    def _vectors(self, count: int, kind: np.dtype) -> np.ndarray:
        """Four vectors (4, count) of a type. Those of float32 systems, which every iteration has, are kept."""
        if kind != np.float32:
            return np.zeros((4, count), kind)
        if len(self._room) < 4 * count:
            self._room = np.zeros(4 * count, np.float32)
        return self._room[: 4 * count].reshape(4, count)
