"""PLY: points and faces, as text or binary. Patches stand in a face property `patch` and comments `patch N name`."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.geometry.files.base import FileError, FileFormat, Patches, check_count, checked_points
from brook.core.geometry.surface import Surface

TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
ORDERS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}
LONGEST_HEADER = 100_000


@dataclass
class _Element:
    name: str
    count: int
    properties: list[tuple[str, str, str]]  # name, type, and the type of the count of a list or nothing


def _header(data: bytes) -> tuple[str, list[_Element], dict[int, str], int]:
    """(order, elements, names of patches, where the body begins)."""
    end = data.find(b"end_header", 0, LONGEST_HEADER)
    if end < 0:
        raise FileError("the file has no end of its header; it is damaged or no PLY file")
    body = data.find(b"\n", end) + 1 or len(data)
    order, elements, names = "", [], {}
    for number, line in enumerate(data[:end].decode("latin-1").splitlines(), 1):
        words = line.split()
        try:
            if words[:1] == ["format"]:
                order = words[1]
            elif words[:1] == ["element"]:
                elements.append(_Element(words[1], int(words[2]), []))
            elif words[:1] == ["property"]:
                is_list = words[1] == "list"
                kinds = [TYPES[w] for w in (words[2:4] if is_list else words[1:2])]
                elements[-1].properties.append((words[-1], kinds[-1], kinds[0] if is_list else ""))
            elif words[:2] == ["comment", "patch"] and len(words) == 4:
                names[int(words[2])] = words[3]
        except (IndexError, ValueError, KeyError):
            raise FileError(f"line {number} of the header is not as it should be: '{line[:60]}'") from None
    if order not in ORDERS:
        raise FileError(f"the format '{order[:30]}' is not known; write the file as ascii or binary_little_endian")
    return order, elements, names, body


def read(data: bytes) -> Surface:
    """The triangles of a PLY file. Raises `FileError`."""
    if not data.startswith(b"ply"):
        raise FileError("the file does not begin with 'ply'")
    order, elements, names, at = _header(data)
    for element in elements:
        if element.count < 0 or element.count > len(data):
            raise FileError(f"the header promises {element.count} of '{element.name}', more than the file can hold")
    found: dict[str, dict[str, np.ndarray]] = {}
    words = data[at:].split() if order == "ascii" else []
    place = 0 if order == "ascii" else at
    for element in elements:
        take = _take_words if order == "ascii" else _take_bytes
        source = words if order == "ascii" else data
        found[element.name], place = take(source, place, element, ORDERS[order])  # type: ignore[arg-type]
    vertex, face = found.get("vertex", {}), found.get("face", {})
    if not {"x", "y", "z"} <= vertex.keys():
        raise FileError("the points have no x, y and z")
    lists = face.get("vertex_indices", face.get("vertex_index"))
    if lists is None:
        raise FileError("the file has no faces with a list of points")
    counts, corners = lists
    triangles, of_face = _fans(np.asarray(counts, np.int64), np.asarray(corners, np.int64))
    check_count(len(triangles))
    points = np.stack([np.asarray(vertex[k], float) for k in "xyz"], axis=1)
    patches = Patches()
    given = np.asarray(face.get("patch", np.zeros(len(counts))), np.int64)
    table = {
        n: patches.number(names.get(n, f"part {n + 1}" if "patch" in face else "surface"))
        for n in [*sorted(names), *np.unique(given).tolist()]
    }
    patch = np.array([table[n] for n in given.tolist()], np.int64)[of_face] if len(given) else np.zeros(0, np.int64)
    return patches.on(checked_points(points, triangles, patch, patches.names or ["surface"]))


def _fans(counts: np.ndarray, corners: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Triangles (T, 3) of polygons, as fans from their first corners, and the polygon of each."""
    if len(counts) and counts.min() < 3:
        raise FileError(f"face {int(np.argmin(counts)) + 1} has fewer than three corners")
    starts = np.concatenate([[0], np.cumsum(counts)])[:-1]
    of_face = np.repeat(np.arange(len(counts)), counts - 2)
    within = np.arange(len(of_face)) - np.repeat(np.cumsum(counts - 2) - (counts - 2), counts - 2)
    first = starts[of_face]
    return np.stack([corners[first], corners[first + within + 1], corners[first + within + 2]], axis=1), of_face


