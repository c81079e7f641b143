"""STEP (ISO 10303-21): faces of solids become patches, curved ones triangles within a deflection. Only read."""

from __future__ import annotations

import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from brook.core.geometry.files.base import FileError, FileFormat, Patches, check_count, checked_points
from brook.core.geometry.surface import Surface

DEFLECTION = 1e-4  # m
ANGLE = 0.35  # rad between neighbours on a curved face
DEEPEST = 500
SAME = 1e-6  # mm: corners of neighbouring faces nearer than this are one


def read(data: bytes) -> Surface:
    """The faces of a STEP file as triangles. Raises `FileError`."""
    return read_within(data, DEFLECTION)


def read_within(data: bytes, deflection: float) -> Surface:
    """The surface in mm. Raises `FileError`."""
    _check(data)
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.STEPControl import STEPControl_Reader

    with _quiet(), _file(data) as path:
        reader = STEPControl_Reader()
        if reader.ReadFile(path) != IFSelect_RetDone:
            raise FileError("the file cannot be read as STEP; write it anew, as AP203, AP214 or AP242")
        reader.TransferRoots()
        shape = reader.OneShape()
        if shape.IsNull():
            raise FileError("the file holds no shape; check what was chosen when it was written")
        BRepMesh_IncrementalMesh(shape, max(1000 * deflection, 1e-4), False, ANGLE, True)
        return _triangles(shape, reader.WS().TransferReader())


def colours(data: bytes) -> dict[str, str]:
    """The colours of faces by their patches; a face without one has that of its solid."""
    _check(data)
    if b"COLOUR_RGB" not in data.upper() and b"DRAUGHTING_PRE_DEFINED_COLOUR" not in data.upper():
        return {}
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.Quantity import Quantity_Color
    from OCP.STEPCAFControl import STEPCAFControl_Reader
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDocStd import TDocStd_Document
    from OCP.TopAbs import TopAbs_FACE, TopAbs_SOLID
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopLoc import TopLoc_Location
    from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_ColorSurf, XCAFDoc_DocumentTool

    with _quiet(), _file(data) as path:
        document = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
        reader = STEPCAFControl_Reader()
        if reader.ReadFile(path) != IFSelect_RetDone or not reader.Transfer(document):
            return {}
        shape, transfer = reader.Reader().OneShape(), reader.Reader().WS().TransferReader()
        tool = XCAFDoc_DocumentTool.ColorTool_s(document.Main())

        def own(one: Any) -> str:
            found = Quantity_Color()
            plain = one.Located(TopLoc_Location())  # colours belong to shapes wherever they are put
            if not any(tool.GetColor(plain, kind, found) for kind in (XCAFDoc_ColorSurf, XCAFDoc_ColorGen)):
                return ""
            return "#" + "".join(f"{round(255 * _shown(c)):02x}" for c in (found.Red(), found.Green(), found.Blue()))

        of_faces = {}  # by their hashes: equal faces are other objects each time they are asked for
        solids = TopExp_Explorer(shape, TopAbs_SOLID)
        while solids.More():
            colour = own(solids.Current())
            faces = TopExp_Explorer(solids.Current(), TopAbs_FACE)
            while faces.More():
                of_faces[hash(faces.Current())] = colour
                faces.Next()
            solids.Next()
        patches = Patches()
        told: dict[str, str] = {}
        for face, number in _faces(shape, transfer, patches):
            told.setdefault(patches.names[number], own(face) or of_faces.get(hash(face), ""))
        return {name: colour for name, colour in told.items() if colour}


def _shown(linear: float) -> float:
    """A part of a colour as screens count it (sRGB), from light as it adds up."""
    return 12.92 * linear if linear <= 0.0031308 else 1.055 * linear ** (1 / 2.4) - 0.055


