"""Pictures in space: each kind of layer is worked out from a result by a function of its own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from brook.core.results.pictures import cuts, lines, patches, surfaces
from brook.core.results.pictures.base import Drawn, Seen
from brook.core.results.pictures.levels import level_lines, round_levels
from brook.core.results.pictures.patches import boundary
from brook.core.results.quantities import QUANTITIES
from brook.core.study.layers import CutLayer, Layer
from brook.core.units import round_text

KINDS: dict[str, Callable[[Any, Seen], Drawn]] = {
    "patches": patches.drawn, "cut": cuts.drawn, "cylinder": surfaces.cylinder, "surface": surfaces.drawn, "streamlines": lines.drawn,
}  # fmt: skip


def drawn(layer: Layer, seen: Seen, coarse: bool = False) -> Drawn:
    """The arrays of a layer; of a cut that moves, `coarse` ones. Raises `KeyError` for what is not there and `ValueError` for what cannot be drawn, in words."""
    if coarse and isinstance(layer, CutLayer):
        return cuts.coarse(layer, seen)
    found = KINDS[layer.kind](layer, seen)
    wanted = getattr(layer, "levels", 0)
    if wanted and (layer.plain or getattr(layer, "by_cell", False) or seen.less is not None):
        found = replace(found, words=(*found.words, "no lines of equal value: they need smooth colours of one result"))
    elif wanted and "values" in found.arrays:
        found.arrays.update(_level_lines(found, seen, wanted))
    if seen.less is None:
        return found
    if getattr(layer, "by_time", False):
        return replace(found, words=(*found.words, "coloured by time, not by the difference"))
    return _less(found, seen, seen.less)


def _level_lines(found: Drawn, seen: Seen, count: int) -> dict[str, np.ndarray]:
    at, triangles, values = (found.arrays[name] for name in ("at", "triangles", "values"))
    kind = QUANTITIES.get(seen.quantity) or seen.view.own[seen.quantity].kind
    levels = round_levels(float(values.min()), float(values.max()), count, kind.dimension)
    lines, of = level_lines(at, triangles, values, levels)
    return {"level_lines": lines, "level_values": of}


def _less(found: Drawn, seen: Seen, other: Seen) -> Drawn:
    """Values less those of another result at the same places, nan where that has no cells; what part that is, is said.

    Both are linear in their own cells there, so that what is alike differs by nothing."""
    arrays = dict(found.arrays)
    for at, values in (("at", "values"), ("lines_at", "lines_values")):
        if values in arrays:
            mine = seen.locator.values(seen.view, seen.quantity, arrays[at])
            arrays[values] = mine - other.locator.values(other.view, seen.quantity, arrays[at])
    numbers = {name: value for name, value in found.numbers.items() if name != "mean"}
    missing = _missing(arrays, other)
    if missing > 0.0:
        numbers["missing"] = missing
    words = (f"{round_text(100 * missing, 2)} % of it lies where the other has no fluid",) if missing > 0.0 else ()
    return Drawn(arrays, numbers, found.words + words)


def _missing(arrays: dict[str, np.ndarray], other: Seen) -> float:
    """Which part of the area of triangles, by their middles, or of the places of lines lies in no cell of another result."""
    if "values" in arrays:
        a, b, c = np.moveaxis(arrays["at"][arrays["triangles"]], 1, 0)
        size = np.linalg.norm(np.cross(b - a, c - a), axis=1)
        return float(size[other.locator.cells((a + b + c) / 3) < 0].sum() / size.sum())
    return float(np.isnan(arrays["lines_values"]).mean()) if "lines_values" in arrays else 0.0


__all__ = ["Drawn", "Seen", "boundary", "drawn"]
