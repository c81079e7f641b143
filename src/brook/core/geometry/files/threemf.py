"""3MF: a ZIP archive with the shape as XML. Objects are patches; the unit is part of the file."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from xml.etree import ElementTree

import numpy as np

from brook.core.geometry.files.base import FileError, FileFormat, Patches, check_count, checked_corners
from brook.core.geometry.surface import Surface

CORE = "{http://schemas.microsoft.com/3dmanufacturing/core/2015/02}"
MILLIMETRES = {"micron": 1e-3, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
MOST_BYTES = 1_500_000_000
MOST_RATIO = 200  # of unpacked to packed; honest ones lie under 20
DEEPEST, MOST_ITEMS = 8, 10_000
COLOUR = re.compile(r"^#[0-9a-f]{6}$")
MODEL = "3D/3dmodel.model"


def _model(data: bytes) -> bytes:
    """The XML of the shape. Nothing is unpacked to a disc, and nothing that promises to be too large at all."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            parts = [i for i in archive.infolist() if i.filename.lower().endswith(".model")]
            if not parts:
                raise FileError("the archive holds no shape (a .model file); write it anew as 3MF")
            part = next((i for i in parts if i.filename.lower().lstrip("/") == MODEL.lower()), parts[0])
            if part.file_size > min(MOST_BYTES, MOST_RATIO * len(data) + 1_000_000):
                raise FileError(f"the archive would unpack to {part.file_size / 1e6:.0f} MB; that is not honest")
            with archive.open(part) as source:
                text = source.read(part.file_size + 1)
            if len(text) > part.file_size:
                raise FileError("the archive holds more than its list says; fetch it again")
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, ValueError) as error:
        if isinstance(error, FileError):
            raise
        raise FileError("the archive is damaged or not a 3MF file; fetch it again") from None
    except Exception as error:  # the unpackers raise what they like
        raise FileError(f"the archive cannot be unpacked ({type(error).__name__}); fetch it again") from None
    if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
        raise FileError("the shape's XML defines words of its own, which no 3MF file needs; it is not read")
    return text


def read(data: bytes) -> Surface:
    """The surface in mm."""
    try:
        root = ElementTree.fromstring(_model(data))
    except ElementTree.ParseError as error:
        raise FileError(f"the shape's XML is damaged in line {error.position[0]}; write it anew") from None
    except (LookupError, ValueError):  # of an encoding that is not known, or that does not fit
        raise FileError("the shape's XML is in an encoding that is not known; write it anew as UTF-8") from None
    unit = root.get("unit", "millimeter")
    if unit not in MILLIMETRES:
        raise FileError(f"the unit '{unit[:20]}' is not one of 3MF")
    objects = {o.get("id", ""): o for o in root.iter(f"{CORE}object")}
    patches, corners, numbers = Patches(), [], []
    items = [(i.get("objectid", ""), _matrix(i.get("transform"))) for i in root.iter(f"{CORE}item")]
    count = 0
    for name, triangles in _Assembly(objects).meshes(items or [(k, np.eye(4)) for k in objects]):
        count += len(triangles)
        check_count(count)
        corners.append(triangles * MILLIMETRES[unit])
        numbers.append(np.full(len(triangles), patches.number(name)))
    if not corners:
        raise FileError("the file has no triangle; check what was chosen when it was written")
    return patches.on(checked_corners(np.concatenate(corners), np.concatenate(numbers), patches.names))


