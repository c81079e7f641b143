"""Cells with the faces round them: what loops over cells read, so that no two threads write to the same place.

A row holds first the neighbours before the cell, then those behind it, then those of another block of rows; sweeps thus
go over parts of a row without asking.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.numerics import kernels
from brook.core.numerics.chunks import blocks_of


@dataclass(frozen=True, eq=False)
class Order:
    """How sweeps over blocks read a CSR matrix (n rows, no diagonal): entries up to `split` (n,) stand before their row.

    `columns` (nnz,) are as in the matrix, but those of other blocks stand at n and behind: `halo` (h,) are these rows.
    """

    offsets: np.ndarray
    split: np.ndarray
    columns: np.ndarray
    halo: np.ndarray
    blocks: np.ndarray

    @property
    def length(self) -> int:
        """Of an array of unknowns with room for its halo."""
        return len(self.split) + len(self.halo)

    def exchange(self, x: np.ndarray) -> None:
        """Copies the rows of x, (length,) or (length, 3), that other blocks see. In place."""
        if len(self.halo):
            (kernels.exchange if x.ndim == 1 else kernels.exchange_vectors)(self.halo, x)


def ordered(offsets: np.ndarray, columns: np.ndarray) -> tuple[Order, np.ndarray]:
    """The order of a CSR pattern without its diagonal, and where (nnz,) each of its entries comes from."""
    blocks = blocks_of(len(offsets) - 1)
    columns = columns.astype(np.uint32)
    taken, split = np.empty(len(columns), np.uint32), np.empty(len(offsets) - 1, np.int32)
    ends = np.empty(len(offsets) - 1, np.int32)
    kernels.arrange(offsets, columns, blocks, taken, split, ends)
    arranged = columns[taken]
    if len(blocks) == 2:
        return Order(offsets, split, arranged, np.zeros(0, np.uint32), blocks), taken
    outside = np.empty(len(columns), bool)
    kernels.mark(offsets, ends, outside)
    halo, place = np.unique(arranged[outside], return_inverse=True)
    mapped = arranged.copy()
    mapped[outside] = len(split) + place
    return Order(offsets, split, mapped, halo.astype(np.uint32), blocks), taken


@dataclass(frozen=True, eq=False)
class Rows:
    """`columns` (nnz,) the neighbours of each cell, row after row from `offsets` (C + 1,) on, and `faces` (nnz,): twice
    the inner face between both, and 1 more where the cell is the face's neighbour.

    `upper` and `lower` (inner,): where the owner's and the neighbour's entry of a face stand. `edges` (B,) are boundary
    faces in the order of their cells, from `edge_offsets` (C + 1,) on.
    """

    order: Order
    columns: np.ndarray
    faces: np.ndarray
    upper: np.ndarray
    lower: np.ndarray
    edge_offsets: np.ndarray
    edges: np.ndarray

    @property
    def offsets(self) -> np.ndarray:
        return self.order.offsets

    @classmethod
    def of(cls, cells: int, owner: np.ndarray, neighbour: np.ndarray) -> Rows:
        """From the owners (F,) of all faces and the neighbours (inner,) of the inner ones, which stand first."""
        inner = len(neighbour)
        count = np.bincount(owner[:inner], minlength=cells) + np.bincount(neighbour, minlength=cells)
        offsets = np.concatenate([[0], np.cumsum(count)]).astype(np.int32)
        columns, faces = np.empty(2 * inner, np.uint32), np.empty(2 * inner, np.uint32)
        kernels.fill(owner, neighbour, offsets[:-1].copy(), columns, faces)
        order, taken = ordered(offsets, columns)
        columns, faces = columns[taken], faces[taken]
        upper, lower = np.empty(inner, np.uint32), np.empty(inner, np.uint32)
        places = np.arange(2 * inner, dtype=np.uint32)
        back = (faces & 1).astype(bool)
        upper[faces[~back] >> 1] = places[~back]
        lower[faces[back] >> 1] = places[back]
        outer = owner[inner:]
        edge_offsets = np.concatenate([[0], np.cumsum(np.bincount(outer, minlength=cells))]).astype(np.int32)
        if len(order.halo) == 0:
            columns = order.columns
        return cls(
            order, columns, faces, upper, lower, edge_offsets, np.argsort(outer, kind="stable").astype(np.uint32)
        )

    @cached_property
    def edge_cells(self) -> np.ndarray:
        """Cells with a boundary face, each once."""
        return np.nonzero(np.diff(self.edge_offsets))[0]
