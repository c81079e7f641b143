"""Flexible conjugate gradients with one cycle of the multigrid as their preconditioner."""

from __future__ import annotations

import numpy as np

from brook.core.numerics.chunks import over
from brook.core.numerics.matrix import Matrix
from brook.core.numerics.multigrid import kernels
from brook.core.numerics.multigrid.hierarchy import Hierarchy
from brook.core.numerics.stencil import Stencil


class Levels:
    """The hierarchy of a mesh, built for the first matrix that comes and only refilled from then on; solvers may share it
    that do not work at the same time."""

    def __init__(self) -> None:
        self._stencil: Stencil | None = None
        self._hierarchy: Hierarchy | None = None

    def of(self, stencil: Stencil, entries: np.ndarray, diagonal: np.ndarray, steps: bool = True) -> Hierarchy:
        """For a matrix in float32, kept and not copied; `steps` as in `Hierarchy.refill`."""
        if self._hierarchy is None or self._stencil is not stencil:
            self._hierarchy = Hierarchy(stencil.rows.order, stencil.rows.columns, entries, diagonal)
            self._stencil = stencil
        self._hierarchy.refill(entries, diagonal, steps)
        return self._hierarchy


class OwnMultigrid:
    """A `PressureSolver`: the hierarchy is built once for a mesh, and only refilled as coefficients change.

    The preconditioner is float32; residual and solution are of the type of the matrix, where float32 is enough for a
    hundredth of the right-hand side. The answer does not depend on the number of threads.
    """

    max_iterations = 400

    def __init__(self) -> None:
        self.levels = Levels()

    def solve(self, matrix: Matrix, right: np.ndarray, tolerance: float) -> tuple[np.ndarray, int]:
        order, columns = matrix.stencil.rows.order, matrix.stencil.rows.columns
        single = np.float32
        entries, diagonal = matrix.entries.astype(single, copy=False), matrix.diagonal.astype(single, copy=False)
        hierarchy = self.levels.of(matrix.stencil, entries, diagonal)
        kind, count = matrix.entries.dtype, len(right)
        residual = right.astype(kind)
        value, image, direction = np.zeros_like(residual), np.zeros_like(residual), np.zeros_like(residual)
        smooth, scaled = np.zeros(order.length, single), np.zeros(count, single)
        rows, chunks = matrix.stencil.rows, matrix.stencil.cell_chunks
        whole, pair = np.zeros(len(chunks) - 1), np.zeros((len(chunks) - 1, 2))
        size = float(np.linalg.norm(residual))
        goal, before, step = tolerance * size, 1.0, 0.0
        for done in range(self.max_iterations):
            if not size > goal:
                return value, done
            np.divide(residual, kind.type(size), out=scaled, casting="same_kind")
            hierarchy.cycle(scaled, smooth)
            better = smooth[:count]
            over(chunks, kernels.dots_in, kernels.dots, better, residual, image, pair)
            now, turned = (size * pair.sum(axis=0)).tolist()
            # the preconditioner changes a little from step to step: Polak and Ribière's factor forgets that
            factor = -step * turned / before if done else 0.0
            over(chunks, kernels.led_in, kernels.led, better, kind.type(size), kind.type(factor), direction)
            over(
                chunks, kernels.product_in, kernels.product, rows.offsets, columns, matrix.entries, matrix.diagonal, direction,
                image, whole,
            )  # fmt: skip
            step, before = now / float(whole.sum()), now
            over(chunks, kernels.stepped_in, kernels.stepped, kind.type(step), direction, image, value, residual, whole)
            size = float(np.sqrt(whole.sum()))
        return value, self.max_iterations
