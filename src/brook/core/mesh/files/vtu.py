"""VTU, the unstructured grid of VTK in XML: cells of any kind, patches as polygons with a number each.

What is written has cells with a volume only, as many readers take no others beside polyhedra. Its patches, and walls
between bodies, stand in fields: `patch_corners` are the points of their sides, one side after the other, `patch_ends` where
each ends, `patch_of` whose it is, and `patch_names` the bytes of the names, each ended by a zero; `body_names` likewise. `number` is
that of a cell before all were put into the order of how many points they have. In
a file of others patches are polygons, and any whole-number cell array tells them apart: one called `patch`, or the only one
there is besides `body`.
"""

from __future__ import annotations

import base64
import re
import zlib
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO
from xml.etree import ElementTree

import numpy as np

from brook.core.geometry.files import FileError
from brook.core.geometry.files.base import MOST_PATCHES
from brook.core.mesh.assembling import CORNERS, AssemblyError, Polygons
from brook.core.mesh.files.collected import Collected
from brook.core.mesh.kernels import hexahedra
from brook.core.mesh.polyhedral import PLANE_SIDES, WEDGE_SIDES, Mesh

POLYHEDRON, HEXAHEDRON = 42, 12
TRIANGLE, QUAD, POLYGON = 5, 9, 7
# what packed data may unpack to in bytes: so much, and so many times what the file has
ROOM, MOST_RATIO = 50_000_000, 40
LONGEST_TAG = 1000
SOME = 100_000  # cells whose points are looked at together
VOLUMES = {10: "tetra", 12: "hexahedron", 13: "wedge", 14: "pyramid"}
# corners of a VTK voxel and wedge in the order of `assembling.SIDES`
VOXEL = [0, 1, 3, 2, 4, 5, 7, 6]
PLANES = {5, 7, 8, 9}  # triangle, polygon, pixel, quad
TYPES = {"Int8": "i1", "UInt8": "u1", "Int16": "i2", "UInt16": "u2", "Int32": "i4", "UInt32": "u4", "Int64": "i8",
         "UInt64": "u8", "Float32": "f4", "Float64": "f8"}  # fmt: skip


def read(data: bytes) -> Mesh:
    """The mesh of a VTU file. Raises `FileError`."""
    try:
        return _Reader(data).mesh()
    except (ValueError, KeyError, IndexError, zlib.error, ElementTree.ParseError, OverflowError) as error:
        if isinstance(error, FileError | AssemblyError):
            raise
        raise FileError("this is no VTU file, or a damaged one; write it anew") from None


