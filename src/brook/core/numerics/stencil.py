"""What the operators need to know of a mesh: weights, distances, gradient vectors.

Only active faces take part: the plane sides of a plane mesh stand last and are left out.
Boundary arrays hold the active boundary faces in the order of the mesh.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.mesh import PLANE_SIDES, Mesh, Patch


@dataclass(frozen=True, eq=False)
class Stencil:
    mesh: Mesh

    @cached_property
    def active(self) -> int:
        """Number of faces that take part; inner ones first."""
        if not self.mesh.is_plane:
            return self.mesh.face_count
        plane = self.mesh.patch(PLANE_SIDES)
        if plane.end != self.mesh.face_count:
            raise ValueError("the plane sides have to be the last patch of a mesh")
        return plane.start

    @property
    def inner(self) -> int:
        return self.mesh.inner_count

    @property
    def boundary_count(self) -> int:
        return self.active - self.inner

    @property
    def cells(self) -> int:
        return self.mesh.cell_count

    @cached_property
    def patches(self) -> tuple[Patch, ...]:
        return tuple(p for p in self.mesh.patches if p.name != PLANE_SIDES)

    def boundary_faces(self, patch: Patch) -> slice:
        """The faces of a patch within boundary arrays."""
        return slice(patch.start - self.inner, patch.end - self.inner)

    @cached_property
    def owner(self) -> np.ndarray:
        return np.ascontiguousarray(self.mesh.owner[: self.active])

    @property
    def neighbour(self) -> np.ndarray:
        return self.mesh.neighbour

    @cached_property
    def face_cell(self) -> np.ndarray:
        """The cell behind each boundary face."""
        return self.owner[self.inner :]

    @cached_property
    def area(self) -> np.ndarray:
        """Area vectors of active faces (F, 3) in m²."""
        return np.ascontiguousarray(self.mesh.face_vector[: self.active])

    @cached_property
    def boundary_normal(self) -> np.ndarray:
        """Outward unit normals (B, 3)."""
        area = self.area[self.inner :]
        return area / np.linalg.norm(area, axis=1)[:, None]

    @cached_property
    def line(self) -> np.ndarray:
        """From the owner's centroid to the neighbour's, or to the boundary face (F, 3), in m."""
        start = self.mesh.centre[self.owner]
        end = self.mesh.face_centre[: self.active].copy()
        end[: self.inner] = self.mesh.centre[self.neighbour]
        return end - start

    @cached_property
    def stiffness(self) -> np.ndarray:
        """|S|²/(S·d): the over-relaxed coefficient of the normal gradient times area (F,), in m.

        At a boundary it is |S| over the normal distance. Jasak (1996).
        """
        squared = np.einsum("ij,ij->i", self.area, self.area)
        return squared / np.einsum("ij,ij->i", self.area, self.line)

    @cached_property
    def cross(self) -> np.ndarray:
        """S - stiffness * d: what non-orthogonality leaves to the explicit correction (F, 3), in m²."""
        return self.area - self.stiffness[:, None] * self.line

    @cached_property
    def weight(self) -> np.ndarray:
        """Weight of the owner in linear interpolation to inner faces (inner,)."""
        area = self.area[: self.inner]
        to_owner = self.mesh.face_centre[: self.inner] - self.mesh.centre[self.owner[: self.inner]]
        near = np.einsum("ij,ij->i", area, to_owner)
        return 1.0 - near / np.einsum("ij,ij->i", area, self.line[: self.inner])

    @cached_property
    def skew(self) -> np.ndarray:
        """From where the line of centres meets the face to the face's centroid (inner, 3), in m."""
        w = self.weight[:, None]
        centre = self.mesh.centre
        crossing = w * centre[self.owner[: self.inner]] + (1 - w) * centre[self.neighbour]
        return self.mesh.face_centre[: self.inner] - crossing

    def gradient_vectors(self, included: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Least-squares vectors, weighted by 1/d², for the owner and the neighbour of each face.

        gradient of a cell = sum over its faces of vector * (value at the far end - value at the near end),
        far and near as `line` points. `included` (B,) says which boundary faces have a value to fit.
        Directions in which a cell has no neighbour get a zero gradient.
        """
        owner, neighbour, inner = self.owner, self.neighbour, self.inner
        weight = 1.0 / np.einsum("ij,ij->i", self.line, self.line)
        weight[inner:] *= included
        outer = weight[:, None, None] * self.line[:, :, None] * self.line[:, None, :]
        moment = np.zeros((self.cells, 9))
        for k in range(9):
            flat = outer.reshape(-1, 9)[:, k]
            moment[:, k] = np.bincount(owner, flat, self.cells) + np.bincount(neighbour, flat[:inner], self.cells)
        inverse = _inverse(moment.reshape(-1, 3, 3), self.mesh.is_plane)
        pull = weight[:, None] * self.line
        of_owner = np.einsum("fij,fj->fi", inverse[owner], pull)
        of_neighbour = np.einsum("fij,fj->fi", inverse[neighbour], pull[:inner])
        return of_owner, of_neighbour

    @cached_property
    def every_boundary(self) -> tuple[np.ndarray, np.ndarray]:
        """Gradient vectors for a field that has a value on every boundary face."""
        return self.gradient_vectors(np.ones(self.boundary_count, bool))

    @cached_property
    def off_diagonal_pattern(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """CSR offsets and columns of a matrix without its diagonal, and the order of [upper, lower] in it."""
        owner, neighbour = self.owner[: self.inner], self.neighbour
        return _csr(self.cells, np.concatenate([owner, neighbour]), np.concatenate([neighbour, owner]))

    @cached_property
    def whole_pattern(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """CSR offsets and columns of a matrix, and the order of [diagonal, upper, lower] in it."""
        owner, neighbour, every = self.owner[: self.inner], self.neighbour, np.arange(self.cells)
        return _csr(self.cells, np.concatenate([every, owner, neighbour]), np.concatenate([every, neighbour, owner]))


def _inverse(moment: np.ndarray, is_plane: bool) -> np.ndarray:
    """Inverses (C, 3, 3) of symmetric matrices; nothing in directions in which they are nothing."""
    if not is_plane:
        return np.linalg.pinv(moment, rcond=1e-9, hermitian=True)
    found = np.zeros_like(moment)
    a, b, c = moment[:, 0, 0], moment[:, 0, 1], moment[:, 1, 1]
    determinant = a * c - b * b
    sound = determinant > 1e-9 * (a + c) ** 2
    over = 1.0 / np.where(sound, determinant, 1.0)
    found[:, 0, 0], found[:, 1, 1] = c * over, a * over
    found[:, 0, 1] = found[:, 1, 0] = -b * over
    found[~sound] = np.linalg.pinv(moment[~sound], rcond=1e-9, hermitian=True)
    return found


def _csr(cells: int, rows: np.ndarray, columns: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    order = np.lexsort((columns, rows))
    offsets = np.concatenate([[0], np.cumsum(np.bincount(rows, minlength=cells))])
    return offsets.astype(np.int32), columns[order].astype(np.int32), order
