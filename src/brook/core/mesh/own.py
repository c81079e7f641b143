"""Shapes that bring their own cells: a part with cells in rows, or a file with a mesh."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace
from itertools import permutations

import numpy as np

from brook.core.geometry.surface import Surface
from brook.core.geometry.unit_check import likely_unit
from brook.core.mesh import ordered
from brook.core.mesh.assembling import Polygons, between
from brook.core.mesh.files import read_mesh
from brook.core.mesh.polyhedral import Mesh, Patch
from brook.core.study import Resolved
from brook.core.units import unit_factor

Bytes = Callable[[Resolved], bytes]


def skin_of(mesh: Mesh) -> Surface:
    """The boundary of a mesh and the walls between its bodies as triangles with their patches, in the order of its faces,
    walls last."""
    at_wall, wall_names, wall = mesh.between_bodies
    names = [p.name for p in mesh.patches]
    names += [n for n in wall_names if n not in names]
    faces = Polygons(mesh.face_points, mesh.face_offsets).part(
        np.concatenate([np.arange(mesh.inner_count, mesh.face_count), at_wall])
    )
    counts = faces.corners - 2
    face = np.repeat(np.arange(faces.count), counts)
    within = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
    first = faces.offsets[:-1][face]
    triangles = np.stack([faces.flat[first], faces.flat[first + 1 + within], faces.flat[first + 2 + within]], axis=1)
    of_walls = np.array([names.index(n) for n in wall_names], int)[wall]
    patch = np.concatenate([np.repeat(np.arange(len(mesh.patches)), [p.count for p in mesh.patches]), of_walls])[face]
    used = np.unique(triangles)
    renumber = np.zeros(len(mesh.points), np.int64)
    renumber[used] = np.arange(len(used))
    return Surface(mesh.points[used], renumber[triangles], patch, tuple(names))


def mesh_of_part(part: Resolved, data: Bytes) -> Mesh:
    """The mesh of a part that brings one, in the file's own unit. Raises `ValueError`."""
    return read_mesh(part.file, data(part)) if part.kind == "file" else ordered.build(part)


def bodies_of_part(geometry: Resolved, body: str, data: Bytes) -> list[tuple[str, int]]:
    """Each body of the mesh that the part of a resolved geometry brings, with how many cells it has."""
    mesh = mesh_of_part(geometry.parts[0], data)
    names = (body,) if len(mesh.bodies) == 1 else mesh.bodies
    return list(zip(names, np.bincount(mesh.body, minlength=len(names)).tolist(), strict=True))


def own_mesh(geometry: Resolved, body: str, data: Bytes, materials: Collection[str] = ()) -> Mesh:
    """The mesh in m of a resolved geometry whose only part brings one, with the names that its steps give.

    A mesh of one body is called as `body` says. Between bodies for which `materials` has nothing, so that one fluid fills
    them, only what the file names is a wall. Raises `ValueError`.
    """
    part = geometry.parts[0]
    mesh = mesh_of_part(part, data)
    mesh = _joined(mesh, materials)
    names = {name: name for name in (*(p.name for p in mesh.patches), *mesh.walls)}
    if part.kind == "file":
        unit = part.unit or likely_unit(skin_of(mesh))
        mesh = replace(mesh, points=mesh.points * unit_factor(unit)[0])
        names |= {old: new for old, new in part.names.items() if old in names}
    for step in geometry.steps:
        names = {old: step.to if now == step.patch else now for old, now in names.items()}
    bodies = (body,) if len(mesh.bodies) == 1 else mesh.bodies
    return replace(renamed(mesh, names), bodies=bodies)


def _joined(mesh: Mesh, materials: Collection[str]) -> Mesh:
    """The mesh without the nameless walls between bodies that one fluid fills."""
    alike = [name for name in mesh.bodies if name not in materials]
    none = {between(a, b) for a, b in permutations(alike, 2)}
    gone = np.array([name in none for name in (*mesh.walls, "")])
    return replace(mesh, wall=np.where(gone[mesh.wall], -1, mesh.wall)) if gone.any() else mesh


def renamed(mesh: Mesh, names: dict[str, str]) -> Mesh:
    """The same mesh with other names for its patches and walls; patches with one name become one, its faces in one run."""
    mesh = replace(mesh, walls=tuple(names.get(name, name) for name in mesh.walls))
    wanted = list(dict.fromkeys(names[p.name] for p in mesh.patches))
    if len(wanted) == len(mesh.patches):
        return replace(mesh, patches=tuple(Patch(names[p.name], p.start, p.end) for p in mesh.patches))
    number = np.concatenate([np.full(p.count, wanted.index(names[p.name])) for p in mesh.patches])
    order = np.concatenate([np.arange(mesh.inner_count), mesh.inner_count + np.argsort(number, kind="stable")])
    faces = Polygons(mesh.face_points, mesh.face_offsets).part(order)
    ends = mesh.inner_count + np.concatenate([[0], np.cumsum(np.bincount(number, minlength=len(wanted)))])
    patches = tuple(Patch(n, int(a), int(b)) for n, a, b in zip(wanted, ends[:-1], ends[1:], strict=True))
    return replace(mesh, face_points=faces.flat, face_offsets=faces.offsets, owner=mesh.owner[order], patches=patches)
