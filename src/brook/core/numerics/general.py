"""Systems that need not be symmetric: heat carried along by a flow, and over walls between bodies."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import LinearOperator, bicgstab, splu

from brook.core.numerics.chunks import chunks_of, over
from brook.core.numerics.matrix import Matrix
from brook.core.numerics.multigrid import Levels, OwnMultigrid, Pattern, kernels
from brook.core.numerics.rows import ordered
from brook.core.numerics.stencil import Stencil

DIRECT = 4000  # rows up to which a system is solved at once
SINGLE = 1e-4  # of the right-hand side: what float32 is asked for at most
GIVEN_UP = 40  # iterations after which cycles of our own are given up
LARGEST_DIRECT = 60_000  # rows up to which what iterations do not solve is solved at once
NEARLY, ROUND_OFF = 3.0, 1e-10  # times the tolerance, and what is left in any case
MOST = 60  # those after which the multigrid is made anew


class Unsolved(ArithmeticError):
    """A system of equations that was not solved to its tolerance."""


@dataclass(frozen=True, eq=False)
class Coupling:
    """Cells `one` (k,) and `other` (k,) that have no face in common, and what couples each pair both ways, `entries` (k,)."""

    one: np.ndarray
    other: np.ndarray
    entries: np.ndarray

    def csr(self, cells: int) -> sparse.csr_matrix:
        """As a matrix of so many cells, for SciPy."""
        rows, columns = np.concatenate([self.one, self.other]), np.concatenate([self.other, self.one])
        return sparse.csr_matrix((np.concatenate([self.entries, self.entries]), (rows, columns)), shape=(cells, cells))


class Joined:
    """Rows of cells as `Rows` has them, with the cells besides that a coupling brings."""

    def __init__(self, stencil: Stencil, coupling: Coupling):
        cells, rows = stencil.cells, stencil.rows
        columns = rows.columns[: rows.offsets[-1]]
        inside = np.repeat(np.arange(cells, dtype=np.int64), np.diff(rows.offsets)) * cells + columns
        one, other = (c.astype(np.int64) for c in (coupling.one, coupling.other))
        # several faces may couple the same two cells
        besides = np.concatenate([one * cells + other, other * cells + one])
        every, place = np.unique(np.concatenate([inside, besides]), return_inverse=True)
        offsets = np.searchsorted(every, np.arange(cells + 1) * cells).astype(np.int32)
        columns = (every % cells).astype(np.uint32)
        self.order, taken = ordered(offsets, columns)
        self.columns = columns[taken]
        at = np.empty(len(taken), np.int32)
        at[taken] = np.arange(len(taken), dtype=np.int32)
        self._inside, self._besides = np.split(at[place.reshape(-1)], [len(inside)])

    def entries(self, matrix: Matrix, coupling: Coupling) -> np.ndarray:
        """Of both together."""
        found = np.zeros(len(self.columns))
        np.add.at(found, self._inside, matrix.entries[: len(self._inside)])
        np.add.at(found, self._besides, np.concatenate([coupling.entries, coupling.entries]))
        return found


class GeneralSolver:
    """BiCGStab (van der Vorst 1992), preconditioned by a cycle of our own multigrid, whose aggregates keep the matrix one
    that sweeps can take; symmetric systems go to its conjugate gradients. Where that takes too long it is a cycle of the
    library's, kept as long as it serves well."""

    def __init__(self, levels: Levels | None = None) -> None:
        self._multigrid = OwnMultigrid(levels)
        self._levels = self._multigrid.levels
        self._joined: Joined | None = None
        self._cycle: LinearOperator | None = None
        self._worth = 0
        self._ours = True

    def solve(
        self, matrix: Matrix, coupling: Coupling | None, right: np.ndarray, tolerance: float, symmetric: bool = False
    ) -> np.ndarray:
        """x with |right - A x| at most `tolerance` of |right|, where A is the matrix and what couples further cells, which
        have to be the same each time.

        Raises `Unsolved` where it cannot be reached.
        """
        if len(right) <= DIRECT:
            return _direct(_whole(matrix, coupling), right)
        size = float(np.linalg.norm(right))
        if not size > 0:
            return np.zeros_like(right)
        if self._ours:
            rows: Pattern = matrix.stencil.rows
            entries, diagonal = matrix.entries, matrix.diagonal
            if coupling is not None:
                self._joined = rows = self._joined or Joined(matrix.stencil, coupling)
                entries = rows.entries(matrix, coupling)
            if symmetric:
                step, count = self._multigrid.solve_rows(rows, entries, diagonal, right, tolerance)
                if count < self._multigrid.max_iterations and np.isfinite(step).all():
                    return step
            else:
                found = self._by_our_cycles(rows, entries, diagonal, right, tolerance)
                if found is not None:
                    return found
            self._ours = False
        return size * self._by_cycles(_whole(matrix, coupling), right / size, tolerance)

    def _by_our_cycles(
        self, rows: Pattern, entries: np.ndarray, diagonal: np.ndarray, right: np.ndarray, tolerance: float
    ) -> np.ndarray | None:
        """The solution by BiCGStab with cycles of our own, in float32, or None when that takes too long.

        Whoever wants more than float32 gives asks again with what is left.
        """
        single, order = np.float32, rows.order
        entries, diagonal = entries.astype(single), diagonal.astype(single)
        hierarchy = self._levels.of(rows, entries, diagonal, steps=False)
        chunks = chunks_of(len(right))
        count, sums = len(right), np.zeros(len(chunks) - 1)
        smooth = np.zeros(order.length, single)

        def through(x: np.ndarray, out: np.ndarray) -> np.ndarray:
            """x preconditioned into `smooth`, and its product with the matrix into `out`; gives the first."""
            hierarchy.cycle(x, smooth)
            here = smooth[:count]
            over(
                chunks, kernels.product, order.offsets, rows.columns, entries, diagonal, here,
                out, sums,
            )  # fmt: skip
            return here

        whole = float(np.linalg.norm(right))
        rest = (right / whole).astype(single)
        shadow, goal = rest.copy(), max(tolerance, SINGLE)
        value, direction, image, turned = (np.zeros(count, single) for _ in range(4))
        along, step, turn = 1.0, 1.0, 1.0
        for _ in range(GIVEN_UP):
            now = float(shadow @ rest)
            if now == 0 or turn == 0:
                return None
            direction -= single(turn) * image
            direction *= single((now / along) * (step / turn))
            direction += rest
            here = through(direction, image)
            against = float(shadow @ image)
            if against == 0:
                return None
            along, step = now, now / against
            value += single(step) * here
            rest -= single(step) * image
            if float(np.linalg.norm(rest)) <= goal:
                return whole * value
            here = through(rest, turned)
            size = float(turned @ turned)
            if not size > 0:
                return None
            turn = float(turned @ rest) / size
            value += single(turn) * here
            rest -= single(turn) * turned
            if float(np.linalg.norm(rest)) <= goal:
                return whole * value
        return None

    def _by_cycles(self, matrix: sparse.csr_matrix, right: np.ndarray, tolerance: float) -> np.ndarray:
        for attempt in range(2):
            fresh = self._cycle is None
            if fresh:
                self._cycle = self._made(matrix)
            count = 0

            def counted(_: np.ndarray) -> None:
                nonlocal count
                count += 1

            step, flag = bicgstab(
                matrix, right, rtol=tolerance, atol=0.0, maxiter=MOST, M=self._cycle, callback=counted
            )
            if fresh:
                self._worth = count
            if flag == 0:
                if count > 2 * self._worth + 3:
                    self._cycle = None
                return step
            self._cycle = None
            if fresh and attempt:
                break
        if len(right) <= LARGEST_DIRECT:
            step = _direct(matrix, right)
        left = float(np.linalg.norm(right - matrix @ step)) if np.isfinite(step).all() else np.inf
        if left > max(NEARLY * tolerance, ROUND_OFF):
            raise Unsolved(
                f"a system of {len(right)} equations was solved to {left:.1e} only, {tolerance:.0e} was wanted"
            )
        return step

    def _made(self, matrix: sparse.csr_matrix) -> LinearOperator:
        import pyamg  # only here, as in `linear`

        solver = pyamg.ruge_stuben_solver(
            matrix.tocsr(), strength=("classical", {"theta": 0.25}), max_coarse=50, coarse_solver="splu"
        )
        return solver.aspreconditioner(cycle="V")


def _direct(matrix: sparse.csr_matrix, right: np.ndarray) -> np.ndarray:
    """The answer by elimination. Raises `Unsolved` where there is more than one, or none."""
    try:
        found: np.ndarray = splu(matrix.tocsc()).solve(right)
    except RuntimeError as error:
        raise Unsolved(f"a system of {len(right)} equations has no single answer ({error})") from None
    return found


def _whole(matrix: Matrix, coupling: Coupling | None) -> sparse.csr_matrix:
    whole = matrix.csr()
    return whole if coupling is None else whole + coupling.csr(matrix.stencil.cells)
