"""Meshes as CGNS: one zone for each body, of faces (NGON_n) and cells (NFACE_n), with patches as boundary conditions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import h5py
import numpy as np

from brook.core.mesh.assembling import Polygons
from brook.core.mesh.files.cgns import NFACE, NGON
from brook.core.mesh.polyhedral import Mesh


def write(path: Path, mesh: Mesh) -> None:
    """One zone for each body; patches are boundary conditions on faces."""
    with written(path, mesh):
        pass


@contextmanager
def written(path: Path, mesh: Mesh) -> Iterator[tuple[h5py.Group, list[h5py.Group]]]:
    """A file with the mesh, to which more can be added: its base, and the zone of each body. Cells stand there in their order."""
    with h5py.File(path, "w", libver=("v108", "v110"), track_order=True) as file:
        _mark(file, "HDF5 MotherNode", "Root Node of HDF5 File", "MT")
        file.create_dataset(" format", data=np.frombuffer(b"IEEE_LITTLE_32\0", np.int8))
        file.create_dataset(" hdf5version", data=np.frombuffer(b"HDF5 Version 1.8.17".ljust(33, b"\0"), np.int8))
        node(file, "CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([4.2], np.float32))
        base = node(file, "Base", "CGNSBase_t", np.array([3, 3], np.int32))
        yield base, [_zone(base, name, mesh, k) for k, name in enumerate(mesh.bodies)]


def _zone(base: h5py.Group, name: str, mesh: Mesh, body: int) -> h5py.Group:
    cells = np.nonzero(mesh.body == body)[0]
    number = np.full(mesh.cell_count, -1)
    number[cells] = np.arange(len(cells))
    other = np.full(mesh.face_count, -1)
    other[: mesh.inner_count] = mesh.neighbour
    mine = number[mesh.owner] >= 0
    theirs = (other >= 0) & (number[np.maximum(other, 0)] >= 0)
    faces = np.nonzero(mine | theirs)[0]
    polygons = Polygons(mesh.face_points, mesh.face_offsets).part(faces)
    used = np.unique(polygons.flat)
    to_local = np.zeros(len(mesh.points), np.int64)
    to_local[used] = np.arange(1, len(used) + 1)
    zone = node(base, name, "Zone_t", np.array([[len(used)], [len(cells)], [0]], np.int64))
    node(zone, "ZoneType", "ZoneType_t", letters("Unstructured"))
    grid = node(zone, "GridCoordinates", "GridCoordinates_t", None)
    for i, axis in enumerate("XYZ"):
        node(grid, f"Coordinate{axis}", "DataArray_t", mesh.points[used, i])
    section = node(zone, "Faces", "Elements_t", np.array([NGON, 0], np.int32))
    node(section, "ElementRange", "IndexRange_t", np.array([1, len(faces)], np.int64))
    node(section, "ElementConnectivity", "DataArray_t", to_local[polygons.flat])
    node(section, "ElementStartOffset", "DataArray_t", polygons.offsets.astype(np.int64))
    at = np.arange(1, len(faces) + 1)
    here, there = mine[faces], theirs[faces]
    whose = np.concatenate([number[mesh.owner[faces[here]]], number[other[faces[there]]]])
    signed = np.concatenate([at[here], -at[there]])
    order = np.argsort(whose, kind="stable")
    offsets = np.concatenate([[0], np.cumsum(np.bincount(whose, minlength=len(cells)))])
    section = node(zone, "Cells", "Elements_t", np.array([NFACE, 0], np.int32))
    node(section, "ElementRange", "IndexRange_t", np.array([len(faces) + 1, len(faces) + len(cells)], np.int64))
    node(section, "ElementConnectivity", "DataArray_t", signed[order].astype(np.int64))
    node(section, "ElementStartOffset", "DataArray_t", offsets.astype(np.int64))
    conditions = node(zone, "ZoneBC", "ZoneBC_t", None)
    at_wall, wall_names, wall = mesh.between_bodies
    sets = {p.name: (faces >= p.start) & (faces < p.end) for p in mesh.patches}
    for k, wall_name in enumerate(wall_names):
        sets[wall_name] = sets.get(wall_name, False) | np.isin(faces, at_wall[wall == k])
    for patch, inside in sets.items():
        chosen = at[inside]
        if len(chosen):
            one = node(conditions, patch, "BC_t", letters("BCTypeUserDefined"))
            node(one, "PointList", "IndexArray_t", chosen[:, None].astype(np.int64))
            node(one, "GridLocation", "GridLocation_t", letters("FaceCenter"))
    return zone


def letters(text: str) -> np.ndarray:
    """Words as CGNS keeps them."""
    return np.frombuffer(text.encode(), np.int8)


KINDS = {"f4": "R4", "f8": "R8", "i4": "I4", "i8": "I8", "i1": "C1"}


def _mark(group: h5py.Group, name: str, label: str, kind: str) -> None:
    for key, text, long in (("name", name, 33), ("label", label, 33), ("type", kind, 3)):
        group.attrs.create(key, np.bytes_(text), dtype=h5py.string_dtype("ascii", long))
    if not isinstance(group, h5py.File):
        group.attrs.create("flags", np.array([1], np.int32))


def node(parent: h5py.Group, name: str, label: str, data: np.ndarray | None) -> h5py.Group:
    """A node with what it holds, if anything; names have at most 32 letters."""
    group = parent.create_group(name[:32], track_order=True)
    kind = "MT" if data is None else KINDS[data.dtype.str[1:]]
    _mark(group, name[:32], label, kind)
    if data is not None:
        group.create_dataset(" data", data=data)
    return group
