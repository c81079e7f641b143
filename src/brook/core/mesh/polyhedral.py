"""The face-addressed polyhedral mesh.

Faces are point lists in CSR form. Inner faces come first, ordered by owner then neighbour;
boundary faces follow, patch by patch. A face's normal points from its owner to its neighbour,
or outward. Plane meshes are one cell thick; their two plane sides are patches of kind
`plane_sides`, which take part in the geometry but in no equation. Meshes round an axis are a thin
wedge; both sides of it are the patch `wedge_sides`, at which the flow is mirrored.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np

from brook.core.mesh import kernels

PLANE_SIDES = "plane_sides"
WEDGE_SIDES = "wedge_sides"
EVERY = slice(None)


@dataclass(frozen=True)
class Patch:
    """Boundary faces `start` to `end` under one name."""

    name: str
    start: int
    end: int

    @property
    def faces(self) -> slice:
        """Its faces within those of the mesh."""
        return slice(self.start, self.end)

    @property
    def count(self) -> int:
        """How many faces it has."""
        return self.end - self.start


@dataclass(frozen=True, eq=False)
class Mesh:
    """A polyhedral mesh in m. Arrays are frozen; derived geometry is computed once, but for centroids and areas of faces,
    which few ask for once a run is set up. Whole numbers are int32, for room.

    points (P, 3); face_points (sum of corners,); face_offsets (F+1,); owner (F,);
    neighbour (inner faces,); patches cover the boundary faces in order;
    body (C,) is each cell's body number, an index into `bodies`; layer (C,) counts layers along walls from the wall,
    0 for all other cells; of faces between bodies wall (inner faces,) is the place of their name in `walls`, -1 for all
    others, or empty where there is but one body.
    """

    points: np.ndarray
    face_points: np.ndarray
    face_offsets: np.ndarray
    owner: np.ndarray
    neighbour: np.ndarray
    patches: tuple[Patch, ...]
    bodies: tuple[str, ...]
    body: np.ndarray
    layer: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int32))
    wall: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int32))
    walls: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if len(self.layer) != len(self.body):
            object.__setattr__(self, "layer", np.zeros(len(self.body), np.int32))
        if len(self.face_points) > np.iinfo(np.int32).max:
            raise ValueError("the mesh has more corners of faces than can be numbered; make it coarser")
        for name in ("face_points", "face_offsets", "owner", "neighbour", "body", "layer", "wall"):
            object.__setattr__(self, name, _frozen(np.asarray(getattr(self, name), np.int32)))
        self.points.setflags(write=False)

    @property
    def cell_count(self) -> int:
        """Number of cells, C."""
        return len(self.body)

    @property
    def face_count(self) -> int:
        """Number of all faces, F."""
        return len(self.owner)

    @property
    def inner_count(self) -> int:
        """Number of faces between cells, which stand first."""
        return len(self.neighbour)

    @property
    def is_plane(self) -> bool:
        """Whether the mesh is one cell thick, its two planes left out of the equations."""
        return any(p.name == PLANE_SIDES for p in self.patches)

    @property
    def is_wedge(self) -> bool:
        """Whether the mesh is one cell thick round the axis y = 0."""
        return any(p.name == WEDGE_SIDES for p in self.patches)

    def patch(self, name: str) -> Patch:
        """The patch of that name. Raises `KeyError`."""
        for patch in self.patches:
            if patch.name == name:
                return patch
        raise KeyError(name)

    @property
    def between_bodies(self) -> tuple[np.ndarray, tuple[str, ...], np.ndarray]:
        """Inner faces (n,) that are walls between bodies, names, and which of these (n,) each face has."""
        at_wall = np.nonzero(self.wall >= 0)[0]
        kept, which = np.unique(self.wall[at_wall], return_inverse=True)
        return at_wall, tuple(self.walls[k] for k in kept), which

    @cached_property
    def _cells(self) -> tuple[np.ndarray, np.ndarray]:
        return self._cells_from(self.face_centres())

    def _cells_from(self, face_centre: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return _frozen_pair(
            *kernels.cell_geometry(
                self.points,
                self.face_points,
                self.face_offsets,
                self.owner,
                self.neighbour,
                face_centre,
                self.cell_count,
            )
        )

    def centres_with_cells(self) -> np.ndarray:
        """Centroids (F, 3) in m of all faces, computed each time; `volume` and `centre` come of them where they are not known yet."""
        found = self.face_centres()
        if "_cells" not in self.__dict__:
            self.__dict__["_cells"] = self._cells_from(found)
        return found

    @cached_property
    def face_vector(self) -> np.ndarray:
        """Area vectors (F, 3) in m²."""
        return _frozen(kernels.face_vectors(self.points, self.face_points, self.face_offsets))

    def face_centres(self, faces: slice = EVERY) -> np.ndarray:
        """Centroids (n, 3) in m of faces, computed each time."""
        first, last, _ = faces.indices(self.face_count)
        return kernels.face_centres(
            self.points, self.face_points, self.face_offsets[first : last + 1], self.face_vector[faces]
        )

    def face_areas(self, faces: slice = EVERY) -> np.ndarray:
        """Areas (n,) in m² of faces, computed each time."""
        vector = self.face_vector[faces]
        return np.sqrt(np.einsum("ij,ij->i", vector, vector))

    @property
    def volume(self) -> np.ndarray:
        """Cell volumes (C,) in m³."""
        return self._cells[0]

    @property
    def centre(self) -> np.ndarray:
        """Centroids of cells (C, 3) in m."""
        return self._cells[1]

    @cached_property
    def cell_faces(self) -> tuple[np.ndarray, np.ndarray]:
        """Faces of each cell as CSR: (offsets (C+1,), faces)."""
        return _frozen_pair(*kernels.faces_of_cells(self.owner, self.neighbour, self.cell_count))

    @cached_property
    def cell_box(self) -> tuple[np.ndarray, np.ndarray]:
        """Lower and upper corners (C, 3) of the box round each cell, in m."""
        return _frozen_pair(
            *kernels.cell_boxes(
                self.points, self.face_points, self.face_offsets, self.owner, self.neighbour, self.cell_count
            )
        )

    @cached_property
    def size(self) -> float:
        """The diagonal of the mesh in m, without the depth of a plane one."""
        span = np.ptp(self.points, axis=0)
        return float(np.linalg.norm(span[:2] if self.is_plane else span))

    def part(self, bodies: Sequence[int]) -> Mesh:
        """The mesh of some bodies; their walls to the others are patches under the names that these walls have."""
        mine = np.isin(self.body, bodies)
        number = np.cumsum(mine) - 1
        inner = self.inner_count
        here, there = mine[self.owner[:inner]], mine[self.neighbour]
        within = np.nonzero(here & there)[0]
        sides = np.nonzero(here != there)[0]
        outer = inner + np.nonzero(mine[self.owner[inner:]])[0]
        names = [p.name for p in self.patches]
        of_outer = np.repeat(np.arange(len(names)), [p.count for p in self.patches])[outer - inner]
        names += [n for n in self.walls if n not in names]
        wall_number = np.array([names.index(n) for n in self.walls], np.int64)
        patch = np.concatenate([wall_number[self.wall[sides]], of_outer])
        order = np.argsort(patch, kind="stable")
        faces = np.concatenate([within, np.concatenate([sides, outer])[order]])
        turn = np.zeros(self.face_count, bool)
        turn[sides[there[sides]]] = True
        flat, offsets = kernels.chosen_faces(self.face_points, self.face_offsets, faces, turn)
        used = np.zeros(len(self.points), bool)
        used[flat] = True
        cell = np.where(turn, np.append(self.neighbour, np.zeros(self.face_count - inner, np.int64)), self.owner)
        counts = np.bincount(patch, minlength=len(names))
        ends = len(within) + np.concatenate([[0], np.cumsum(counts)])
        kept = [k for k in range(len(self.bodies)) if k in bodies]
        return Mesh(
            self.points[used], (np.cumsum(used) - 1)[flat], offsets, number[cell[faces]], number[self.neighbour[within]],
            tuple(Patch(n, int(a), int(b)) for n, a, b in zip(names, ends[:-1], ends[1:], strict=True) if b > a),
            tuple(self.bodies[k] for k in kept), np.searchsorted(kept, self.body[mine]), self.layer[mine],
            self.wall[within] if len(kept) > 1 and len(self.wall) else np.zeros(0, np.int32), self.walls if len(kept) > 1 else (),
        )  # fmt: skip

    def save(self, path: Path) -> None:
        """Writes the mesh into an npz file."""
        starts = np.array([p.start for p in self.patches] + [self.face_count])
        np.savez(
            path, points=self.points, face_points=self.face_points, face_offsets=self.face_offsets,
            owner=self.owner, neighbour=self.neighbour, body=self.body, patch_starts=starts,
            patch_names=np.array([p.name for p in self.patches]), bodies=np.array(self.bodies), layer=self.layer,
            wall=self.wall, walls=np.array(self.walls, str),
        )  # fmt: skip

    @classmethod
    def load(cls, path: Path) -> Mesh:
        """Reads it again."""
        with np.load(path) as data:
            starts = data["patch_starts"]
            patches = tuple(
                Patch(str(n), int(a), int(b))
                for n, a, b in zip(data["patch_names"], starts[:-1], starts[1:], strict=True)
            )
            return cls(
                data["points"], data["face_points"], data["face_offsets"], data["owner"], data["neighbour"],
                patches, tuple(str(b) for b in data["bodies"]), data["body"],
                *((data["layer"], data["wall"], tuple(str(n) for n in data["walls"])) if "walls" in data else ()),
            )  # fmt: skip


def _frozen(array: np.ndarray) -> np.ndarray:
    array.setflags(write=False)
    return array


def _frozen_pair(first: np.ndarray, second: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return _frozen(first), _frozen(second)
