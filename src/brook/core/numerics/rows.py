"""Cells with the faces round them: what loops over cells read, so that no two threads write to the same place.

A row holds first the neighbours before the cell, then those behind it, then those of another block of rows and the copies of
a halo; sweeps thus go over parts of a row without asking.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.numerics import kernels
from brook.core.numerics.chunks import blocks_of
from brook.core.numerics.halo import Halo


@dataclass(frozen=True, eq=False)
class Order:
    """How sweeps over blocks read a CSR matrix (n rows, no diagonal): entries up to `split` (n,) stand before their row.

    `columns` (nnz,) are as in the matrix, but those of other blocks, and copies of a `Halo`, stand at n and behind: `halo`
    (h,) are the rows of which they are. Vectors of the rows at `turned` (k,) are turned on the way, by `turns` (k, 3, 3).
    """

    offsets: np.ndarray
    split: np.ndarray
    columns: np.ndarray
    halo: np.ndarray
    blocks: np.ndarray
    turned: np.ndarray
    turns: np.ndarray

    @property
    def length(self) -> int:
        """Of an array of unknowns with room for its halo."""
        return len(self.split) + len(self.halo)

    def exchange(self, x: np.ndarray) -> None:
        """Copies the rows of x, (length,) or (length, 3), that are seen from elsewhere. In place."""
        if len(self.halo):
            (kernels.exchange if x.ndim == 1 else kernels.exchange_vectors)(self.halo, x)
        if len(self.turned) and x.ndim == 2:
            x[self.turned] = np.einsum("hij,hj->hi", self.turns, x[self.turned])


def ordered(offsets: np.ndarray, columns: np.ndarray, halo: Halo | None = None) -> tuple[Order, np.ndarray]:
    """The order of a CSR pattern without its diagonal, and where (nnz,) each of its entries comes from. Columns from the
    number of rows on are the copies of a halo."""
    halo = halo or Halo.none()
    count = len(offsets) - 1
    blocks = blocks_of(count)
    columns = columns.astype(np.uint32)
    taken, split = np.empty(len(columns), np.uint32), np.empty(count, np.int32)
    ends = np.empty(count, np.int32)
    kernels.arrange(offsets, columns, blocks, taken, split, ends)
    arranged = columns[taken]
    outside = np.empty(len(columns), bool)
    kernels.mark(offsets, ends, outside)
    seen, place = np.unique(arranged[outside], return_inverse=True)
    mapped = arranged if not len(seen) else arranged.copy()
    mapped[outside] = count + place.reshape(-1)
    rows = np.concatenate([seen[seen < count], halo.source]).astype(np.uint32)
    turned = count + len(rows) - len(halo) + halo.turned
    return Order(offsets, split, mapped, rows, blocks, turned, halo.turns), taken


@dataclass(frozen=True, eq=False)
class Rows:
    """`columns` (nnz,) the neighbours of each cell, row after row from `offsets` (C + 1,) on, and `faces` (nnz,): twice
    the face between both, and 1 more where the cell is the face's neighbour. `beside` (nnz,) are the same neighbours, but
    copies of a halo, at C and behind, for themselves: what stands over a face.

    `upper` and `lower` (inner,): where the owner's and the neighbour's entry of a face stand; those of copies come behind all
    rows, where nobody reads them. `boundary_faces` (B,) are boundary faces in the order of their cells, from `boundary_offsets` (C + 1,) on.
    """

    order: Order
    columns: np.ndarray
    beside: np.ndarray
    faces: np.ndarray
    upper: np.ndarray
    lower: np.ndarray
    boundary_offsets: np.ndarray
    boundary_faces: np.ndarray

    @property
    def offsets(self) -> np.ndarray:
        """Where the row of each cell begins (C + 1,)."""
        return self.order.offsets

    @classmethod
    def of(cls, cells: int, owner: np.ndarray, neighbour: np.ndarray, halo: Halo | None = None) -> Rows:
        """From the owners (F,) of all faces and the neighbours (inner,) of those that have one, which stand first; neighbours
        from `cells` on are the copies of a halo."""
        halo = halo or Halo.none()
        inner, length = len(neighbour), cells + len(halo)
        count = np.bincount(owner[:inner], minlength=length) + np.bincount(neighbour, minlength=length)
        begin = np.concatenate([[0], np.cumsum(count)]).astype(np.int32)
        beside, faces = np.empty(2 * inner, np.uint32), np.empty(2 * inner, np.uint32)
        kernels.fill(owner, neighbour, begin[:-1].copy(), beside, faces)
        offsets, entries = begin[: cells + 1].copy(), int(begin[cells])
        order, taken = ordered(offsets, beside[:entries], halo)
        beside[:entries], faces[:entries] = beside[taken], faces[taken]
        upper, lower = np.empty(inner, np.uint32), np.empty(inner, np.uint32)
        places = np.arange(2 * inner, dtype=np.uint32)
        back = (faces & 1).astype(bool)
        upper[faces[~back] >> 1] = places[~back]
        lower[faces[back] >> 1] = places[back]
        outer = owner[inner:]
        boundary_offsets = np.concatenate([[0], np.cumsum(np.bincount(outer, minlength=cells))]).astype(np.int32)
        boundary_faces = np.argsort(outer, kind="stable").astype(np.uint32)
        if len(order.halo) == 0:
            beside = order.columns
        columns = beside
        if len(halo):
            columns = beside.copy()
            copies = columns >= cells
            columns[copies] = halo.source[columns[copies] - cells]
        return cls(order, columns, beside, faces, upper, lower, boundary_offsets, boundary_faces)

    @cached_property
    def boundary_cells(self) -> np.ndarray:
        """Cells with a boundary face, each once."""
        return np.nonzero(np.diff(self.boundary_offsets))[0]
