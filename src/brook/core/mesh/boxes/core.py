"""A mesh on its way: polygons with the cells on their two sides and the region of the shape that those of the skin lie
on. Faces between cells stand first."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, fields
from functools import cached_property

import numpy as np
from scipy.sparse import csr_matrix

from brook.core.mesh.boxes.links import links_of
from brook.core.mesh.boxes.skin import LEAST, Features, kernels
from brook.core.mesh.kernels import chosen_faces, face_order, order_of_parts, renumbered, used_points
from brook.core.mesh.polyhedral import Mesh, Patch

# what gives the arrays of fitted boxes, kept from before or made by what it is given, which is then kept
Arrays = dict[str, np.ndarray]
Keep = Callable[[Callable[[], Arrays]], Arrays]
UNEVEN = 3  # judged of a cell
SKEWED = 1.5  # of the distance between the middles of neighbours, or half the size of the side between


@dataclass(frozen=True, eq=False)
class Core:
    """points (P, 3) in m; polygons flat and offsets (F + 1,); owner (F,) and neighbour (F,), -1 at the skin; label
    (skin faces,); size (C,) in m, with which volumes are compared; layer (C,), counted from the wall, 0 for others."""

    points: np.ndarray
    flat: np.ndarray
    offsets: np.ndarray
    owner: np.ndarray
    neighbour: np.ndarray
    label: np.ndarray
    size: np.ndarray
    layer: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int64))

    def arrays(self, name: str = "") -> Arrays:
        """All of it by names that begin with `name`."""
        return {f"{name}{one.name}": getattr(self, one.name) for one in fields(self)}

    @classmethod
    def of(cls, arrays: Arrays, name: str = "") -> Core:
        """What gave such arrays."""
        return cls(**{one.name: arrays[f"{name}{one.name}"] for one in fields(cls)})

    @cached_property
    def inner_count(self) -> int:
        """Number of faces between cells."""
        return int((self.neighbour >= 0).sum())

    @property
    def skin(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Polygons of the skin in CSR form and their cells."""
        inner = self.inner_count
        begin = self.offsets[inner]
        return self.flat[begin:], self.offsets[inner:] - begin, self.owner[inner:]

    @cached_property
    def links(self) -> csr_matrix:
        """Which points (P, P) are joined by an edge."""
        return links_of(self.flat, self.offsets, len(self.points))

    def judged(self, aside: float, even: np.ndarray | None = None) -> np.ndarray:
        """Of each cell (C,) 1 where it could not be computed on, 2 where only badly, 3 where it is uneven with a neighbour, else 0;
        `aside` is the share of a line between two middles that the side between has to leave to both, and `even` (C,) that from
        which on it is even."""
        return kernels.judged(
            self.points,
            self.flat,
            self.offsets,
            self.owner,
            self.neighbour,
            self.size,
            LEAST / 4,
            SKEWED,
            aside,
            np.zeros(len(self.size)) if even is None else even,
        )

    def sorted(self, parents: np.ndarray) -> tuple[Core, np.ndarray]:
        """The same with cells beside those they stand at (`parents` (C,)), faces in the order of a mesh, and only the
        points in use; `label` is one for each face here. Gives the parents in the new order too."""
        cells = len(parents)
        order, rank = order_of_parts(parents, int(parents.max(initial=-1)) + 1)
        owner, neighbour, turn = renumbered(self.owner, self.neighbour, rank)
        faces = face_order(owner, neighbour, cells)
        flat, offsets = chosen_faces(self.flat, self.offsets, faces, turn)
        used = used_points(flat, len(self.points))
        neighbour = neighbour[faces]
        made = Core(
            self.points[used], flat, offsets, owner[faces], neighbour, self.label[faces[neighbour < 0]],
            self.size[order], self.layer[order],
        )  # fmt: skip
        return made, parents[order]

    def mesh(self, features: Features, body: str) -> Mesh:
        """The mesh, faces of the skin patch by patch."""
        inner = self.inner_count
        patch = features.patch[self.label]
        order = np.concatenate([np.arange(inner), inner + np.argsort(patch, kind="stable")])
        flat, offsets = chosen_faces(self.flat, self.offsets, order, np.zeros(len(self.owner), bool))
        counts = np.bincount(patch, minlength=len(features.surface.patches))
        ends = inner + np.cumsum(counts)
        patches = tuple(
            Patch(name, int(end - count), int(end))
            for name, count, end in zip(features.surface.patches, counts, ends, strict=True)
            if count
        )
        return Mesh(
            self.points.copy(), flat, offsets, self.owner[order], self.neighbour[:inner].copy(), patches,
            (body,), np.zeros(len(self.size), np.int64), self.layer.copy(),
        )  # fmt: skip
