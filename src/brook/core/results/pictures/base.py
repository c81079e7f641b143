"""What every kind of layer gives: arrays that a canvas draws, and numbers said beside it."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from brook.core.results.quantities import View
from brook.core.results.space import Locator


@dataclass(frozen=True, eq=False)
class Seen:
    """A result that is looked at, the quantity that colours it, and the way to find cells by places; of `less` the same quantity
    is taken away."""

    view: View
    locator: Locator
    quantity: str
    less: Seen | None = None


@dataclass(frozen=True, eq=False)
class Drawn:
    """Arrays of a layer, by their names, as a canvas draws them:

    `at` (n, 3) places in m and `values` (n,) at them, `triangles` (t, 3) and `sides` (s, 2) number those places;
    `outline` (k, 2, 3) pairs of places; `level_lines` (l, 2, 3) with `level_values` (l,); `arrows_at` (a, 3), `arrows_way` (a, 3) in m/s,
    or Pa where they show friction, and on what is not plane `arrows_across` (a, 3), normal to it;
    `lines_at` (p, 3), `lines_start` (m + 1,), `lines_values` (p,), `lines_seconds` (p,), `lines_turn` (p,) in rad.

    `numbers` are in SI units; `words` say what fell short, in words for a page.
    """

    arrays: dict[str, np.ndarray]
    numbers: dict[str, Any] = field(default_factory=dict)
    words: tuple[str, ...] = ()

    def packed(self) -> bytes:
        """For a browser: how long the heading is (4 bytes), the heading as JSON, filled up to four bytes, then each array in turn,
        little-endian: whole numbers and 32-bit floats."""
        parts, told = [], {}
        for name, array in self.arrays.items():
            whole = array.dtype.kind in "iu"
            parts.append(np.ascontiguousarray(array, "<u4" if whole else "<f4").tobytes())
            told[name] = ["u32" if whole else "f32", int(array.size)]
        heading = json.dumps({"arrays": told, "numbers": self.numbers, "words": self.words}).encode()
        heading += b" " * (-len(heading) % 4)
        return b"".join([len(heading).to_bytes(4, "little"), heading, *parts])


def fans(offsets: np.ndarray) -> np.ndarray:
    """Triangles (t, 3) of polygons that begin at `offsets` (m + 1,), each a fan about its first corner, as numbers of corners."""
    counts = np.maximum(np.diff(offsets) - 2, 0)
    first = np.repeat(offsets[:-1], counts)
    within = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
    return np.stack([first, first + within + 1, first + within + 2], axis=1)


def sides(offsets: np.ndarray) -> np.ndarray:
    """Pairs (n, 2) of corners that follow one another round polygons that begin at `offsets` (m + 1,)."""
    following = np.arange(1, offsets[-1] + 1)
    following[offsets[1:] - 1] = offsets[:-1]
    return np.stack([np.arange(offsets[-1]), following], axis=1)


def once(pairs: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Pairs (k, 2) of `count` places, each either way round, without doubles; and how often each (k,) was there."""
    low, high = pairs.min(axis=1).astype(np.int64), pairs.max(axis=1)
    key, times = np.unique(low * count + high, return_counts=True)
    return np.stack(np.divmod(key, count), axis=1), times


def frame(across: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A direction and two across it and each other, all one long. Raises `ValueError` for one of no length, or too long for a number."""
    with np.errstate(over="ignore"):
        size = float(np.linalg.norm(across))
    if not 0.0 < size < np.inf:
        raise ValueError("a plane needs a place and a direction")
    way = across / size
    first = np.cross(way, np.eye(3)[int(np.argmin(np.abs(way)))])
    first /= np.linalg.norm(first)
    return way, first, np.cross(way, first)