class _Assembly:
    """Puts meshes where items and the components of their objects say; each mesh is read once, and items are counted."""

    def __init__(self, objects: dict[str, ElementTree.Element]):
        self.objects, self.count = objects, 0
        self._read: dict[str, np.ndarray] = {}
        self._inner: dict[str, list[tuple[str, np.ndarray]]] = {}

    def meshes(self, items: list[tuple[str, np.ndarray]], depth: int = 0) -> Iterator[tuple[str, np.ndarray]]:
        """(name, triangles (T, 3, 3)) of every mesh that the items lead to."""
        if depth > DEEPEST:
            raise FileError("the parts of the file hold each other without end; write it anew")
        for key, matrix in items:
            self.count += 1
            if self.count > MOST_ITEMS:
                raise FileError(f"the file puts over {MOST_ITEMS} parts together; join some before bringing it in")
            if key not in self.objects:
                raise FileError(f"the file speaks of part '{key[:20]}', which it does not have")
            found = self.objects[key]
            name = found.get("name") or f"part {key}"
            triangles, inner = self._object(key, found)
            if triangles is not None:
                yield name, triangles @ matrix[:3, :3].T + matrix[:3, 3]
            if inner:
                yield from self.meshes([(k, matrix @ own) for k, own in inner], depth + 1)

    def _object(self, key: str, found: ElementTree.Element) -> tuple[np.ndarray | None, list[tuple[str, np.ndarray]]]:
        if key not in self._inner:
            mesh = found.find(f"{CORE}mesh")
            if mesh is not None:
                self._read[key] = _triangles(mesh)
                check_count(len(self._read[key]))
            parts = list(found.iter(f"{CORE}component"))
            if len(parts) > MOST_ITEMS:
                raise FileError(f"the file puts over {MOST_ITEMS} parts together; join some before bringing it in")
            self._inner[key] = [(c.get("objectid", ""), _matrix(c.get("transform"))) for c in parts]
        return self._read.get(key), self._inner[key]


def colours(data: bytes) -> dict[str, str]:
    """The colours of objects by their patches: that of the material which an object names."""
    try:
        root = ElementTree.fromstring(_model(data))
    except ElementTree.ParseError:
        return {}
    groups = {
        (group.get("id"), str(k)): base.get("displaycolor", "")[:7].lower()
        for group in root.iter(f"{CORE}basematerials")
        for k, base in enumerate(group.iter(f"{CORE}base"))
    }
    patches, told = Patches(), {}
    for key, found in {o.get("id", ""): o for o in root.iter(f"{CORE}object")}.items():
        colour = groups.get((found.get("pid"), found.get("pindex", "0")), "")
        if found.find(f"{CORE}mesh") is not None and COLOUR.match(colour):
            told[patches.names[patches.number(found.get("name") or f"part {key}")]] = colour
    return told


def _triangles(mesh: ElementTree.Element) -> np.ndarray:
    try:
        points = np.array([[v.get(k) for k in "xyz"] for v in mesh.iter(f"{CORE}vertex")], float).reshape(-1, 3)
        corners = np.array([[t.get(k) for k in ("v1", "v2", "v3")] for t in mesh.iter(f"{CORE}triangle")], np.int64)
    except (TypeError, ValueError, OverflowError):
        raise FileError("a point or a triangle of the file is no number; write it anew") from None
    corners = corners.reshape(-1, 3)
    if len(corners) and (corners.min() < 0 or corners.max() >= len(points)):
        raise FileError("a triangle names a point that the file does not have; write the file anew")
    return points[corners]


def _matrix(text: str | None) -> np.ndarray:
    """The transform (4, 4) of twelve numbers, column by column."""
    if not text:
        return np.eye(4)
    try:
        numbers = np.array(text.split(), float)
        made = np.eye(4)
        made[:3] = numbers.reshape(4, 3).T
    except ValueError:
        raise FileError(f"'{text[:40]}' is no transform of twelve numbers") from None
    return made


def write(surface: Surface) -> bytes:
    """One object for each patch with triangles; numbers as short as they can be without loss."""
    lines = ['<?xml version="1.0" encoding="UTF-8"?>', f'<model unit="millimeter" xmlns="{CORE[1:-1]}"><resources>']
    items = []
    for number, name in enumerate(surface.patches):
        part = surface.only(surface.patch == number)
        if not part.count:
            continue
        lines.append(f'<object id="{number + 1}" type="surface" name="{name}"><mesh><vertices>')
        lines += [f'<vertex x="{float(x)!r}" y="{float(y)!r}" z="{float(z)!r}"/>' for x, y, z in part.points]
        lines.append("</vertices><triangles>")
        lines += [f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in part.triangles.tolist()]
        lines.append("</triangles></mesh></object>")
        items.append(f'<item objectid="{number + 1}"/>')
    lines += ["</resources><build>", *items, "</build></model>"]
    types = (
        '<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    relations = (
        '<?xml version="1.0" encoding="UTF-8"?>'
        '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
        f'<Relationship Target="/{MODEL}" Id="model" '
        'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
    )
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in (("[Content_Types].xml", types), ("_rels/.rels", relations), (MODEL, "\n".join(lines))):
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), text, zipfile.ZIP_DEFLATED)
    return data.getvalue()


THREE_MF = FileFormat("3mf", "3MF", "model/3mf", read, write, unit="mm", colours=colours)
