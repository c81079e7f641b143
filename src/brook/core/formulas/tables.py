"""Tables of points that formulas ask as functions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.formulas.tree import FormulaError
from brook.core.units import Dimension, Quantity


@dataclass(frozen=True, eq=False)
class KnownTable:
    """Places (n,) that rise and values (n,) there, in SI units, with the dimension of each."""

    places: np.ndarray
    values: np.ndarray
    along: Dimension
    dimension: Dimension

    def at(self, place: Quantity, position: int) -> Quantity:
        """Straight between points, level beyond them. Raises `FormulaError` for a place of another kind."""
        if place.dimension != self.along:
            raise FormulaError(
                f"this table goes by {self.along.unit() or 'a plain number'}, not by {place.dimension.unit() or 'a plain number'}",
                position,
            )
        value = np.interp(place.value, self.places, self.values)
        return Quantity(value if np.ndim(value) else float(value), self.dimension)