def _take_words(words: list[bytes], at: int, element: _Element, order: str) -> tuple[dict, int]:
    """The values of an element of a text file."""
    short = FileError(f"the file ends within '{element.name}'; fetch it again")
    lists = [p for p in element.properties if p[2]]
    try:
        if not lists:
            wide = len(element.properties)
            block = np.array(words[at : at + wide * element.count], float).reshape(element.count, wide)
            return {p[0]: block[:, k] for k, p in enumerate(element.properties)}, at + block.size
        values: dict[str, list] = {p[0]: [] for p in element.properties}
        counts: dict[str, list[int]] = {p[0]: [] for p in lists}
        for _ in range(element.count):
            for name, _, kind in element.properties:
                if kind:
                    count = int(words[at])
                    if count < 0 or at + 1 + count > len(words):
                        raise short
                    counts[name].append(count)
                    values[name] += words[at + 1 : at + 1 + count]
                    at += 1 + count
                else:
                    values[name].append(float(words[at]))
                    at += 1
        ready: dict = {n: np.array(v, float) for n, v in values.items()}
    except (IndexError, ValueError, OverflowError) as error:
        raise error if isinstance(error, FileError) else short from None
    return ready | {n: (np.array(counts[n]), ready[n]) for n in counts}, at


def _take_bytes(data: bytes, at: int, element: _Element, order: str) -> tuple[dict, int]:
    """The values of an element of a binary file."""
    short = FileError(f"the file ends within '{element.name}'; fetch it again")
    if not any(p[2] for p in element.properties):
        record = np.dtype([(p[0], order + p[1]) for p in element.properties])
        if at + record.itemsize * element.count > len(data):
            raise short
        block = np.frombuffer(data, record, element.count, at)
        return {p[0]: block[p[0]] for p in element.properties}, at + record.itemsize * element.count
    # nearly always all lists are as long as the first; else one face after the other
    fields, where = [], at
    for name, kind, count_kind in element.properties:
        if not count_kind:
            fields.append((name, order + kind))
            where += np.dtype(kind).itemsize
            continue
        if where + np.dtype(count_kind).itemsize > len(data):
            raise short
        count = int(np.frombuffer(data, order + count_kind, 1, where)[0]) if element.count else 3
        if not 0 <= count <= 1000:
            raise FileError(f"a face has {count} corners; the file is damaged")
        fields += [(f"{name} count", order + count_kind), (name, order + kind, (count,))]  # type: ignore[list-item]
        where += np.dtype(count_kind).itemsize + count * np.dtype(kind).itemsize
    record = np.dtype(fields)
    if at + record.itemsize * element.count <= len(data):
        block = np.frombuffer(data, record, element.count, at)
        if all(np.all(block[f"{p[0]} count"] == record[p[0]].shape[0]) for p in element.properties if p[2]):
            ready = {
                p[0]: (block[f"{p[0]} count"], block[p[0]].ravel()) if p[2] else block[p[0]] for p in element.properties
            }
            return ready, at + record.itemsize * element.count
    return _take_mixed(data, at, element, order, short)


def _take_mixed(data: bytes, at: int, element: _Element, order: str, short: FileError) -> tuple[dict, int]:
    """Polygons of different lengths, one after the other."""
    values: dict[str, list] = {p[0]: [] for p in element.properties}
    counts: dict[str, list[int]] = {p[0]: [] for p in element.properties if p[2]}
    for _ in range(element.count):
        for name, kind, count_kind in element.properties:
            count = 1
            if count_kind:
                if at + np.dtype(count_kind).itemsize > len(data):
                    raise short
                count = int(np.frombuffer(data, order + count_kind, 1, at)[0])
                counts[name].append(count)
                at += np.dtype(count_kind).itemsize
            step = count * np.dtype(kind).itemsize
            if count < 0 or at + step > len(data):
                raise short
            values[name].append(np.frombuffer(data, order + kind, count, at))
            at += step
    joined = {n: np.concatenate(v) if v else np.zeros(0) for n, v in values.items()}
    return joined | {n: (np.array(counts[n]), joined[n]) for n in counts}, at


def write(surface: Surface) -> bytes:
    """Binary, in double precision, with the number of the patch at each face."""
    names = "".join(f"comment patch {k} {n}\n" for k, n in enumerate(surface.patches))
    header = (
        f"ply\nformat binary_little_endian 1.0\n{names}element vertex {len(surface.points)}\n"
        "property double x\nproperty double y\nproperty double z\n"
        f"element face {surface.count}\nproperty list uchar int vertex_indices\nproperty int patch\nend_header\n"
    )
    block = np.zeros(surface.count, np.dtype([("count", "u1"), ("corners", "<i4", 3), ("patch", "<i4")]))
    block["count"], block["corners"], block["patch"] = 3, surface.triangles, surface.patch
    return header.encode("ascii") + surface.points.astype("<f8").tobytes() + block.tobytes()


PLY = FileFormat("ply", "PLY", "model/ply", read, write)
