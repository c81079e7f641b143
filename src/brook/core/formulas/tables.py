"""Tables of points that formulas ask as functions."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from brook.core.formulas.tree import FormulaError, Reading
from brook.core.units import Dimension, Quantity


@dataclass(frozen=True, eq=False)
class KnownTable:
    """Places (n,) that rise and values (n,) there, in SI units, with the dimension of each."""

    places: np.ndarray
    values: np.ndarray
    along: Dimension
    dimension: Dimension
    curved: bool = False

    def at(self, place: Quantity, position: int) -> Quantity:
        """Straight between points, or where it is `curved` along a smooth line that never goes beyond the points at both ends of a piece
        (Fritsch & Butland 1984, SIAM J. Sci. Stat. Comput. 5); level beyond them all. Raises `FormulaError` for a place of another kind."""
        if place.dimension != self.along:
            raise FormulaError(
                f"this table goes by {self.along.unit() or 'a plain number'}, not by {place.dimension.unit() or 'a plain number'}",
                position,
            )
        if self.curved:
            from scipy.interpolate import PchipInterpolator  # takes a while to load

            within = np.clip(place.value, self.places[0], self.places[-1])
            value = PchipInterpolator(self.places, self.values)(within)
        else:
            value = np.interp(place.value, self.places, self.values)
        return Quantity(value if np.ndim(value) else float(value), self.dimension)


@dataclass(frozen=True, eq=False)
class _Watched(KnownTable):
    """A table that notes which share of places lay before its first and beyond its last one."""

    seen: list[tuple[float, float]] = field(default_factory=list)

    def at(self, place: Quantity, position: int) -> Quantity:
        values, slack = np.asarray(place.value), 1e-9 * float(np.ptp(self.places))
        self.seen.append(
            (float(np.mean(values < self.places[0] - slack)), float(np.mean(values > self.places[-1] + slack)))
        )
        return super().at(place, position)


def watched(scope: Callable[[Reading], Any], seen: list[tuple[float, float]]) -> Callable[[Reading], Any]:
    """The same scope; `seen` gets, for each time a table is asked, which share of places lay before and beyond it."""

    def within(reading: Reading) -> Any:
        known = scope(reading)
        if isinstance(known, KnownTable):
            return _Watched(known.places, known.values, known.along, known.dimension, known.curved, seen)
        return known

    return within
