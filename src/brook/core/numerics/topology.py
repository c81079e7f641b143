"""Which cells meet at which faces: what of a stencil stays when a mesh moves."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.mesh import PLANE_SIDES, Mesh, Patch
from brook.core.numerics.chunks import chunks_of
from brook.core.numerics.halo import Halo
from brook.core.numerics.rows import Rows


@dataclass(frozen=True, eq=False)
class Topology:
    """Of a mesh and its halo, of which nothing but numbers of cells and faces is asked."""

    mesh: Mesh
    halo: Halo

    @cached_property
    def active(self) -> int:
        """Number of faces that take part; those with a cell on both sides first."""
        plane = next((p for p in self.mesh.patches if p.name == PLANE_SIDES), None)
        if plane is None:
            return self.mesh.face_count
        if plane.end != self.mesh.face_count:
            raise ValueError("the plane sides have to be the last patch of a mesh")
        return plane.start

    @property
    def cells(self) -> int:
        """Number of cells, C."""
        return self.mesh.cell_count

    @cached_property
    def inner(self) -> int:
        """Number of faces with a cell on both sides."""
        return self.mesh.inner_count + len(self.halo)

    @cached_property
    def patches(self) -> tuple[Patch, ...]:
        """Those that take part, without pairs."""
        return tuple(p for p in self.mesh.patches if p.name != PLANE_SIDES and p.start >= self.inner)

    @cached_property
    def owner(self) -> np.ndarray:
        """The cell behind each active face (F,)."""
        return np.ascontiguousarray(self.mesh.owner[: self.active])

    @cached_property
    def neighbour(self) -> np.ndarray:
        """The cell on the other side of each inner face (inner,); copies stand at C and behind."""
        if not len(self.halo):
            return self.mesh.neighbour
        return np.concatenate([self.mesh.neighbour, self.cells + np.arange(len(self.halo), dtype=np.int32)])

    @cached_property
    def face_cell(self) -> np.ndarray:
        """The cell behind each boundary face."""
        return self.owner[self.inner :]

    @cached_property
    def ends(self) -> tuple[np.ndarray, np.ndarray]:
        """Owner and neighbour of inner faces (inner,), as compiled loops read them."""
        return tuple(
            np.ascontiguousarray(a[: self.inner], np.int32).view(np.uint32) for a in (self.owner, self.neighbour)
        )  # type: ignore[return-value]

    @cached_property
    def rows(self) -> Rows:
        """The faces round each cell."""
        return Rows.of(self.cells, self.owner, self.neighbour, self.halo)

    @cached_property
    def cell_chunks(self) -> np.ndarray:
        """How loops over cells are shared out."""
        return chunks_of(self.cells)

    @cached_property
    def face_chunks(self) -> np.ndarray:
        """How loops over inner faces are shared out."""
        return chunks_of(self.inner, self.cells)

    @cached_property
    def boundary_cells(self) -> np.ndarray:
        """The cells at boundaries (n,)."""
        return np.unique(self.face_cell).astype(np.uint32)

    @cached_property
    def whole_pattern(self) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """CSR offsets and columns of a matrix with its diagonal, which comes first in each row; where in it the diagonal
        and where the other entries stand."""
        rows, every = self.rows, np.arange(self.cells, dtype=np.int32)
        on = rows.offsets[:-1] + every
        count = int(rows.offsets[-1])
        off = np.arange(count, dtype=np.int32) + np.repeat(every, np.diff(rows.offsets)) + 1
        columns = np.empty(count + self.cells, np.int32)
        columns[on], columns[off] = every, rows.columns[:count]
        return np.append(rows.offsets[:-1] + every, len(columns)).astype(np.int32), columns, on, off
