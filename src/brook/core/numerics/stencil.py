"""What the operators need to know of a mesh: weights, distances, gradient vectors.

Only active faces take part: the plane sides of a plane mesh stand last and are left out. Faces of periodic pairs have a cell on
both sides, the other one a copy (`Halo`), and count with the inner ones.
Boundary arrays hold the active boundary faces in the order of the mesh, pairs left out.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from brook.core.mesh import Mesh, Patch
from brook.core.numerics import passes
from brook.core.numerics.halo import Halo
from brook.core.numerics.rows import Rows
from brook.core.numerics.topology import Topology

STRAIGHT = 1e-12  # of the distance and of the face: what is skewed by less is straight
MOST = 0.5  # of the cells: where more are meant it is quicker to do all
CRUSHED = 0.1  # determinant of that under which a cell is left as it is
BENT = 1e-5  # share of its volume from which a cell counts as one with bent faces


@dataclass(frozen=True, eq=False)
class Fit:
    """Least squares for gradients: weights of boundary faces `near` (B,), and `inverse` (C, 6), the upper half of the
    inverse of each cell's moments, where every boundary has a value. Cells with others have their `own` (n, 6): `place`
    (C,) is 1 more than its row there, 0 for all other cells; empty if there are none."""

    near: np.ndarray
    inverse: np.ndarray
    own: np.ndarray
    place: np.ndarray


@dataclass(frozen=True, eq=False)
class Stencil:
    """`topology` is what stays when a mesh moves; all else is of its points as they are at a time."""

    mesh: Mesh
    halo: Halo = field(default_factory=Halo.none)
    topology: Topology = None  # type: ignore[assignment]

    def __post_init__(self) -> None:
        if self.topology is None:
            object.__setattr__(self, "topology", Topology(self.mesh, self.halo))

    def at(self, mesh: Mesh) -> Stencil:
        """That of the same cells when their points have moved. Raises `ValueError` for another mesh."""
        old = self.mesh
        if not (np.array_equal(mesh.owner, old.owner) and np.array_equal(mesh.neighbour, old.neighbour)):
            raise ValueError("a mesh that has moved has the same cells and faces as before")
        return Stencil(mesh, self.halo.at(mesh), self.topology)

    @property
    def active(self) -> int:
        """Number of faces that take part; those with a cell on both sides first."""
        return self.topology.active

    @property
    def inner(self) -> int:
        """Number of faces with a cell on both sides."""
        return self.topology.inner

    @property
    def cells(self) -> int:
        """Number of cells, C."""
        return self.topology.cells

    @property
    def patches(self) -> tuple[Patch, ...]:
        """Those that take part, without pairs."""
        return self.topology.patches

    @property
    def owner(self) -> np.ndarray:
        """The cell behind each active face (F,)."""
        return self.topology.owner

    @property
    def neighbour(self) -> np.ndarray:
        """The cell on the other side of each inner face (inner,); copies stand at C and behind."""
        return self.topology.neighbour

    @property
    def face_cell(self) -> np.ndarray:
        """The cell behind each boundary face."""
        return self.topology.face_cell

    @property
    def ends(self) -> tuple[np.ndarray, np.ndarray]:
        """Owner and neighbour of inner faces (inner,), as compiled loops read them."""
        return self.topology.ends

    @property
    def rows(self) -> Rows:
        """The faces round each cell."""
        return self.topology.rows

    @property
    def cell_chunks(self) -> np.ndarray:
        """How loops over cells are shared out."""
        return self.topology.cell_chunks

    @property
    def face_chunks(self) -> np.ndarray:
        """How loops over inner faces are shared out."""
        return self.topology.face_chunks

    @property
    def boundary_cells(self) -> np.ndarray:
        """The cells at boundaries (n,)."""
        return self.topology.boundary_cells

    @property
    def unpaired(self) -> Stencil:
        """The same with pairs as patches like others: what results stand on."""
        return self._without_pairs if len(self.halo) else self

    @cached_property
    def _without_pairs(self) -> Stencil:
        return Stencil(self.mesh)

    def across(self, values: np.ndarray) -> np.ndarray:
        """Values of cells (C, …) with those of copies behind them, as whoever looks over faces needs them: at `neighbour`."""
        return self.halo.behind(values) if len(self.halo) else values

    def with_pairs(self, values: np.ndarray, boundary: np.ndarray, over: np.ndarray | None = None) -> np.ndarray:
        """Values on the boundary faces of `unpaired` from those of cells and on boundaries; on faces of pairs they lie between
        both sides, `over` (H, …) being what stands beyond, copies where nothing is said."""
        count = len(self.halo)
        if not count:
            return boundary
        here = slice(self.inner - count, self.inner)
        w = self.weight[here].reshape(-1, *[1] * (values.ndim - 1))
        beyond = self.across(values)[self.cells :] if over is None else over
        return np.concatenate([w * values[self.owner[here]] + (1 - w) * beyond, boundary])

    @property
    def boundary_count(self) -> int:
        """Number of active boundary faces, B."""
        return self.active - self.inner

    def boundary_faces(self, patch: Patch) -> slice:
        """The faces of a patch within boundary arrays."""
        return slice(patch.start - self.inner, patch.end - self.inner)

    @property
    def is_agglomerated(self) -> bool:
        """Whether cells are lumps of others, whose faces are too rough for sums over them."""
        return False

    @cached_property
    def area(self) -> np.ndarray:
        """Area vectors of active faces (F, 3) in m²."""
        found = np.ascontiguousarray(self.mesh.face_vector[: self.active])
        return self._mirrored(found, -1.0)

    def _mirrored(self, faces: np.ndarray, sign: float = 1.0, whole: float = 0.0) -> np.ndarray:
        """Values of faces, those of partners in pairs made from those of their patches: what leaves here then enters there."""
        if not len(self.halo):
            return faces
        found = faces.copy()
        self.halo.mirror(found[self.inner - len(self.halo) : self.inner], sign, whole)
        return found

    @cached_property
    def boundary_normal(self) -> np.ndarray:
        """Outward unit normals (B, 3)."""
        area = self.area[self.inner :]
        return area / np.linalg.norm(area, axis=1)[:, None]

    @cached_property
    def centre(self) -> np.ndarray:
        """Centroids of cells (C, 3) in m, and behind them those of copies."""
        return np.concatenate([self.mesh.centre, self.halo.centre]) if len(self.halo) else self.mesh.centre

    def lines(self) -> np.ndarray:
        """From the owner's centroid to the neighbour's (inner, 3), in m; computed each time."""
        found = self.centre[self.neighbour]
        found -= self.centre[self.owner[: self.inner]]
        return found

    @cached_property
    def boundary_line(self) -> np.ndarray:
        """From the cell's centroid to that of the boundary face (B, 3), in m."""
        return self.mesh.face_centres(slice(self.inner, self.active)) - self.centre[self.face_cell]

    @cached_property
    def geometric_diffusion(self) -> np.ndarray:
        """|S|²/(S·d): the over-relaxed coefficient of the normal gradient times area (F,), in m.

        At a boundary it is |S| over the normal distance. Jasak (1996).
        """
        squared = np.einsum("ij,ij->i", self.area, self.area)
        squared[: self.inner] /= np.einsum("ij,ij->i", self.area[: self.inner], self.lines())
        squared[self.inner :] /= np.einsum("ij,ij->i", self.area[self.inner :], self.boundary_line)
        return self._mirrored(squared)

    @cached_property
    def boundary_non_orthogonal(self) -> np.ndarray:
        """S - geometric_diffusion * d on boundaries (B, 3), in m²: what non-orthogonality leaves to the explicit correction."""
        return self.area[self.inner :] - self.geometric_diffusion[self.inner :, None] * self.boundary_line

    @cached_property
    def wall_slope_factor(self) -> np.ndarray:
        """By how much the slope at a boundary face (B,) is drawn out beyond that of the step to it: what a wall feels of a
        parabola is then exact. Nothing where cells are lumps, whose gradients are too rough."""
        if self.is_agglomerated:
            return np.zeros(self.boundary_count)
        rows, every = self.rows, self.every_boundary
        out = np.empty(self.boundary_count)
        passes.bends(
            self.face_cell, self.boundary_normal, rows.offsets, rows.beside, rows.boundary_offsets, rows.boundary_faces, self.centre,
            self.boundary_line, every.near, every.inverse, out,
        )  # fmt: skip
        return out

    @cached_property
    def weight(self) -> np.ndarray:
        """Weight of the owner in linear interpolation to inner faces (inner,)."""
        area = self.area[: self.inner]
        to_owner = self.mesh.face_centres(slice(self.inner))
        to_owner -= self.centre[self.owner[: self.inner]]
        near = np.einsum("ij,ij->i", area, to_owner)
        return self._mirrored(1.0 - near / np.einsum("ij,ij->i", area, self.lines()), -1.0, 1.0)

    @cached_property
    def skew(self) -> np.ndarray:
        """From where the line of centres meets the face to the face's centroid (inner, 3), in m, or nothing (0, 3) where
        all meet it. float32, for room."""
        found = self.mesh.face_centres(slice(self.inner))
        found -= self.centre[self.neighbour]
        lines = self.lines()
        found += self.weight[:, None] * lines
        found = self._mirrored(found)
        away = np.einsum("ij,ij->i", found, found) > STRAIGHT**2 * np.einsum("ij,ij->i", lines, lines)
        return found.astype(np.float32) if away.any() else np.zeros((0, 3), np.float32)

    @cached_property
    def face_kind(self) -> np.ndarray:
        """Which of the corrections for bent meshes an inner face needs (inner,): `passes.SKEWED` and `passes.NON_ORTHOGONAL`."""
        lines, area = self.lines(), self.area[: self.inner]
        found = np.zeros(self.inner, np.uint8)
        if len(self.skew):
            found[np.linalg.norm(self.skew, axis=1) > STRAIGHT * np.linalg.norm(lines, axis=1)] = passes.SKEWED
        lines *= -self.geometric_diffusion[: self.inner, None]
        lines += area
        found[np.linalg.norm(lines, axis=1) > STRAIGHT * np.linalg.norm(area, axis=1)] |= passes.NON_ORTHOGONAL
        return found

    def fit(self, included: np.ndarray) -> Fit:
        """Least squares, weighted by 1/d²; `included` (B,) says which boundary faces have a value to fit.

        Directions in which a cell has no neighbour get a zero gradient.
        """
        every = self.every_boundary
        cells = np.unique(self.face_cell[~included])
        if not len(cells):
            return every
        near = every.near * included
        place = np.zeros(self.cells, np.uint32)
        place[cells] = 1 + np.arange(len(cells))
        return Fit(near, every.inverse, self._inverses(cells, near), place)

    @cached_property
    def every_boundary(self) -> Fit:
        """For a field that has a value on every boundary face."""
        near = 1.0 / np.einsum("ij,ij->i", self.boundary_line, self.boundary_line)
        inverse = self._inverses(np.arange(self.cells), near)
        return Fit(near, inverse, np.zeros((0, 6)), np.zeros(0, np.uint32))

    def _inverses(self, cells: np.ndarray, near: np.ndarray) -> np.ndarray:
        """Upper halves of the inverses of the moments (n, 6) of some cells (n,), in place of these; boundaries (B,) weigh
        `near`."""
        rows, moment = self.rows, np.zeros((len(cells), 6))
        passes.moments(
            cells,
            rows.offsets,
            rows.beside,
            rows.boundary_offsets,
            rows.boundary_faces,
            self.centre,
            self.boundary_line,
            near,
            moment,
        )
        return _inverse(moment)

    def passing(self, flux: np.ndarray) -> np.ndarray:
        """Half of |flux| (F,) summed over the faces of each cell (C,): what passes through it."""
        through, within = np.abs(flux), self.mesh.inner_count
        total = np.bincount(self.owner, through, self.cells)
        total += np.bincount(self.mesh.neighbour, through[:within], self.cells)
        return 0.5 * total

    @cached_property
    def unbent(self) -> tuple[np.ndarray, np.ndarray]:
        """Where the sum over faces of place times area is not the volume, since faces are bent: `of` (C,), one more than the
        number of such a cell and 0 for others, or nothing (0,) where none is; and what makes it so, (n, 3, 3)."""
        rows, middle, found = self.rows, self.mesh.face_centres(slice(self.active)), np.empty((self.cells, 3, 3))
        passes.spans(
            rows.offsets,
            rows.faces,
            rows.boundary_offsets,
            rows.boundary_faces,
            self.centre,
            middle,
            self.area,
            self.mesh.volume,
            found,
        )
        found[~(np.linalg.det(found) > CRUSHED)] = np.eye(3)  # no sum makes up for a cell that bad
        bent = np.nonzero(np.abs(found - np.eye(3)).max(axis=(1, 2)) > BENT)[0]
        of = np.zeros(self.cells if len(bent) else 0, np.uint32)
        of[bent] = 1 + np.arange(len(bent))
        return of, np.linalg.inv(found[bent])

    @cached_property
    def skewed_cells(self) -> np.ndarray:
        """The cells at boundaries and at faces off the line of centres, (n,) or nothing where these are most."""
        here = np.zeros(self.cells + len(self.halo), bool)
        here[self.boundary_cells] = True
        off = self.face_kind & passes.SKEWED > 0
        here[self.owner[: self.inner][off]] = here[self.neighbour[off]] = True
        found = np.nonzero(here[: self.cells])[0].astype(np.uint32)
        return found if len(found) < MOST * self.cells else found[:0]

    def gauss_arrays(self, fit: Fit) -> tuple[np.ndarray, ...]:
        """What `passes.gauss_gradient` needs of the mesh and of where the pressure is known."""
        rows = self.rows
        return (
            rows.offsets, rows.beside, rows.faces, rows.boundary_offsets, rows.boundary_faces, self.boundary_line, fit.near, self.weight,
            self.face_kind, self.skew, self.area, self.mesh.volume, *self.unbent,
        )  # fmt: skip


def _inverse(moment: np.ndarray) -> np.ndarray:
    """Inverses (C, 6) of symmetric matrices (C, 6); nothing in directions in which they are nothing."""
    found = np.empty_like(moment)
    weak = np.nonzero(passes.inverted(moment, found))[0]
    whole = np.linalg.pinv(moment[weak][:, [[0, 1, 2], [1, 3, 4], [2, 4, 5]]], rcond=1e-9, hermitian=True)
    found[weak] = whole.reshape(-1, 9)[:, [0, 1, 2, 4, 5, 8]]
    return found
