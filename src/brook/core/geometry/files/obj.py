"""OBJ: points and faces as text; groups and objects are patches."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.files.base import FileError, FileFormat, Patches, check_count, checked_points
from brook.core.geometry.files.kernels import scan_obj
from brook.core.geometry.files.text import as_array, line_of, slow_number
from brook.core.geometry.surface import Surface


def read(data: bytes) -> Surface:
    """The triangles of an OBJ file. Raises `FileError`."""
    array = as_array(data)
    most_points = data.count(b"v ") + data.count(b"v\t") + 1
    # a face of n corners, each after a blank, makes n - 2 triangles
    faces = data.count(b"f ") + data.count(b"f\t")
    check_count(faces)
    most = data.count(b" ") + data.count(b"\t") if faces else 0
    check_points = min(most_points, len(data) // 6 + 1)
    points, slow = np.empty((check_points, 3)), np.empty((3 * check_points, 2), np.int64)
    triangles, group = np.empty((max(0, most - 2 * faces), 3), np.int64), np.empty(max(0, most - 2 * faces), np.int64)
    names = np.empty(100_000, np.int64)
    count, late, made, named, wrong = scan_obj(array, points, slow, triangles, group, names)
    if wrong >= 0:
        raise FileError(f"line {line_of(data, wrong)} is not as it should be: a face has three or more point numbers")
    check_count(made)
    for at, where in slow[:late]:
        word = data[at : at + 64].split(None, 1)
        try:
            points[where // 3, where % 3] = slow_number(data, at, at + len(word[0]) if word else at)
        except ValueError:
            raise FileError(f"line {line_of(data, int(at))} has no number where one should be") from None
    patches = Patches()
    if made and np.any(group[:made] == 0):
        patches.number("surface")
    table = np.zeros(named + 1, np.int64)
    for k in range(named):
        line = data[names[k] : names[k] + 400].split(b"\n", 1)[0].decode("utf-8", "replace").split(None, 1)
        table[k + 1] = patches.number(line[1].strip() if len(line) > 1 else f"part {k + 1}")
    return patches.on(
        checked_points(points[:count], triangles[:made], table[group[:made]], patches.names or ["surface"])
    )


def write(surface: Surface) -> bytes:
    """A group for each patch; numbers as short as they can be without loss."""
    lines = [f"v {float(x)!r} {float(y)!r} {float(z)!r}" for x, y, z in surface.points]
    for number, name in enumerate(surface.patches):
        lines.append(f"g {name}")
        lines += [f"f {a} {b} {c}" for a, b, c in (surface.triangles[surface.patch == number] + 1).tolist()]
    return ("\n".join(lines) + "\n").encode("ascii")


OBJ = FileFormat("obj", "OBJ", "model/obj", read, write)
