"""Flows on agglomerates of cells.

Agglomerates come from pairing cells across their widest faces, three times. They have volumes, centres and faces but no points,
and nothing on them is corrected for bent faces: they only lead the flow of the mesh itself to its answer.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from brook.core.mesh import Patch
from brook.core.mesh.polyhedral import EVERY
from brook.core.numerics import Stencil, gradient
from brook.core.numerics.multigrid import kernels
from brook.core.numerics.multigrid.hierarchy import lumped
from brook.core.physics.conditions import FIXED
from brook.core.solve.medium import Medium
from brook.core.solve.setup import BoundaryConditions

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

PAIRINGS = 3
WAYS = 6
UPRIGHT = 0.3  # least cosine between a face and the line of centres


@dataclass(frozen=True, eq=False)
class AgglomeratedMesh:
    """What equations need to know of a mesh: the same names as `Mesh`, of agglomerates of cells."""

    face_vector: np.ndarray
    middle: np.ndarray
    owner: np.ndarray
    neighbour: np.ndarray
    centre: np.ndarray
    volume: np.ndarray
    body: np.ndarray
    bodies: tuple[str, ...]
    patches: tuple[Patch, ...]
    is_plane: bool
    is_wedge: bool

    def __post_init__(self) -> None:
        """Arrays of the same kinds as those of a mesh, so that one compiled loop goes over both."""
        for name in ("face_vector", "middle", "owner", "neighbour", "centre", "volume", "body"):
            value = getattr(self, name)
            held = np.array(value, np.int32 if value.dtype.kind in "iu" else float, copy=None)
            held.setflags(write=False)
            object.__setattr__(self, name, held)

    @property
    def cell_count(self) -> int:
        """Number of agglomerates."""
        return len(self.volume)

    @property
    def face_count(self) -> int:
        """Number of all their faces."""
        return len(self.owner)

    @property
    def inner_count(self) -> int:
        """Number of faces between agglomerates, which stand first."""
        return len(self.neighbour)

    def face_centres(self, faces: slice = EVERY) -> np.ndarray:
        """Centroids (n, 3) in m of faces."""
        return self.middle[faces]


class AgglomeratedStencil(Stencil):
    """All faces take part; lines of centres that lie flat on a face count as steeper, and as meeting it between both."""

    @property
    def is_agglomerated(self) -> bool:
        """Cells are lumps of others."""
        return True

    @cached_property
    def geometric_diffusion(self) -> np.ndarray:
        """|S|²/(S·d) (F,) in m, of lines d no flatter than `UPRIGHT`."""
        line = np.concatenate([self.lines(), self.boundary_line])
        size, length = np.linalg.norm(self.area, axis=1), np.linalg.norm(line, axis=1)
        along = np.maximum(np.einsum("ij,ij->i", self.area, line), UPRIGHT * size * length)
        return size**2 / np.maximum(along, 1e-300)

    @cached_property
    def weight(self) -> np.ndarray:
        """Weight of the owner (inner,), by distances from the face."""
        middle = self.mesh.face_centres(slice(self.inner))
        near = middle - self.mesh.centre[self.owner[: self.inner]]
        far = middle - self.mesh.centre[self.neighbour]
        one, two = np.linalg.norm(near, axis=1), np.linalg.norm(far, axis=1)
        return two / (one + two)

    @cached_property
    def boundary_non_orthogonal(self) -> np.ndarray:
        """Nothing (B, 3) is corrected."""
        return np.zeros((self.boundary_count, 3))

    @cached_property
    def skew(self) -> np.ndarray:
        """Nothing (0, 3) is corrected."""
        return np.zeros((0, 3), np.float32)

    @cached_property
    def face_kind(self) -> np.ndarray:
        """Nothing (inner,) is corrected."""
        return np.zeros(self.inner, np.uint8)


@dataclass(frozen=True, eq=False)
class Agglomerates:
    """`of` (C,): the lump of each cell; `boundary_of` (B,): the boundary face of each boundary face, and the stencil.

    Turned round: cells `rows` (C,) of each lump from `start` (n + 1,) on, and the faces that make each inner face, from
    `face_start` on: `face_codes` are twice their number, and 1 more for those that look the other way.
    """

    of: np.ndarray
    boundary_of: np.ndarray
    stencil: Stencil
    start: np.ndarray
    rows: np.ndarray
    face_start: np.ndarray
    face_codes: np.ndarray

    @classmethod
    def made(cls, fine: Stencil) -> Agglomerates:
        """Those of a mesh."""
        of = _paired(fine)
        count, inner = int(of.max()) + 1, fine.inner
        volume = np.bincount(of, fine.mesh.volume, count)
        centre = np.stack([np.bincount(of, fine.mesh.volume * x, count) for x in fine.mesh.centre.T], axis=1)
        one, two = of[fine.owner[:inner]].astype(np.int64), of[fine.neighbour].astype(np.int64)
        cut = np.nonzero(one != two)[0]
        one, two = one[cut], two[cut]
        sign = np.where(one < two, 1.0, -1.0)
        keys, face = np.unique(np.minimum(one, two) * count + np.maximum(one, two), return_inverse=True)
        vector, middle = _summed(fine, cut, sign, face, len(keys))
        number = np.repeat(np.arange(len(fine.patches)), [p.count for p in fine.patches])
        number = WAYS * number + _way(fine.boundary_normal)
        boundary_keys, boundary = np.unique(number * count + of[fine.face_cell], return_inverse=True)
        outer, rim = _summed(
            fine, np.arange(inner, fine.active), np.ones(fine.boundary_count), boundary, len(boundary_keys)
        )
        ends = len(keys) + np.concatenate(
            [[0], np.cumsum(np.bincount(boundary_keys // (WAYS * count), minlength=len(fine.patches)))]
        )
        mesh = AgglomeratedMesh(
            np.concatenate([vector, outer]), np.concatenate([middle, rim]),
            np.concatenate([keys // count, boundary_keys % count]), keys % count, centre / volume[:, None], volume,
            _first(fine.mesh.body, of, count), fine.mesh.bodies,
            tuple(Patch(p.name, int(a), int(b)) for p, a, b in zip(fine.patches, ends[:-1], ends[1:], strict=True)),
            fine.mesh.is_plane, fine.mesh.is_wedge,
        )  # fmt: skip
        order = np.argsort(face, kind="stable")
        codes = (2 * cut + (sign < 0))[order].astype(np.uint32)
        face_start = np.concatenate([[0], np.cumsum(np.bincount(face, minlength=len(keys)))]).astype(np.int32)
        start, rows = kernels.members(of, count)
        return cls(of.astype(np.uint32), boundary, AgglomeratedStencil(mesh), start, rows, face_start, codes)  # type: ignore[arg-type]

    def mean(self, values: np.ndarray, fine: Stencil) -> np.ndarray:
        """Means over agglomerates of values of cells (C,) or (C, k)."""
        weight = fine.mesh.volume
        return _means(values, weight, self.of, self.stencil.cells)

    def summed(self, values: np.ndarray) -> np.ndarray:
        """Sums over agglomerates of values of cells (C, 3)."""
        return np.stack([np.bincount(self.of, x, self.stencil.cells) for x in values.T], axis=1)

    def first(self, values: np.ndarray) -> np.ndarray:
        """Of each lump the value of one of its cells, of values (C,) that are alike in them."""
        return _first(values, self.of, self.stencil.cells)

    def boundary_mean(self, values: np.ndarray, fine: Stencil) -> np.ndarray:
        """Means over boundary faces of values (B,) or (B, k) of those that make them."""
        weight = np.linalg.norm(fine.area[fine.inner :], axis=1)
        return _means(values, weight, self.boundary_of, self.stencil.boundary_count)


def _paired(fine: Stencil) -> np.ndarray:
    """The lump of each cell."""
    rows = fine.rows
    entries = np.empty(2 * fine.inner, np.float32)
    geometric = fine.geometric_diffusion[: fine.inner]
    geometric = np.where(fine.mesh.body[fine.owner[: fine.inner]] == fine.mesh.body[fine.neighbour], geometric, 0.0)
    entries[rows.upper] = entries[rows.lower] = -geometric / geometric.max()
    return lumped(rows.offsets, rows.columns, entries, PAIRINGS)


def _way(normal: np.ndarray) -> np.ndarray:
    """Which of the `WAYS` along the axes each normal (n, 3) looks: the two sides of a slab are never put together."""
    axis = np.abs(normal).argmax(axis=1)
    return 2 * axis + (normal[np.arange(len(axis)), axis] < 0)


def _summed(
    fine: Stencil, faces: np.ndarray, sign: np.ndarray, face: np.ndarray, count: int
) -> tuple[np.ndarray, np.ndarray]:
    """Area vectors and centres (count, 3) of faces put together."""
    area, centre = fine.area[faces], fine.mesh.face_centres()[faces]
    vector = np.stack([np.bincount(face, sign * x, count) for x in area.T], axis=1)
    return vector, _means(centre, np.linalg.norm(area, axis=1), face, count)


def _means(values: np.ndarray, weight: np.ndarray, of: np.ndarray, count: int) -> np.ndarray:
    total = np.bincount(of, weight, count)
    if values.ndim == 1:
        return np.bincount(of, weight * values, count) / total
    return np.stack([np.bincount(of, weight * x, count) / total for x in values.T], axis=1)


def _first(values: np.ndarray, of: np.ndarray, count: int) -> np.ndarray:
    found = np.zeros(count, values.dtype)
    found[of] = values
    return found


def coarse_flow(fine: FlowSolver) -> tuple[FlowSolver, Agglomerates]:
    """The same flow on agglomerates of its cells."""
    s, there, medium = fine.stencil, fine.conditions, fine.medium
    agglomerates = Agglomerates.made(s)
    to = agglomerates.stencil
    kind = _first(there.kind, agglomerates.boundary_of, to.boundary_count)
    conditions = BoundaryConditions(
        kind, agglomerates.boundary_mean(there.velocity, s), agglomerates.boundary_mean(there.pressure, s)
    )
    walls = None if medium.at_walls is None else agglomerates.boundary_mean(medium.at_walls, s)
    filled = Medium(
        to,
        agglomerates.mean(medium.density, s),
        agglomerates.mean(medium.viscosity, s),
        agglomerates.boundary_mean(medium.on_boundary, s),
        walls,
    )
    made = type(fine)(to, filled, conditions, fine.model.coarse(agglomerates), fine.settings, start=False)
    # what the patches give is given to the last kilogram, however bent they are
    inflow = np.bincount(agglomerates.boundary_of, fine.flux[s.inner :], to.boundary_count)
    made.begin(np.where(kind == FIXED, inflow, 0.0))
    return made, agglomerates


def prolong(coarse: FlowSolver, agglomerates: Agglomerates, fine: FlowSolver) -> None:
    """Starts a flow from that on agglomerates of its cells."""
    s, to = fine.stencil, agglomerates.stencil
    away = s.mesh.centre - to.mesh.centre[agglomerates.of]
    slope = gradient(to, to.every_boundary, coarse.velocity, coarse.boundary_velocity())
    velocity = coarse.velocity[agglomerates.of] + np.einsum("cki,ci->ck", slope[agglomerates.of], away)
    pressure = coarse.pressure[agglomerates.of] + np.einsum("ci,ci->c", coarse.pressure_gradient[agglomerates.of], away)
    fine.start_from(velocity, pressure)
