"""The mesh of several bodies with the walls between them opened, so that each side of a wall is a patch of its own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import kernels
from brook.core.mesh.polyhedral import PLANE_SIDES, Mesh, Patch

BEHIND = "_behind"


@dataclass(frozen=True, eq=False)
class Opened:
    """`mesh` has the same cells; its boundary faces `one` (n,) and `other` (n,) lie on each other at the wall `wall`
    (n,), a place in the `walls` of the mesh it was made from."""

    mesh: Mesh
    one: np.ndarray
    other: np.ndarray
    wall: np.ndarray


def opened(mesh: Mesh, fluids: set[str]) -> Opened:
    """Opens every wall between bodies: its side to a fluid keeps its name, the other one gets `_behind` after it."""
    inner = mesh.inner_count
    at_wall = np.nonzero(mesh.wall >= 0)[0] if len(mesh.wall) else np.zeros(0, np.int64)
    if not len(at_wall):
        return Opened(mesh, *(np.zeros(0, np.int64) for _ in range(3)))
    stays = np.ones(inner, bool)
    stays[at_wall] = False
    within = np.nonzero(stays)[0]
    names = [p.name for p in mesh.patches if p.name != PLANE_SIDES]
    names += [n for n in mesh.walls if n not in names]
    names += [n + BEHIND for n in mesh.walls]
    names += [p.name for p in mesh.patches if p.name == PLANE_SIDES]
    front = np.array([names.index(n) for n in mesh.walls])
    back = np.array([names.index(n + BEHIND) for n in mesh.walls])
    flows = np.array([name in fluids for name in mesh.bodies])
    one, two = flows[mesh.body[mesh.owner[at_wall]]], flows[mesh.body[mesh.neighbour[at_wall]]]
    owner_first = one | ~two
    wall = mesh.wall[at_wall]
    of_outer = np.repeat([names.index(p.name) for p in mesh.patches], [p.count for p in mesh.patches])
    faces = np.concatenate([at_wall, at_wall, np.arange(inner, mesh.face_count)])
    patch = np.concatenate(
        [np.where(owner_first, front[wall], back[wall]), np.where(owner_first, back[wall], front[wall]), of_outer]
    )
    turn = np.zeros(len(faces), bool)
    turn[len(at_wall) : 2 * len(at_wall)] = True
    cell = np.concatenate([mesh.owner[at_wall], mesh.neighbour[at_wall], mesh.owner[inner:]])
    order = np.argsort(patch, kind="stable")
    place = np.empty(len(order), np.int64)
    place[order] = len(within) + np.arange(len(order))
    chosen = np.concatenate([within, faces[order]])
    flat, offsets = _turned(mesh, chosen, np.concatenate([np.zeros(len(within), bool), turn[order]]))
    ends = len(within) + np.concatenate([[0], np.cumsum(np.bincount(patch, minlength=len(names)))])
    patches = tuple(Patch(n, int(a), int(b)) for n, a, b in zip(names, ends[:-1], ends[1:], strict=True) if b > a)
    made = Mesh(
        mesh.points.copy(), flat, offsets, np.concatenate([mesh.owner[within], cell[order]]), mesh.neighbour[within],
        patches, mesh.bodies, mesh.body.copy(), mesh.layer.copy(),
    )  # fmt: skip
    count = len(at_wall)
    return Opened(made, place[:count], place[count : 2 * count], wall)


def _turned(mesh: Mesh, chosen: np.ndarray, turn: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The polygons of chosen faces, some of which may be there twice, those marked in the other sense."""
    forward = kernels.chosen_faces(mesh.face_points, mesh.face_offsets, chosen, np.zeros(mesh.face_count, bool))
    backward = kernels.chosen_faces(mesh.face_points, mesh.face_offsets, chosen, np.ones(mesh.face_count, bool))
    corner = np.repeat(turn, np.diff(forward[1]))
    return np.where(corner, backward[0], forward[0]), forward[1]
