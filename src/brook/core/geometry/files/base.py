"""What a file format is, and what may go wrong with a file."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from brook.core.geometry.surface import Surface, surface_of, welded

MOST_BYTES = 600_000_000
MOST_TRIANGLES = 6_000_000
MOST_PATCHES = 2000
LARGEST = 1e12
MADE_UP = re.compile(r"(part|face|surface)[ _]?\d*")  # names that readers give to what has none


class FileError(ValueError):
    """A file that cannot be read: one line that says what, where and what to do."""


@dataclass(frozen=True)
class FileFormat:
    """`read` takes bytes and gives a surface in the file's own unit, or raises `FileError`; `write` the other way.
    One of the two may be missing.

    `unit` is that of the surface when the format knows it. `read_within` is there for formats of curved faces: it also
    takes how far triangles may leave them, in m. `colours` gives those that a file names ("#rrggbb") by patch.
    """

    suffix: str
    words: str
    media_type: str
    read: Callable[[bytes], Surface] | None
    write: Callable[[Surface], bytes] | None
    unit: str = ""
    read_within: Callable[[bytes, float], Surface] | None = None
    colours: Callable[[bytes], dict[str, str]] | None = None


def patch_name(text: str, taken: list[str]) -> str:
    """A name from a file as a patch name: letters, digits and underscores, begun by a letter; none twice."""
    kept = "".join(c if c.isascii() and c.isalnum() else "_" for c in text.strip().lower())
    kept = "_".join(part for part in kept.split("_") if part)[:36]
    if not kept or not kept[0].isalpha():
        kept = f"patch_{kept}" if kept else "patch"
    name, k, there = kept, 2, set(taken)
    while name in there:
        name, k = f"{kept}_{k}", k + 1
    return name


class Patches:
    """Collects patches by the names that stand in a file; one that comes again goes on."""

    def __init__(self) -> None:
        self.names: list[str] = []
        self._known: dict[str, int] = {}

    def number(self, text: str) -> int:
        """The number of the patch of a name. Raises `FileError` when there are too many."""
        if text not in self._known:
            if len(self.names) >= MOST_PATCHES:
                raise FileError(f"the file names more than {MOST_PATCHES} parts; join some before bringing it in")
            self._known[text] = len(self.names)
            self.names.append(patch_name(text, self.names))
        return self._known[text]

    def on(self, surface: Surface) -> Surface:
        """A surface that knows which of its patches the file calls otherwise; names that the file does not have are not among them."""
        called = ((text.strip(), self.names[k]) for text, k in self._known.items())
        return replace(surface, called=tuple((t, n) for t, n in called if t != n and not MADE_UP.fullmatch(t)))


def checked_corners(corners: np.ndarray, patch: np.ndarray, names: list[str]) -> Surface:
    """A surface from loose triangles (T, 3, 3). Raises `FileError` for none, or for places that are no numbers."""
    _check(corners.reshape(-1, 3), len(corners))
    return welded(corners, patch, names)


def checked_points(points: np.ndarray, triangles: np.ndarray, patch: np.ndarray, names: list[str]) -> Surface:
    """A surface from indexed triangles. Raises `FileError` as above, and for points that are not there."""
    triangles = np.asarray(triangles, np.int64).reshape(-1, 3)
    if len(triangles) and (triangles.min() < 0 or triangles.max() >= len(points)):
        bad = int(np.argmax((triangles.min(axis=1) < 0) | (triangles.max(axis=1) >= len(points))))
        low, high = int(triangles[bad].min()) + 1, int(triangles[bad].max()) + 1
        named = low if low < 1 else high
        raise FileError(
            f"triangle {bad + 1} names point {named}, counted from 1, a point that the file does not have: there are {len(points)}; write it anew"
        )
    _check(points, len(triangles))
    return surface_of(points, triangles, patch, names)


def _check(points: np.ndarray, count: int) -> None:
    if not count:
        raise FileError("the file has no triangle; check what was chosen when it was written")
    sound = np.isfinite(points).all(axis=1)
    if not sound.all():
        raise FileError(f"point {int(np.argmin(sound)) + 1} of {len(points)} is no number; write the file anew")
    if np.abs(points).max() > LARGEST:
        raise FileError(f"a coordinate is larger than {LARGEST:g}; the file is damaged or not of this format")


def check_count(count: int) -> None:
    """Raises `FileError` for more triangles than can be taken in."""
    if count > MOST_TRIANGLES:
        raise FileError(
            f"the file has {count / 1e6:.3g} million triangles; at most {MOST_TRIANGLES / 1e6:g} million are "
            "taken in. Write it more coarsely"
        )
