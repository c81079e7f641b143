"""A sparse matrix over the cells of a mesh: a diagonal entry for each cell, and its row of `Stencil.rows`."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse

from brook.core.numerics.stencil import Stencil


@dataclass(frozen=True, eq=False)
class Matrix:
    """diagonal (C,); entries (nnz,) couple each cell to its neighbours, row after row."""

    stencil: Stencil
    diagonal: np.ndarray
    entries: np.ndarray

    @classmethod
    def of_faces(cls, stencil: Stencil, diagonal: np.ndarray, upper: np.ndarray, lower: np.ndarray) -> Matrix:
        """From entries that couple owner to neighbour, `upper` (inner,), and neighbour to owner, `lower` (inner,)."""
        entries = np.empty(2 * stencil.inner, upper.dtype)
        entries[stencil.rows.upper], entries[stencil.rows.lower] = upper, lower
        return cls(stencil, diagonal, entries)

    @property
    def upper(self) -> np.ndarray:
        """What couples owner to neighbour (inner,)."""
        return self.entries[self.stencil.rows.upper]

    @property
    def lower(self) -> np.ndarray:
        """What couples neighbour to owner (inner,)."""
        return self.entries[self.stencil.rows.lower]

    def __add__(self, other: Matrix) -> Matrix:
        return Matrix(self.stencil, self.diagonal + other.diagonal, self.entries + other.entries)

    def __sub__(self, other: Matrix) -> Matrix:
        return Matrix(self.stencil, self.diagonal - other.diagonal, self.entries - other.entries)

    def csr(self) -> sparse.csr_matrix:
        """The whole matrix for SciPy and PyAMG, in float64."""
        offsets, columns, on, off = self.stencil.topology.whole_pattern
        entries = np.empty(len(columns))
        entries[on], entries[off] = self.diagonal, self.entries[: len(off)]
        found = sparse.csr_matrix((entries, columns, offsets), shape=(self.stencil.cells,) * 2)
        if not len(self.stencil.halo):
            return found
        found = found.copy()  # the pattern is kept
        found.sum_duplicates()  # pairs may couple the same two cells twice, or a cell to itself
        return found
