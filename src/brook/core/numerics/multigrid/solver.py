"""Flexible conjugate gradients with one cycle of the multigrid as their preconditioner."""

from __future__ import annotations

import numpy as np

from brook.core.numerics.matrix import Matrix
from brook.core.numerics.multigrid.hierarchy import Hierarchy, blocks_of, times
from brook.core.numerics.stencil import Stencil


class OwnMultigrid:
    """A `PressureSolver`: the hierarchy is built once for a mesh, and only refilled as coefficients change.

    Residual and solution are float64, the preconditioner float32. The answer does not depend on the number of threads.
    Runs use it on large meshes: under a hundred thousand cells a cycle of the library's is quicker.
    """

    max_iterations = 400

    def __init__(self) -> None:
        self._stencil: Stencil | None = None
        self._hierarchy: Hierarchy | None = None

    def solve(self, matrix: Matrix, right: np.ndarray, tolerance: float) -> tuple[np.ndarray, int]:
        offsets, columns, entries = matrix.off_diagonals()
        if self._hierarchy is None or self._stencil is not matrix.stencil:
            self._hierarchy, self._stencil = Hierarchy(offsets, columns, entries, matrix.diagonal), matrix.stencil
        else:
            self._hierarchy.refill(entries, matrix.diagonal)
        value, residual, image = np.zeros_like(right), right.copy(), np.empty_like(right)
        smooth = np.zeros(len(right), np.float32)
        blocks = blocks_of(len(right))
        goal = tolerance * float(np.linalg.norm(right))
        direction, last, before = np.zeros_like(right), np.zeros_like(right), 1.0
        for count in range(self.max_iterations):
            size = float(np.linalg.norm(residual))
            if not size > goal:
                return value, count
            self._hierarchy.cycle((residual / size).astype(np.float32), smooth)
            better = size * smooth.astype(float)
            now = float(residual @ better)
            # the preconditioner changes a little from step to step: Polak and Ribière's factor forgets that
            direction = better + (float(better @ (residual - last)) / before) * direction if count else better
            times(offsets, columns, entries, matrix.diagonal, direction, image, blocks)
            step = now / float(direction @ image)
            last, before = residual.copy(), now
            value += step * direction
            residual -= step * image
        return value, self.max_iterations
