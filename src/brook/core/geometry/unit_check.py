"""Which unit a file without one may be in: the size of its box in each, and a guess."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.surface import Surface
from brook.core.units import unit_factor

FILE_UNITS = ("mm", "cm", "m", "inch")
USUAL = 0.3  # m: of two units the one that makes the shape nearer to this is the likelier


def sizes(surface: Surface) -> dict[str, np.ndarray]:
    """The sides (3,) of the box in m, if the numbers of the file are in each unit."""
    sides = surface.box[1] - surface.box[0]
    return {unit: sides * unit_factor(unit)[0] for unit in FILE_UNITS}


def likely_unit(surface: Surface) -> str:
    """The unit that makes the shape most nearly as large as things usually are. Only a guess: ask."""
    largest = {unit: float(sides.max()) for unit, sides in sizes(surface).items()}
    if not min(largest.values()) > 0:
        return FILE_UNITS[0]
    # inches are rare: they have to be clearly better
    return min(FILE_UNITS, key=lambda u: abs(np.log(largest[u] / USUAL)) + (1.0 if u in ("inch", "cm") else 0.0))


def in_metres(surface: Surface, unit: str) -> Surface:
    """The surface with its points in m. Raises `UnitError` for an unknown unit."""
    return surface.placed(surface.points * unit_factor(unit)[0])