class _Reader:
    def __init__(self, data: bytes):
        if b"<!DOCTYPE" in data[:4096] or b"<!ENTITY" in data[:4096]:
            raise FileError("this VTU file declares entities, which none needs; write it anew")
        self.appended, self.raw = b"", False
        self.room = ROOM + MOST_RATIO * len(data)
        data = self._without_appended(data)
        root = ElementTree.fromstring(data)
        if root.tag != "VTKFile" or root.get("type") != "UnstructuredGrid":
            raise FileError("this is no VTU file of an unstructured grid")
        self.order = "<" if root.get("byte_order", "LittleEndian") == "LittleEndian" else ">"
        self.header = self.order + TYPES[root.get("header_type", "UInt32")]
        self.packed = bool(root.get("compressor"))
        if self.packed and "ZLib" not in root.get("compressor", ""):
            raise FileError("the VTU file is packed in a way that is not known here; write it with zlib or unpacked")
        pieces = root.findall(".//Piece")
        if len(pieces) != 1:
            raise FileError("the VTU file has several pieces; write it as one")
        self.piece, self.root = pieces[0], root

    def _without_appended(self, data: bytes) -> bytes:
        """The text without the data behind it, which are kept and may be no text."""
        at = data.find(b"<AppendedData")
        begin = data.find(b">", at) + 1 if at >= 0 else 0
        if not begin or begin - at > LONGEST_TAG:
            return data
        encoding = re.search(rb'encoding="(\w+)"', data[at:begin])
        mark = data.find(b"_", begin, begin + LONGEST_TAG)
        if encoding is None or mark < 0 or data[begin:mark].strip():
            return data
        end = data.rfind(b"</AppendedData>")
        if end < mark:
            raise FileError("the appended data of the VTU file do not end; write it anew")
        self.appended, self.raw = data[mark + 1 : end], encoding.group(1) == b"raw"
        return data[: mark + 1] + data[end:]

    def mesh(self) -> Mesh:
        place = self.piece.find("Points/DataArray")
        if place is None:
            raise FileError("the VTU file has no points")
        collected = Collected(self._array(place).reshape(-1, 3))
        cells = {e.get("Name", ""): e for e in self.piece.findall("Cells/DataArray")}
        kinds = self._array(cells["types"]).astype(int)
        flat, ends = self._array(cells["connectivity"]).astype(int), self._array(cells["offsets"]).astype(int)
        offsets = np.concatenate([[0], ends])
        if len(kinds) != len(ends) or (np.diff(offsets) < 0).any() or offsets[-1] > len(flat):
            raise FileError("the cells of the VTU file do not fit together; write it anew")
        known = {POLYHEDRON, 11, *VOLUMES, *PLANES, 1, 2, 3, 4}
        strange = sorted(set(kinds.tolist()) - known)
        if strange:
            raise FileError(f"the VTU file has cells of VTK's kind {strange[0]}; write it with straight-sided cells")
        every = Polygons(flat, offsets)
        for body, of_body in self._bodies(kinds):
            for code, kind in {**VOLUMES, 11: "hexahedron"}.items():
                chosen = np.nonzero(of_body & (kinds == code))[0]
                if len(chosen):
                    corners = every.part(chosen).flat.reshape(-1, CORNERS[kind])
                    turned = VOXEL if code == 11 else [0, 2, 1, 3, 5, 4] if kind == "wedge" else slice(None)
                    collected.add_cells(kind, corners[:, turned], body)
            solid = np.nonzero(of_body & (kinds == POLYHEDRON))[0]
            if "number" in self._cell_arrays():  # as they were before they were put into this order
                number = self._array(self._cell_arrays()["number"])
                solid = solid[np.argsort(number[solid], kind="stable")]
            if len(solid):
                collected.add_polyhedra(*self._polyhedra(cells, solid), len(solid), body)
        self._patches(collected, kinds, every)
        self._patches_in_fields(collected)
        return collected.mesh()

    def _bodies(self, kinds: np.ndarray) -> list[tuple[str, np.ndarray]]:
        """Names of bodies, and which cells (n,) are in each."""
        solid = np.isin(kinds, [POLYHEDRON, 11, *VOLUMES])
        arrays = self._cell_arrays()
        if "body" not in arrays:
            return [("fluid", solid)]
        said = self._array(arrays["body"])
        number = said.astype(int)
        if len(number) != len(kinds) or (number != said)[solid].any():
            raise FileError(
                "the cell array body of the VTU file has to say of each cell, by a whole number, where it is"
            )
        names, found = self._texts("body_names"), np.unique(number[solid]).tolist()
        if len(found) > MOST_PATCHES:
            raise FileError(
                f"the cell array body of the VTU file tells {len(found)} bodies apart; {MOST_PATCHES} are the most"
            )
        return [(names[k] if 0 <= k < len(names) else f"body_{k}", solid & (number == k)) for k in found]

    def _cell_arrays(self) -> dict[str, ElementTree.Element]:
        return {e.get("Name", ""): e for e in self.piece.findall("CellData/DataArray")}

    def _polyhedra(self, cells: dict[str, ElementTree.Element], solid: np.ndarray) -> tuple[Polygons, np.ndarray]:
        """Sides of polyhedra, and whose each is; the stream of sides has those of all cells, each up to its end."""
        stream, every = self._array(cells["faces"]).astype(int), self._array(cells["faceoffsets"]).astype(int)
        begins = np.concatenate([[0], np.maximum.accumulate(np.maximum(every, 0))[:-1]])[solid]
        flat, counts, cell = [], [], []
        wrong = FileError("the polyhedra of the VTU file do not fit together; write it anew")
        for k, (at, end) in enumerate(zip(begins.tolist(), every[solid].tolist(), strict=True)):
            count, at = int(stream[at]), at + 1
            if not 0 < count <= len(stream):
                raise wrong
            for _ in range(count):
                corners = int(stream[at])
                if corners < 3 or at + corners >= end:
                    raise wrong
                flat.append(stream[at + 1 : at + 1 + corners])
                counts.append(corners)
                cell.append(k)
                at += 1 + corners
            if at != end:
                raise wrong
        return Polygons(np.concatenate(flat), np.concatenate([[0], np.cumsum(counts)])), np.array(cell)

    def _patches(self, collected: Collected, kinds: np.ndarray, every: Polygons) -> None:
        plane = np.nonzero(np.isin(kinds, list(PLANES)))[0]
        if not len(plane):
            return
        arrays = self._cell_arrays()
        whole = [n for n, e in arrays.items() if "Int" in e.get("type", "") and n not in ("body", "number")]
        name = "patch" if "patch" in arrays else whole[0] if len(whole) == 1 else None
        number = self._array(arrays[name]).astype(int)[plane] if name else np.zeros(len(plane), int)
        names, numbers = self._texts("patch_names"), np.unique(number)
        if len(numbers) > MOST_PATCHES:
            raise FileError(f"the VTU file tells {len(numbers)} patches apart; {MOST_PATCHES} are the most")
        for k in numbers:
            chosen = plane[number == k]
            faces = every.part(chosen)
            if (kinds[chosen] == 8).any():
                raise FileError("the VTU file has pixels; write its patches as quads or polygons")
            collected.add_patch(names[k] if 0 <= k < len(names) else f"patch_{k}", faces)

    def _patches_in_fields(self, collected: Collected) -> None:
        """As they are written here."""
        fields = {e.get("Name", ""): e for e in self.root.findall(".//FieldData/DataArray")}
        if not {"patch_corners", "patch_ends", "patch_of"} <= fields.keys():
            return
        flat, ends, of = (self._array(fields[n]).astype(int) for n in ("patch_corners", "patch_ends", "patch_of"))
        offsets = np.concatenate([[0], ends])
        if len(of) != len(ends) or (np.diff(offsets) < 0).any() or offsets[-1] != len(flat):
            raise FileError("the patches of the VTU file do not fit together; write it anew")
        names, every = self._texts("patch_names"), Polygons(flat, offsets)
        numbers = np.unique(of)
        if len(numbers) > MOST_PATCHES:
            raise FileError(f"the VTU file tells {len(numbers)} patches apart; {MOST_PATCHES} are the most")
        for k in numbers.tolist():
            name = names[k] if 0 <= k < len(names) else f"patch_{k}"
            collected.add_patch(name, every.part(np.nonzero(of == k)[0]))

    def _texts(self, name: str) -> list[str]:
        for e in self.root.findall(".//FieldData/*"):
            if e.get("Name") == name and e.get("type") in ("String", "UInt8"):
                codes = (
                    [int(c) for c in (e.text or "").split()] if e.get("format") == "ascii" else self._bytes(e).tolist()
                )
                return bytes(codes).decode("utf-8", "replace").split("\0")[:-1]
        return []

    def _array(self, e: ElementTree.Element) -> np.ndarray:
        kind = np.dtype(self.order + TYPES[e.get("type", "")])
        if e.get("format") == "ascii":
            return np.array((e.text or "").split(), kind)
        data = self._bytes(e)
        return data[: len(data) // kind.itemsize * kind.itemsize].view(kind)

    def _bytes(self, e: ElementTree.Element) -> np.ndarray:
        if e.get("format") == "appended":
            text = self.appended[int(e.get("offset", "0")) :]
            return self._blocks(text) if self.raw else self._coded(text)
        return self._coded((e.text or "").strip().encode())

    def _coded(self, text: bytes) -> np.ndarray:
        """Numbers in base64: a header, and behind it the data, coded apart when packed."""
        one = np.dtype(self.header).itemsize
        if not self.packed:
            head = base64.b64decode(text[: 4 * (-(-one // 3))])
            size = int(np.frombuffer(head[:one], self.header)[0])
            whole = base64.b64decode(text[: 4 * (-(-(one + size) // 3))])
            return np.frombuffer(whole[one : one + size], "u1")
        head = base64.b64decode(text[: 4 * (-(-one // 3))])
        blocks = int(np.frombuffer(head[:one], self.header)[0])
        if blocks == 0:
            return np.zeros(0, "u1")
        long = 4 * (-(-(one * (3 + blocks)) // 3))
        head = base64.b64decode(text[:long])[: one * (3 + blocks)]
        sizes = np.frombuffer(head, self.header).astype(int)[3:]
        data = base64.b64decode(text[long : long + 4 * (-(-int(sizes.sum()) // 3))])
        return self._unpacked(data, sizes)

    def _blocks(self, data: bytes) -> np.ndarray:
        one = np.dtype(self.header).itemsize
        if not self.packed:
            size = int(np.frombuffer(data[:one], self.header)[0])
            return np.frombuffer(data[one : one + size], "u1")
        blocks = int(np.frombuffer(data[:one], self.header)[0])
        head = np.frombuffer(data[: one * (3 + blocks)], self.header).astype(int)
        return self._unpacked(data[one * (3 + blocks) :], head[3:])

    def _unpacked(self, data: bytes, sizes: np.ndarray) -> np.ndarray:
        ends = np.concatenate([[0], np.cumsum(sizes)])
        pieces = []
        for a, b in pairwise(ends):
            unpacker = zlib.decompressobj()
            pieces.append(unpacker.decompress(data[a:b], self.room + 1))
            self.room -= len(pieces[-1])
            if self.room < 0:
                raise FileError("the VTU file would unpack to far more than an honest one does; it is not read")
            if not unpacker.eof:
                raise FileError("the packed data of the VTU file end too early; write it anew")
        return np.frombuffer(b"".join(pieces), "u1")


# -- out --------------------------------------------------------------------------------------


def write(path: Path, mesh: Mesh, data: dict[str, np.ndarray] | None = None, plain: bool = False) -> None:
    """All cells as polyhedra with their body, their number and what else is known of cells, (C,) or (C, 3) by name; the faces of
    patches, and of walls between bodies, stand in fields. A mesh of hexahedra alone is written as such when it is to be `plain`."""
    corners = hexahedra(*mesh.cell_faces, mesh.face_points, mesh.face_offsets, mesh.owner) if plain else None
    if corners is not None and (corners[:, 0] >= 0).all():
        order = np.arange(mesh.cell_count)
        shapes = {
            "connectivity": corners.ravel(),
            "offsets": 8 * (order + 1),
            "types": np.full(len(order), HEXAHEDRON, np.uint8),
        }
    else:
        order = _by_points(mesh)
        shapes = _polyhedra(mesh, order)
    known = {"body": mesh.body, "number": np.arange(mesh.cell_count), **(data or {})}
    _grid(path, mesh.points, shapes, {name: values[order] for name, values in known.items()}, _sides(mesh))


def write_faces(path: Path, mesh: Mesh, data: dict[str, np.ndarray]) -> None:
    """The faces of all patches that bound what is computed, as triangles, quads and polygons, with the number of their patch and what else is known of them, (n,) or (n, 3) by name; the
    names of patches stand in a field `patch_names`, each ended by a zero."""
    patches = [p for p in mesh.patches if p.name not in (PLANE_SIDES, WEDGE_SIDES)]
    faces = np.concatenate([np.arange(p.start, p.end) for p in patches]) if patches else np.zeros(0, np.int64)
    sides = np.diff(mesh.face_offsets)[faces]
    begins = np.repeat(
        mesh.face_offsets[faces] - np.concatenate([[0], np.cumsum(sides)[:-1]]) if len(faces) else faces, sides
    )
    used, corners = np.unique(mesh.face_points[begins + np.arange(sides.sum())], return_inverse=True)
    kinds = np.select([sides == 3, sides == 4], [TRIANGLE, QUAD], POLYGON).astype(np.uint8)
    names = np.frombuffer("".join(f"{p.name}\0" for p in patches).encode(), np.uint8)
    of = np.repeat(np.arange(len(patches)), [p.count for p in patches])
    shapes = {"connectivity": corners, "offsets": np.cumsum(sides), "types": kinds}
    _grid(path, mesh.points[used], shapes, {"patch": of, **data}, {"patch_names": names})


def _grid(
    path: Path,
    points: np.ndarray,
    shapes: dict[str, np.ndarray],
    data: dict[str, np.ndarray],
    about: dict[str, np.ndarray],
) -> None:
    """Points (P, 3) in m, shapes of cells as VTK has them, what is known of each, and what of all."""
    with path.open("wb") as out:
        out.write(
            b'<?xml version="1.0"?>\n<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian" '
            b'header_type="UInt64">\n<UnstructuredGrid>\n<FieldData>\n'
        )
        for name, values in about.items():
            _put(out, name, values, tuples=len(values))
        out.write(b"</FieldData>\n")
        out.write(f'<Piece NumberOfPoints="{len(points)}" NumberOfCells="{len(shapes["types"])}">\n<Points>\n'.encode())
        _put(out, "Points", points, 3)
        out.write(b"</Points>\n<Cells>\n")
        for name, values in shapes.items():
            _put(out, name, values)
        out.write(b"</Cells>\n<CellData>\n")
        for name, values in data.items():
            _put(out, name, values, 1 if values.ndim == 1 else values.shape[1])
        out.write(b"</CellData>\n</Piece>\n</UnstructuredGrid>\n</VTKFile>\n")


def _polyhedra(mesh: Mesh, order: np.ndarray) -> dict[str, np.ndarray]:
    """Cells in an order (C,) as polyhedra: of each how many sides, then of each side how many corners and which."""
    every = Polygons(mesh.cell_faces[1], mesh.cell_faces[0]).part(order)  # faces of cells, like points of polygons
    offsets, faces = every.offsets, every.flat
    corners = np.diff(mesh.face_offsets)
    cell = np.repeat(np.arange(mesh.cell_count), np.diff(offsets))
    outward = Polygons(mesh.face_points, mesh.face_offsets).part(faces)
    inward = np.repeat(mesh.owner[faces] != order[cell], outward.corners)
    flat = np.where(inward, outward.turned().flat, outward.flat)
    counts = np.bincount(cell, 1 + corners[faces], mesh.cell_count).astype(int) + 1
    ends = np.cumsum(counts)
    side_start = np.concatenate([[0], np.cumsum(1 + corners[faces])[:-1]]) + cell + 1
    stream = np.empty(ends[-1] if len(ends) else 0, np.int64)
    stream[ends - counts] = np.diff(offsets)
    stream[side_start] = corners[faces]
    within = np.arange(len(flat)) - np.repeat(outward.offsets[:-1], outward.corners)
    stream[np.repeat(side_start + 1, outward.corners) + within] = flat
    own = points_of_cells(mesh, order)
    return {
        "connectivity": own.flat, "offsets": own.offsets[1:],
        "types": np.full(mesh.cell_count, POLYHEDRON, np.uint8), "faces": stream, "faceoffsets": ends,
    }  # fmt: skip


def _sides(mesh: Mesh) -> dict[str, np.ndarray]:
    """Names of patches and bodies, and the faces of patches and of walls between bodies."""
    at_wall, wall_names, wall = mesh.between_bodies
    sides = Polygons(mesh.face_points, mesh.face_offsets)
    skin = sides.part(np.concatenate([at_wall, np.arange(mesh.inner_count, mesh.face_count)]))
    names = [p.name for p in mesh.patches]
    names += [n for n in wall_names if n not in names]
    numbers = np.array([names.index(n) for n in wall_names], int)
    patch = np.concatenate([numbers[wall], *(np.full(p.count, k) for k, p in enumerate(mesh.patches))]).astype(np.int64)
    texts = {
        of: np.frombuffer(b"".join(word.encode() + b"\0" for word in words), np.uint8)
        for of, words in (("patch_names", names), ("body_names", mesh.bodies))
    }
    return {**texts, "patch_corners": skin.flat, "patch_ends": skin.offsets[1:], "patch_of": patch}


def points_of_cells(mesh: Mesh, order: np.ndarray | None = None) -> Polygons:
    """The points of each cell once, in rising order, of the cells in an order (C,) or as they stand; some at a time, so that large meshes take little room."""
    every = Polygons(mesh.cell_faces[1], mesh.cell_faces[0])
    sides = Polygons(mesh.face_points, mesh.face_offsets)
    count, points = mesh.cell_count, len(mesh.points)
    order = np.arange(count) if order is None else order
    parts, counts = [], []
    for first in range(0, count, SOME):
        own = every.part(order[first : first + SOME])
        corners = sides.part(own.flat)
        cell = np.repeat(np.repeat(np.arange(own.count), own.corners), corners.corners)
        which, point = np.divmod(np.unique(cell * points + corners.flat), points)
        parts.append(point)
        counts.append(np.bincount(which, minlength=own.count))
    none = np.zeros(0, np.int64)
    return Polygons(np.concatenate([none, *parts]), np.concatenate([[0], np.cumsum(np.concatenate([none, *counts]))]))


def _by_points(mesh: Mesh) -> np.ndarray:
    """Cells in the order of how many points they have: some readers lose the others' data otherwise."""
    return np.argsort(points_of_cells(mesh).corners, kind="stable")


def _put(out: BinaryIO, name: str, values: np.ndarray, components: int = 1, tuples: int = 0) -> None:
    values = np.ascontiguousarray(
        values, "<f8" if values.dtype.kind == "f" else "u1" if values.dtype == np.uint8 else "<i8"
    )
    kind = {"f": "Float64", "u": "UInt8", "i": "Int64"}[values.dtype.kind]
    # one component is what nothing said means, and what some readers take wrongly
    more = f'NumberOfTuples="{tuples}" ' if tuples else f'NumberOfComponents="{components}" ' if components > 1 else ""
    out.write(f'<DataArray type="{kind}" Name="{name}" {more}format="binary">'.encode())
    out.write(base64.b64encode(np.uint64(values.nbytes).tobytes() + values.tobytes()))
    out.write(b"</DataArray>\n")
