"""CGNS, the open standard for meshes of flow, in its HDF5 form: unstructured zones of polyhedra or standard cells.

Zones are bodies, boundary conditions are patches.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import Any

import h5py
import numpy as np

from brook.core.geometry.files import FileError
from brook.core.geometry.files.base import MOST_PATCHES
from brook.core.mesh.assembling import CORNERS, AssemblyError, Polygons
from brook.core.mesh.files.collected import Collected
from brook.core.mesh.polyhedral import Mesh

VOLUMES = {10: "tetra", 12: "pyramid", 14: "wedge", 17: "hexahedron"}
PLANES = {5: 3, 7: 4}
LINES = {2: 1, 3: 2}  # a node and a bar, which may stand in mixed sections
MIXED, NGON, NFACE = 20, 22, 23
SIGNATURE = b"\x89HDF\r\n\x1a\n"
# what packed data may unpack to in bytes: so much, and so many times what the file has
ROOM, MOST_RATIO = 50_000_000, 40
DEEPEST, MOST_NODES = 12, 100_000
WELD = 1e-9  # of the size: points of two zones that are so near are one


def read(data: bytes) -> Mesh:
    """The mesh of a CGNS file. Raises `FileError`."""
    if not data.startswith(SIGNATURE):
        raise FileError("this is no CGNS file in HDF5; older ones can be turned into such by the standard's own tools")
    try:
        with h5py.File(io.BytesIO(data), "r") as file:
            _refuse_unsound(file, ROOM + MOST_RATIO * len(data))
            return _mesh(file)
    except (OSError, KeyError, ValueError, IndexError, RuntimeError, TypeError) as error:
        if isinstance(error, FileError | AssemblyError):
            raise
        raise FileError("the CGNS file is damaged, or has cells in a way that is not known here") from None


def _refuse_unsound(file: h5py.File, room: int) -> None:
    """Refuses what leads to other files of the machine, holds itself, or would unpack to more than `room` bytes.

    Raises `FileError`.
    """
    waiting: list[tuple[h5py.Group, int]] = [(file, 0)]
    count = 0
    while waiting:
        group, depth = waiting.pop()
        for name in group:
            count += 1
            if depth > DEEPEST or count > MOST_NODES:
                raise FileError("the nodes of the CGNS file hold each other without end; write it anew")
            if not isinstance(group.get(name, getlink=True), h5py.HardLink):
                raise FileError(
                    f"'{name[:40]}' of the CGNS file stands in another file or place, which is not read; write it as one file"
                )
            node = group[name]
            if isinstance(node, h5py.Group):
                waiting.append((node, depth + 1))
            elif isinstance(node, h5py.Dataset):
                if node.external or node.is_virtual:
                    raise FileError(
                        "the numbers of the CGNS file stand in another file, which is not read; write it as one file"
                    )
                room -= node.nbytes
                if room < 0:
                    raise FileError("the CGNS file would unpack to far more than an honest one does; it is not read")


def _label(node: Any) -> str:
    label = node.attrs.get("label", b"") if isinstance(node, h5py.Group) else b""
    return label.decode() if isinstance(label, bytes) else str(label)


def _children(node: h5py.Group, label: str) -> Iterator[tuple[str, h5py.Group]]:
    for name in node:
        if _label(node[name]) == label:
            yield name, node[name]


def _data(node: h5py.Group) -> np.ndarray:
    return np.asarray(node[" data"])


def _text(node: h5py.Group) -> str:
    return _data(node).astype(np.uint8).tobytes().decode("latin-1").strip()


def _mesh(file: h5py.File) -> Mesh:
    bases = list(_children(file, "CGNSBase_t"))
    if not bases:
        raise FileError("the CGNS file has no base")
    zones = list(_children(bases[0][1], "Zone_t"))
    if not zones:
        raise FileError("the CGNS file has no zone")
    points, parts, begin = [], [], 0
    for name, zone in zones:
        kinds = [_text(n) for _, n in _children(zone, "ZoneType_t")]
        if kinds and kinds[0] != "Unstructured":
            raise FileError(f"zone {name} of the CGNS file is a structured one; write it unstructured")
        grids = list(_children(zone, "GridCoordinates_t"))
        if not grids:
            raise FileError(f"zone {name} of the CGNS file has no points")
        points.append(
            np.stack([_data(grids[0][1][f"Coordinate{axis}"]).ravel() for axis in "XYZ"], axis=1).astype(float)
        )
        parts.append((name, zone, begin))
        begin += len(points[-1])
    every = np.concatenate(points)
    same = _welded(every) if len(zones) > 1 else np.arange(len(every))
    collected = Collected(every)
    for name, zone, start in parts:
        _zone(collected, name if len(zones) > 1 else "fluid", zone, same[start:])
    return collected.mesh()


def _welded(points: np.ndarray) -> np.ndarray:
    """For each point the first one at its place."""
    step = WELD * max(float(np.ptp(points, axis=0).max()), 1e-300)
    _, first, inverse = np.unique(
        np.round(points / step).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    return first[inverse.ravel()]


def _zone(collected: Collected, body: str, zone: h5py.Group, same: np.ndarray) -> None:
    faces: list[tuple[int, Polygons, str]] = []  # number of the first, polygons, name of the section
    cells: list[h5py.Group] = []
    for name, section in _children(zone, "Elements_t"):
        kind = int(_data(section)[0])
        first, last = (int(v) for v in _data(section["ElementRange"]).ravel()[:2])
        flat = _data(section["ElementConnectivity"]).ravel().astype(np.int64)
        if kind in VOLUMES:
            collected.add_cells(VOLUMES[kind], same[flat.reshape(-1, CORNERS[VOLUMES[kind]]) - 1], body)
        elif kind in PLANES:
            rows = flat.reshape(-1, PLANES[kind]) - 1
            faces.append((first, Polygons(same[rows.ravel()], np.arange(0, rows.size + 1, PLANES[kind])), name))
        elif kind == NGON:
            faces.append((first, Polygons(same[flat - 1], _offsets(section, flat, last - first + 1)), ""))
        elif kind == NFACE:
            cells.append(section)
        elif kind == MIXED:
            faces += _mixed(collected, body, flat, first, name, same)
        elif kind not in LINES:
            raise FileError(
                f"section {name} of the CGNS file has cells of a kind ({kind}) not known here; write straight ones"
            )
    for section in cells:
        first, last = (int(v) for v in _data(section["ElementRange"]).ravel()[:2])
        signed = _data(section["ElementConnectivity"]).ravel().astype(np.int64)
        offsets = _offsets(section, signed, last - first + 1)
        chosen = _taken(faces, np.abs(signed))
        flat = np.where(np.repeat(signed < 0, chosen.corners), chosen.turned().flat, chosen.flat)
        chosen = Polygons(flat, chosen.offsets)
        collected.add_polyhedra(
            chosen, np.repeat(np.arange(len(offsets) - 1), np.diff(offsets)), len(offsets) - 1, body
        )
    named = _conditions(collected, zone, faces, same)
    if not named:
        for _, polygons, name in faces:
            if name:
                collected.add_patch(name, polygons)


def _offsets(section: h5py.Group, flat: np.ndarray, count: int) -> np.ndarray:
    if "ElementStartOffset" not in section:
        raise FileError(
            "the CGNS file is of a version before 4, whose polyhedra are not read; write it as 4.0 or later"
        )
    offsets = _data(section["ElementStartOffset"]).ravel().astype(np.int64)
    if len(offsets) != count + 1 or offsets[0] != 0 or offsets[-1] != len(flat) or (np.diff(offsets) < 0).any():
        raise FileError("the sections of the CGNS file do not fit together; write it anew")
    return offsets


def _mixed(
    collected: Collected, body: str, flat: np.ndarray, first: int, name: str, same: np.ndarray
) -> list[tuple[int, Polygons, str]]:
    """Elements of several kinds, each led by the number of its kind."""
    counts = {**{k: CORNERS[v] for k, v in VOLUMES.items()}, **PLANES, **LINES}
    found: dict[int, list[np.ndarray]] = {}
    faces, at, number = [], 0, first
    values = flat.tolist()
    while at < len(values):
        kind = values[at]
        if kind not in counts:
            raise FileError(
                f"section {name} of the CGNS file has cells of a kind ({kind}) not known here; write straight ones"
            )
        corners = flat[at + 1 : at + 1 + counts[kind]] - 1
        if kind in PLANES:
            faces.append((number, Polygons(same[corners], np.array([0, len(corners)])), name))
        elif kind in VOLUMES:
            found.setdefault(kind, []).append(corners)
        at += 1 + counts[kind]
        number += 1
    for kind, rows in found.items():
        collected.add_cells(VOLUMES[kind], same[np.array(rows)], body)
    return faces


def _taken(faces: list[tuple[int, Polygons, str]], numbers: np.ndarray) -> Polygons:
    """Polygons by the numbers (n,) that they have in the zone."""
    faces = sorted(faces, key=lambda f: f[0])
    joined = Polygons.joined([polygons for _, polygons, _ in faces])
    known = np.concatenate([np.arange(first, first + polygons.count) for first, polygons, _ in faces])
    at = np.minimum(np.searchsorted(known, numbers), len(known) - 1)
    if (known[at] != numbers).any():
        raise FileError("a cell or patch of the CGNS file names a face that the file does not have")
    return joined.part(at)


def _conditions(
    collected: Collected, zone: h5py.Group, faces: list[tuple[int, Polygons, str]], same: np.ndarray
) -> int:
    """Patches by the boundary conditions of a zone; gives how many there are."""
    count = 0
    for _, group in _children(zone, "ZoneBC_t"):
        for name, condition in _children(group, "BC_t"):
            if count >= MOST_PATCHES:
                raise FileError(f"the CGNS file has more than {MOST_PATCHES} patches; join some before bringing it in")
            place = next((_text(n) for _, n in _children(condition, "GridLocation_t")), "Vertex")
            family = next((_text(n) for _, n in _children(condition, "FamilyName_t")), "")
            numbers = None
            for key in ("PointList", "ElementList"):
                if key in condition:
                    numbers = _data(condition[key]).ravel().astype(np.int64)
            for key in ("PointRange", "ElementRange"):
                if key in condition:
                    a, b = (int(v) for v in _data(condition[key]).ravel()[:2])
                    if b - a > sum(p.count for _, p, _ in faces) + len(collected.points):
                        raise FileError("a patch of the CGNS file has more faces than there are; write it anew")
                    numbers = np.arange(a, b + 1)
            if numbers is None or not faces:
                continue
            if place == "Vertex" and "ElementList" not in condition and "ElementRange" not in condition:
                polygons = _within(faces, same[numbers - 1], len(collected.points))
            else:
                polygons = _taken(faces, numbers)
            if polygons.count:
                collected.add_patch(family or name, polygons)
                count += 1
    return count


def _within(faces: list[tuple[int, Polygons, str]], points: np.ndarray, count: int) -> Polygons:
    """The polygons all of whose points are among some."""
    inside = np.zeros(count, bool)
    inside[points] = True
    joined = Polygons.joined([polygons for _, polygons, _ in faces])
    whole = np.add.reduceat(inside[joined.flat], joined.offsets[:-1]) == joined.corners
    return joined.part(np.nonzero(whole)[0])
