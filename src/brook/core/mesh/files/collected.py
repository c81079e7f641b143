"""Cells and boundary polygons of a file on their way to a mesh."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.files import FileError
from brook.core.geometry.files.base import LARGEST, MOST_PATCHES, patch_name
from brook.core.mesh import kernels
from brook.core.mesh.assembling import Polygons, assembled, sides_of
from brook.core.mesh.polyhedral import PLANE_SIDES, WEDGE_SIDES, Mesh
from brook.core.mesh.renumbering import renumbered

MOST_CELLS = 30_000_000
REST = "outside"
CLOSED = 1e-9  # of its area: what may be missing of a cell whose sides are all turned alike


class Collected:
    """`add_*` in any order, then `mesh`. Points are numbered from 0; whatever a body or a patch is called in the file
    becomes a name."""

    def __init__(self, points: np.ndarray):
        if points.ndim != 2 or points.shape[1] != 3 or not len(points):
            raise FileError("the file has no points in three dimensions")
        if not np.isfinite(points).all() or np.abs(points).max() > LARGEST:
            raise FileError("a point of the file is no number, or far too large; write the file anew")
        self.points = np.ascontiguousarray(points, float)
        self._sides: list[Polygons] = []
        self._cell: list[np.ndarray] = []
        self._body: list[np.ndarray] = []
        self._bodies: list[str] = []
        self._patches: dict[str, list[Polygons]] = {}
        self.count = 0

    def add_cells(self, kind: str, corners: np.ndarray, body: str = "fluid") -> None:
        """Cells (n, corners) of a kind of `assembling.SIDES`."""
        self._check(corners)
        sides = sides_of(kind, corners)
        self._add(
            Polygons.rows(sides.reshape(-1, 4)), np.repeat(np.arange(len(corners)), sides.shape[1]), len(corners), body
        )

    def add_polyhedra(self, sides: Polygons, cell: np.ndarray, count: int, body: str = "fluid") -> None:
        """`count` cells by their sides, `cell` (F,) says whose each is; a side may look in or out."""
        self._check(sides.flat)
        self._add(sides, cell, count, body)

    def add_patch(self, name: str, polygons: Polygons) -> None:
        """Takes in the sides of a patch. Raises `FileError` for too many patches."""
        self._check(polygons.flat)
        self._patches.setdefault(name, []).append(polygons)
        if len(self._patches) > MOST_PATCHES:
            raise FileError(f"the file names more than {MOST_PATCHES} patches; join some before bringing it in")

    def mesh(self) -> Mesh:
        """The mesh of all that was taken in. Raises `FileError`."""
        if not self.count:
            raise FileError("the file has no cells with a volume; check what was chosen when it was written")
        sides = Polygons.joined(self._sides)
        cell = np.concatenate(self._cell)
        sides = self._outward(sides, cell)
        taken: list[str] = []
        patches = []
        for name, parts in self._patches.items():
            known = name if name in (PLANE_SIDES, WEDGE_SIDES) else patch_name(name, taken)
            taken.append(known)
            patches.append((known, Polygons.joined(parts)))
        bodies: list[str] = []
        for name in self._bodies:
            bodies.append(patch_name(name, bodies))
        rest = patch_name(REST, taken)
        body = np.concatenate(self._body)
        return renumbered(assembled(self.points, sides, cell, patches, rest, tuple(bodies), body))

    def _add(self, sides: Polygons, cell: np.ndarray, count: int, body: str) -> None:
        if self.count + count > MOST_CELLS:
            raise FileError(f"the file has over {MOST_CELLS // 1_000_000} million cells; write a coarser mesh")
        if body not in self._bodies:
            self._bodies.append(body)
        self._sides.append(sides)
        self._cell.append(cell + self.count)
        self._body.append(np.full(count, self._bodies.index(body)))
        self.count += count

    def _check(self, numbers: np.ndarray) -> None:
        if numbers.size and (numbers.min() < 0 or numbers.max() >= len(self.points)):
            raise FileError("a cell of the file names a point that the file does not have; write the file anew")

    def _outward(self, sides: Polygons, cell: np.ndarray) -> Polygons:
        """All sides looking out of their cells; those of a cell that close it are turned together or not at all."""
        vector = kernels.face_vectors(self.points, sides.flat, sides.offsets)
        centre = kernels.face_centres(self.points, sides.flat, sides.offsets, vector)
        area = np.linalg.norm(vector, axis=1)
        total = np.maximum(np.bincount(cell, area, self.count), 1e-300)
        left = np.linalg.norm([np.bincount(cell, vector[:, i], self.count) for i in range(3)], axis=0)
        middle = np.stack([np.bincount(cell, area * centre[:, i], self.count) for i in range(3)], axis=1)
        out = np.einsum("ij,ij->i", vector, centre - (middle / total[:, None])[cell])
        closed = left < CLOSED * total
        inward = np.where(closed[cell], (np.bincount(cell, out, self.count) < 0)[cell], out < 0)
        if not inward.any():
            return sides
        turned = sides.turned()
        flat = np.where(np.repeat(inward, sides.corners), turned.flat, sides.flat)
        return Polygons(flat, sides.offsets)
