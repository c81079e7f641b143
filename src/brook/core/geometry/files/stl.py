"""STL: loose triangles, as text with named solids or as binary blocks."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.files.base import FileError, FileFormat, Patches, check_count, checked_corners
from brook.core.geometry.files.kernels import scan_stl
from brook.core.geometry.files.text import as_array, line_of, slow_number
from brook.core.geometry.surface import Surface

HEADER, RECORD = 84, 50
BLOCK = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
NAMES = "patches: "  # begins the header of a file written here; the spare bytes then number the patches


def read(data: bytes) -> Surface:
    """Text or binary, told apart by the length that a binary header promises."""
    if len(data) >= HEADER and len(data) == HEADER + RECORD * int.from_bytes(data[80:84], "little"):
        return _binary(data)
    if data[:512].lstrip()[:5].lower() == b"solid" and (b"facet" in data[:4096].lower() or len(data) < HEADER):
        return _text(data)
    if len(data) < HEADER:
        begins = "a text one begins with 'solid', a binary one has a header of 84 bytes"
        raise FileError(
            f"this is no STL file, or a part of one: {begins}, and this ends after {len(data)}; fetch it again"
        )
    return _binary(data)


# -- binary ---------------------------------------------------------------------------------------


def _binary(data: bytes) -> Surface:
    """One block, or several one after the other, each a patch of its own."""
    patches, at, total = Patches(), 0, 0
    blocks: list[np.ndarray] = []
    numbers: list[np.ndarray] = []
    while at < len(data):
        count = int.from_bytes(data[at + 80 : at + 84], "little")
        end = at + HEADER + RECORD * count
        if end > len(data) or at + HEADER > len(data):
            there = max(0, len(data) - at - HEADER) // RECORD
            message = f"the file promises {count} triangles and ends after {there}; fetch it again"
            raise FileError(message if at == 0 else f"there are {len(data) - at} bytes too many at its end")
        total += count
        check_count(total)
        block = np.frombuffer(data, BLOCK, count, at + HEADER)
        header = data[at : at + 80].split(b"\0")[0].decode("latin-1").strip()
        if header.startswith(NAMES):
            names = [patches.number(n) for n in header.removeprefix(NAMES).split(",")]
            numbers.append(np.array(names)[np.minimum(block["spare"], len(names) - 1)])
        else:
            own = header.removeprefix("solid").strip() or f"part {len(blocks) + 1}"
            numbers.append(np.full(count, patches.number(own if len(own) <= 40 else "surface")))
        blocks.append(block["corners"])
        at = end
    if not blocks:
        raise FileError("the file is empty")
    return patches.on(checked_corners(np.concatenate(blocks).astype(float), np.concatenate(numbers), patches.names))


def write_binary(surface: Surface) -> bytes:
    """One block; patches are numbered in the spare bytes and named in the header as far as there is room."""
    header = (NAMES + ",".join(surface.patches)).encode("ascii")
    block = np.zeros(surface.count, BLOCK)
    block["corners"] = surface.points[surface.triangles]
    block["normal"] = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    if len(header) <= 80:
        block["spare"] = surface.patch
    else:
        header = b"surface"
    return header.ljust(80, b"\0") + len(block).to_bytes(4, "little") + block.tobytes()


# -- text -----------------------------------------------------------------------------------------


def _text(data: bytes) -> Surface:
    array = as_array(data)
    most = data.count(b"ertex") + data.count(b"ERTEX")
    check_count(most // 3)
    corners, solid = np.empty((most, 3)), np.empty(most, np.int64)
    slow = np.empty((3 * most, 2), np.int64)
    names = (
        np.empty(1 + data.lower().count(b"solid"), np.int64) if len(data) < 1_000_000 else np.empty(200_000, np.int64)
    )
    found, late, solids, wrong = scan_stl(array, corners, solid, slow, names)
    if wrong >= 0:
        raise FileError(
            f"line {line_of(data, wrong)} is not as it should be: a facet has three vertices of three numbers"
        )
    for at, where in slow[:late]:
        end = at + len(data[at : at + 64].split(None, 1)[0])
        try:
            corners[where // 3, where % 3] = slow_number(data, at, end)
        except ValueError:
            raise FileError(f"line {line_of(data, at)} has no number where one should be") from None
    if found % 3:
        raise FileError(f"the file ends within a facet, in line {line_of(data, len(data))}; fetch it again")
    if b"endsolid" not in data[-4096:].lower():
        raise FileError("the file ends before its last solid does; fetch it again")
    patches = Patches()
    of_solid = np.array([patches.number(_name(data, at, k)) for k, at in enumerate(names[:solids])] or [0])
    return patches.on(
        checked_corners(corners[:found].reshape(-1, 3, 3), of_solid[solid[:found:3]], patches.names or ["surface"])
    )


def _name(data: bytes, at: int, k: int) -> str:
    line = data[at : at + 400].split(b"\n", 1)[0].decode("utf-8", "replace").strip()
    return line or f"part {k + 1}"


def write_text(surface: Surface) -> bytes:
    """One solid for each patch, empty ones too; numbers as short as they can be without loss."""
    lines = []
    normals = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    for number, name in enumerate(surface.patches):
        lines.append(f"solid {name}")
        for k in np.nonzero(surface.patch == number)[0]:
            x, y, z = normals[k]
            lines.append(f"facet normal {x:.7g} {y:.7g} {z:.7g}\nouter loop")
            lines += [
                f"vertex {float(a)!r} {float(b)!r} {float(c)!r}" for a, b, c in surface.points[surface.triangles[k]]
            ]
            lines.append("endloop\nendfacet")
        lines.append(f"endsolid {name}")
    return ("\n".join(lines) + "\n").encode("ascii")


TEXT = FileFormat("stl", "STL as text", "model/stl", read, write_text)
BINARY = FileFormat("bin.stl", "STL, binary", "model/stl", read, write_binary)
