"""A sparse matrix in face form: a diagonal entry for each cell, two entries for each inner face."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse

from brook.core.numerics.stencil import Stencil


@dataclass(frozen=True, eq=False)
class Matrix:
    """diagonal (C,); upper (inner,) couples owner to neighbour, lower (inner,) neighbour to owner."""

    stencil: Stencil
    diagonal: np.ndarray
    lower: np.ndarray
    upper: np.ndarray

    def __add__(self, other: Matrix) -> Matrix:
        return Matrix(self.stencil, self.diagonal + other.diagonal, self.lower + other.lower, self.upper + other.upper)

    def __sub__(self, other: Matrix) -> Matrix:
        return Matrix(self.stencil, self.diagonal - other.diagonal, self.lower - other.lower, self.upper - other.upper)

    def off_diagonals(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(offsets, columns, entries) of the off-diagonal part in CSR form."""
        offsets, columns, order = self.stencil.off_diagonal_pattern
        return offsets, columns, np.concatenate([self.upper, self.lower])[order]

    def csr(self) -> sparse.csr_matrix:
        """The whole matrix for SciPy and PyAMG."""
        offsets, columns, order = self.stencil.whole_pattern
        entries = np.concatenate([self.diagonal, self.upper, self.lower])[order]
        return sparse.csr_matrix((entries, columns, offsets), shape=(self.stencil.cells,) * 2)
