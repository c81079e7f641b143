"""Fields as VTKHDF, the open layout of unstructured grids in HDF5 files: cells as polyhedra that share their faces, or the faces of patches.

Of several moments the mesh stands there once, and each value as one long row.
"""

from __future__ import annotations

from pathlib import Path

import h5py
import numpy as np

from brook.core.mesh import Mesh
from brook.core.mesh.assembling import Polygons
from brook.core.mesh.files.vtu import points_of_cells
from brook.core.results.files.base import Series, outer_patches

POLYHEDRON, TRIANGLE, QUAD, POLYGON = 42, 5, 9, 7
VERSION = (2, 5)
CHUNK = 100_000  # values that are packed together


def write(path: Path, series: Series) -> None:
    """All moments in one file."""
    mesh = series.mesh
    with h5py.File(path, "w") as file:
        root = file.create_group("VTKHDF")
        root.attrs.create("Type", np.bytes_("UnstructuredGrid"))
        root.attrs.create("Version", np.array(VERSION, np.int64))
        counts, own = (_faces if series.of == "patches" else _cells)(root, mesh)
        data = root.create_group("CellData")
        about = root.create_group("FieldData")
        names = outer_patches(mesh) if series.of == "patches" else mesh.bodies
        title = f"{'patch' if series.of == 'patches' else 'body'}_names"
        # marked as ASCII, which is what readers take, whatever letters there are
        about.create_dataset(title, data=[n.encode() for n in names], dtype=h5py.string_dtype("ascii"))
        for name, values in own.items():
            data.create_dataset(name, data=values, compression="gzip", compression_opts=1)
        times = []
        for k, moment in enumerate(series.moments()):
            for name, values in moment.values.items():
                _append(data, name, values, k * counts)
            times.append(moment.time)
        for name in set(data) - set(own):  # what was not there at a moment has no value then
            data[name].resize(len(times) * counts, axis=0)
        if series.count > 1:
            _steps(root, data, times, counts, set(own))


def _append(data: h5py.Group, name: str, values: np.ndarray, at: int) -> None:
    if name not in data:
        shape = values.shape[1:]
        data.create_dataset(
            name, (0, *shape), "<f8", fillvalue=np.nan, maxshape=(None, *shape), chunks=(min(len(values), CHUNK) or 1, *shape),
            compression="gzip", compression_opts=1, shuffle=True,
        )  # fmt: skip
    data[name].resize(at + len(values), axis=0)
    data[name][at:] = values


def _steps(root: h5py.Group, data: h5py.Group, times: list[float | None], count: int, once: set[str]) -> None:
    """Where each moment begins; the mesh and what is said of it once always begin at nothing."""
    steps = root.create_group("Steps")
    steps.attrs["NSteps"] = len(times)
    steps["Values"] = np.array(times, float)
    nothing = np.zeros(len(times), np.int64)
    steps["PartOffsets"], steps["NumberOfParts"] = nothing, nothing + 1
    steps["PointOffsets"], steps["CellOffsets"] = nothing, nothing[:, None]
    for name in ("ConnectivityIdOffsets", "FaceConnectivityOffsets", "PolyhedronToFaceIdOffsets", "FaceOffsetsOffsets"):
        steps[name] = nothing[:, None]
    offsets = steps.create_group("CellDataOffsets")
    for name in data:
        offsets[name] = nothing if name in once else np.arange(len(times)) * count
    about, sizes = steps.create_group("FieldDataOffsets"), steps.create_group("FieldDataSizes")
    for name, values in root["FieldData"].items():
        about[name] = nothing
        sizes[name] = np.tile(np.array([1, len(values)], np.int64), (len(times), 1))


def _put(root: h5py.Group, name: str, values: np.ndarray) -> None:
    root.create_dataset(name, data=values, compression="gzip", compression_opts=1, shuffle=True)


def _cells(root: h5py.Group, mesh: Mesh) -> tuple[int, dict[str, np.ndarray]]:
    offsets, faces = mesh.cell_faces
    own = points_of_cells(mesh)
    _heads(root, mesh.points, own.flat, own.offsets[1:], np.full(mesh.cell_count, POLYHEDRON))
    _put(root, "FaceConnectivity", mesh.face_points.astype(np.int64))
    _put(root, "FaceOffsets", mesh.face_offsets.astype(np.int64))
    _put(root, "PolyhedronToFaces", faces.astype(np.int64))
    _put(root, "PolyhedronOffsets", offsets.astype(np.int64))
    for name, count in (
        ("NumberOfFaces", mesh.face_count), ("NumberOfFaceConnectivityIds", len(mesh.face_points)),
        ("NumberOfPolyhedronToFaceIds", len(faces)),
    ):  # fmt: skip
        root[name] = np.array([count], np.int64)
    return mesh.cell_count, {"body": mesh.body.astype(np.int64)}


def _faces(root: h5py.Group, mesh: Mesh) -> tuple[int, dict[str, np.ndarray]]:
    patches = [mesh.patch(name) for name in outer_patches(mesh)]
    faces = np.concatenate([np.arange(p.start, p.end) for p in patches]) if patches else np.zeros(0, np.int64)
    polygons = Polygons(mesh.face_points, mesh.face_offsets).part(faces)
    used, corners = np.unique(polygons.flat, return_inverse=True)
    kinds = np.select([polygons.corners == 3, polygons.corners == 4], [TRIANGLE, QUAD], POLYGON)
    _heads(root, mesh.points[used], corners, polygons.offsets[1:], kinds)
    return len(faces), {"patch": np.repeat(np.arange(len(patches)), [p.count for p in patches])}


def _heads(root: h5py.Group, points: np.ndarray, corners: np.ndarray, ends: np.ndarray, kinds: np.ndarray) -> None:
    """Points, and cells by their corners, one after the other to their `ends`."""
    _put(root, "Points", points.astype(float))
    _put(root, "Connectivity", corners.astype(np.int64))
    _put(root, "Offsets", np.concatenate([[0], ends]).astype(np.int64))
    _put(root, "Types", kinds.astype(np.uint8))
    for name, count in (
        ("NumberOfPoints", len(points)), ("NumberOfCells", len(kinds)), ("NumberOfConnectivityIds", len(corners)),
    ):  # fmt: skip
        root[name] = np.array([count], np.int64)