def _check(data: bytes) -> None:
    """Refuses what is no sound STEP file. Raises `FileError`."""
    if not data.lstrip()[:13].upper().startswith(b"ISO-10303-21"):
        raise FileError("this is no STEP file: it does not begin with ISO-10303-21")
    if b"END-ISO-10303-21" not in data[-2000:].upper():
        raise FileError("the file ends too early: END-ISO-10303-21 is missing; write it anew")
    if not re.search(rb"FACE|SHELL|SOLID|TRIANGULATED", data):  # the library takes its time over points without a shape
        raise FileError("the file holds no shape; check what was chosen when it was written")
    if _depth(data) > DEEPEST:
        raise FileError("the file nests its values too deeply to be sound; write it anew")


def _depth(data: bytes) -> int:
    """How deeply brackets are nested; the library ends its process where they are without end."""
    codes = np.frombuffer(data, np.uint8)
    turns = (codes == ord("(")).astype(np.int64) - (codes == ord(")"))
    return int(np.abs(np.cumsum(turns)).max(initial=0))


def _faces(shape: Any, transfer: Any, patches: Patches) -> Iterator[tuple[Any, int]]:
    """Every face with the number of its patch."""
    from OCP.TopAbs import TopAbs_FACE
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    to_face = getattr(TopoDS, "Face_s", None) or TopoDS.Face
    explorer = TopExp_Explorer(shape, TopAbs_FACE)
    while explorer.More():
        face = to_face(explorer.Current())
        yield face, patches.number(_name(face, transfer) or f"face_{len(patches.names) + 1}")
        explorer.Next()


def _triangles(shape: Any, transfer: Any) -> Surface:
    from OCP.BRep import BRep_Tool
    from OCP.TopAbs import TopAbs_REVERSED
    from OCP.TopLoc import TopLoc_Location

    triangulation_of = getattr(BRep_Tool, "Triangulation_s", None) or BRep_Tool.Triangulation
    patches = Patches()
    points, triangles, numbers = [], [], []
    count = total = 0
    for face, number in _faces(shape, transfer, patches):
        place = TopLoc_Location()
        mesh = triangulation_of(face, place)
        if mesh is None:
            continue
        turn = place.Transformation()
        at = np.array(
            [(p.X(), p.Y(), p.Z()) for p in (mesh.Node(k + 1).Transformed(turn) for k in range(mesh.NbNodes()))]
        )
        corners = np.array([mesh.Triangle(k + 1).Get() for k in range(mesh.NbTriangles())]).reshape(-1, 3) - 1
        if face.Orientation() == TopAbs_REVERSED:
            corners = corners[:, ::-1]
        total += len(corners)
        check_count(total)
        points.append(at)
        triangles.append(corners + count)
        numbers.append(np.full(len(corners), number))
        count += len(at)
    if not triangles:
        raise FileError("the file holds no face; it may hold lines or points only")
    every = np.concatenate(points)
    made = patches.on(checked_points(_joined(every), np.concatenate(triangles), np.concatenate(numbers), patches.names))
    a, b, c = made.triangles.T
    whole = (a != b) & (b != c) & (c != a)
    return made if whole.all() else made.only(whole)


def _joined(points: np.ndarray) -> np.ndarray:
    """Points (n, 3) with those at nearly the same place moved to one: faces meet along edges that both have."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    pairs = cKDTree(points).query_pairs(SAME, output_type="ndarray")
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points)))
    label = connected_components(graph, directed=False)[1]
    _, first = np.unique(label, return_index=True)
    return points[first[label]]


def _name(face: Any, transfer: Any) -> str:
    """What the file calls a face, nothing when it says nothing of use."""
    entity = transfer.EntityFromShapeResult(face, 1)
    name = getattr(entity, "Name", None)
    text = name().ToCString() if name is not None and name() is not None else ""
    return "" if text.strip().upper() in ("", "NONE") else text


@contextmanager
def _file(data: bytes) -> Iterator[str]:
    with tempfile.NamedTemporaryFile(suffix=".step") as file:
        file.write(data)
        file.flush()
        yield file.name


@contextmanager
def _quiet() -> Iterator[None]:
    """The library writes of its progress to the terminal itself."""
    kept = os.dup(1)
    nowhere = os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 1)
        yield
    finally:
        os.dup2(kept, 1)
        os.close(kept)
        os.close(nowhere)


STEP = FileFormat("step", "STEP", "model/step", read, None, "mm", read_within, colours)
