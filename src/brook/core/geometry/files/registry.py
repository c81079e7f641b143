"""Which file formats there are. A new one is a module beside this one and a line here."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from brook.core.geometry.files.base import MOST_BYTES, FileError, FileFormat
from brook.core.geometry.files.gltf import GLB
from brook.core.geometry.files.obj import OBJ
from brook.core.geometry.files.ply import PLY
from brook.core.geometry.files.step import STEP
from brook.core.geometry.files.stl import BINARY, TEXT
from brook.core.geometry.files.threemf import THREE_MF
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.rounding import joined

DEFLECTION = 1e-4
FORMATS: dict[str, FileFormat] = {f.suffix: f for f in (TEXT, BINARY, OBJ, PLY, THREE_MF, STEP, GLB)}
OTHER_SUFFIXES = {"stp": STEP}


def format_of(name: str) -> FileFormat:
    """The format of a file by its name. Raises `FileError`."""
    lower = name.lower()
    every = {**FORMATS, **OTHER_SUFFIXES}
    for suffix in sorted(every, key=len, reverse=True):
        if lower.endswith(f".{suffix}"):
            return every[suffix]
    known = ", ".join(sorted(f".{s}" for s in FORMATS))
    raise FileError(f"'{name[-40:]}' is of no known format; known are {known}")


def read_file(name: str, data: bytes, deflection: float = DEFLECTION) -> Surface:
    """The surface of a file, in the file's own unit. Raises `FileError`.

    `deflection` in m is how far triangles may leave the curved faces of a format that has such.
    """
    if len(data) > MOST_BYTES:
        raise FileError(f"the file has {len(data) / 1e6:.0f} MB; at most {MOST_BYTES / 1e6:.0f} MB are taken in")
    try:
        known = format_of(name)
        if known.read_within is not None:
            return _read(known.read_within(data, deflection))
        if known.read is None:
            raise FileError(f"{known.words} is only written here; bring the shape in as another format")
        return _read(known.read(data))
    except MemoryError:
        raise FileError("the file needs more memory than there is; write it more coarsely") from None


def _read(surface: Surface) -> Surface:
    made = tidied(joined(surface))
    return replace(made, called=tuple(c for c in surface.called if c[1] in made.patches))


def tidied(surface: Surface) -> Surface:
    """The same without triangles that have one corner twice, which have no area and no edges that others could share, and without
    groups that hold none; unless nothing is left."""
    a, b, c = surface.triangles.T
    whole = (a != b) & (b != c) & (c != a)
    if not whole.any():
        return surface
    kept = surface if whole.all() else surface.only(whole)
    used = np.unique(kept.patch)
    names = tuple(kept.patches[k] for k in used)
    if len(names) < len(kept.patches):
        kept = Surface(kept.points, kept.triangles, np.searchsorted(used, kept.patch), names)
    empty = tuple(n for n in surface.patches if n not in names)
    return replace(kept, joined=surface.joined, repeated=int((~whole).sum()), empty=empty)


def file_colours(name: str, data: bytes) -> dict[str, str]:
    """The colours ("#rrggbb") that a file gives to its patches; none when it says nothing of them."""
    known = format_of(name)
    return known.colours(data) if known.colours is not None else {}


def write_file(name: str, surface: Surface) -> bytes:
    """The bytes of a file of the format that its name says. Raises `FileError`."""
    known = format_of(name)
    if known.write is None:
        raise FileError(f"{known.words} is only read here; write the shape as another format")
    return known.write(surface)
