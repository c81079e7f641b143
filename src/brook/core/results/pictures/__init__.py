"""Pictures in space: each kind of layer is worked out from a result by a function of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from brook.core.results.pictures import cuts, lines, patches, surfaces
from brook.core.results.pictures.base import Drawn, Seen
from brook.core.results.pictures.levels import level_lines, round_levels
from brook.core.results.pictures.patches import boundary
from brook.core.results.quantities import QUANTITIES
from brook.core.study.layers import CutLayer, Layer

KINDS: dict[str, Callable[[Any, Seen], Drawn]] = {
    "patches": patches.drawn, "cut": cuts.drawn, "cylinder": surfaces.cylinder, "surface": surfaces.drawn, "streamlines": lines.drawn,
}  # fmt: skip


def drawn(layer: Layer, seen: Seen, coarse: bool = False) -> Drawn:
    """The arrays of a layer; of a cut that moves, `coarse` ones. Raises `KeyError` for what is not there and `ValueError` for what cannot be drawn, in words."""
    if coarse and isinstance(layer, CutLayer):
        return cuts.coarse(layer, seen)
    found = KINDS[layer.kind](layer, seen)
    if getattr(layer, "levels", 0) and "values" in found.arrays and not getattr(layer, "by_cell", False):
        found.arrays.update(_level_lines(found, seen, layer.levels))  # type: ignore[union-attr]
    return found if seen.less is None else _less(found, seen, seen.less)


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
    gone = []
    for at, values in (("at", "values"), ("lines_at", "lines_values")):
        if values in arrays:
            places = arrays[at]
            mine = seen.locator.values(seen.view, seen.quantity, places)
            arrays[values] = mine - other.locator.values(other.view, seen.quantity, places)
            gone.append(np.isnan(arrays[values]))
    numbers = {name: value for name, value in found.numbers.items() if name != "mean"}
    missing = float(np.concatenate(gone).mean()) if gone and sum(map(len, gone)) else 0.0
    words = (f"{100 * missing:.2g} % of its places lie where the other has no fluid",) if missing > 0.0 else ()
    for name in ("level_lines", "level_values"):
        arrays.pop(name, None)  # those are of the quantity, not of the difference
    return Drawn(arrays, numbers, found.words + words)


__all__ = ["Drawn", "Seen", "boundary", "drawn"]
