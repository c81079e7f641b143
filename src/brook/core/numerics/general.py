"""Systems that need not be symmetric: heat carried along by a flow."""

from __future__ import annotations

import numpy as np
import pyamg
from scipy import sparse
from scipy.sparse.linalg import LinearOperator, bicgstab, splu

DIRECT = 4000  # rows up to which a system is solved at once
MOST = 60  # iterations after which the preconditioner is made anew


class GeneralSolver:
    """BiCGStab (van der Vorst 1992) with a cycle of an algebraic multigrid, kept as long as it serves well."""

    def __init__(self) -> None:
        self._cycle: LinearOperator | None = None
        self._worth = 0

    def solve(self, matrix: sparse.csr_matrix, right: np.ndarray, start: np.ndarray, tolerance: float) -> np.ndarray:
        """x with |right - A x| at most `tolerance` of what it is for `start`. Raises `ArithmeticError` when none is found."""
        if matrix.shape[0] <= DIRECT:
            return splu(matrix.tocsc()).solve(right)
        rest = right - matrix @ start
        size = float(np.linalg.norm(rest))
        if not size > 0:
            return start.copy()
        for attempt in range(2):
            fresh = self._cycle is None
            if fresh:
                self._cycle = self._made(matrix)
            count = 0

            def counted(_: np.ndarray) -> None:
                nonlocal count
                count += 1

            step, flag = bicgstab(
                matrix, rest / size, rtol=tolerance, atol=0.0, maxiter=MOST, M=self._cycle, callback=counted
            )
            if fresh:
                self._worth = count
            if flag == 0:
                if count > 2 * self._worth + 3:
                    self._cycle = None
                return start + size * step
            self._cycle = None
            if fresh and attempt:
                break
        if np.isfinite(step).all() and np.linalg.norm(rest / size - matrix @ step) < 1:
            return start + size * step
        return splu(matrix.tocsc()).solve(right)

    def _made(self, matrix: sparse.csr_matrix) -> LinearOperator:
        solver = pyamg.ruge_stuben_solver(
            matrix.tocsr(), strength=("classical", {"theta": 0.25}), max_coarse=50, coarse_solver="splu"
        )
        return solver.aspreconditioner(cycle="V")
