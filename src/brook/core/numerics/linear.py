"""Linear solvers behind one interface, so that a better one can take over.

`PressureSolver` keeps what it learned of a mesh between calls; `solve` gets a symmetric positive
matrix and returns the solution and the number of iterations.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np
from scipy import sparse

from brook.core.numerics import passes
from brook.core.numerics.chunks import over
from brook.core.numerics.matrix import Matrix
from brook.core.numerics.multigrid import OwnMultigrid
from brook.core.numerics.rows import Order

OURS_FROM = 10_000  # cells; under it whole iterations are quicker with the multigrid of the library


class PressureSolver(Protocol):
    max_iterations: int

    def solve(self, matrix: Matrix, right: np.ndarray, tolerance: float) -> tuple[np.ndarray, int]:
        """x with |right - A x| <= tolerance * |right|, from a zero guess, and how many iterations that took: as many as
        there may be at most where it was not reached."""
        ...


class LibraryMultigrid:
    """Conjugate gradients preconditioned by one PyAMG V-cycle.

    The hierarchy of an earlier matrix stays a good preconditioner while coefficients change
    slowly, so it is rebuilt only when the iteration count has grown.
    """

    max_iterations = 400

    def __init__(self) -> None:
        self._cycle: sparse.linalg.LinearOperator | None = None
        self._worth = 0

    def solve(self, matrix: Matrix, right: np.ndarray, tolerance: float) -> tuple[np.ndarray, int]:
        """As `PressureSolver.solve` says."""
        csr, right = matrix.csr(), right.astype(float, copy=False)
        fresh = self._cycle is None
        if fresh:
            self._build(csr)
        value, count = self._conjugate_gradients(csr, right, tolerance)
        if fresh:
            self._worth = count
        elif count > 1.5 * self._worth + 2:
            self._cycle = None
        return value, count

    def _build(self, csr: sparse.csr_matrix) -> None:
        import pyamg  # only here: loading it takes longer than most systems it is for

        solver = pyamg.ruge_stuben_solver(
            csr, strength=("classical", {"theta": 0.25}), max_coarse=50, coarse_solver="splu"
        )
        self._cycle = solver.aspreconditioner(cycle="V")

    def _conjugate_gradients(
        self, csr: sparse.csr_matrix, right: np.ndarray, tolerance: float
    ) -> tuple[np.ndarray, int]:
        assert self._cycle is not None
        value = np.zeros_like(right)
        residual = right.copy()
        goal = tolerance * float(np.linalg.norm(right))
        direction, before = np.zeros_like(right), 1.0
        for count in range(self.max_iterations):
            if not float(np.linalg.norm(residual)) > goal:
                return value, count
            smooth = self._cycle.matvec(residual)
            now = float(residual @ smooth)
            direction = smooth + (now / before) * direction if count else smooth
            image = csr @ direction
            step = now / float(direction @ image)
            value += step * direction
            residual -= step * image
            before = now
        return value, self.max_iterations


def swept(
    order: Order, entries: np.ndarray, inverse: np.ndarray, right: np.ndarray, sweeps: int, x: np.ndarray
) -> None:
    """x (n, 3), with room for its halo, from nothing by symmetric sweeps of Gauss and Seidel; `inverse` (n, 3) is one over
    the diagonal of each component. In place.

    Large systems have two blocks of rows, whatever the number of threads, so that answers do not depend on it.
    """
    o = order
    over(o.blocks, passes.first_sweep, o.offsets, o.split, o.columns, entries, inverse, right, x)
    for k in range(1, 2 * sweeps):
        o.exchange(x)
        sweep = passes.backward if k % 2 else passes.forward
        over(o.blocks, sweep, o.offsets, o.split, o.columns, entries, inverse, right, x)


def usual_pressure_solver(cells: int) -> PressureSolver:
    """The quicker solver for meshes of a size: the library's cycle on small ones, where ours starts too many loops."""
    return OwnMultigrid() if cells > OURS_FROM else LibraryMultigrid()
