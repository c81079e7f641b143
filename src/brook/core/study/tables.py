"""Tables of values in the document: profiles along a boundary, courses in time, whatever was measured."""

from __future__ import annotations

from itertools import pairwise
from math import isfinite
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, StringConstraints, model_validator

from brook.core.formulas.tables import KnownTable
from brook.core.study.base import Part
from brook.core.units import unit_factor

MOST_POINTS = 2000
UnitText = Annotated[str, StringConstraints(max_length=40, strip_whitespace=True)]


class ValueTable(Part):
    """Points (place, value) in units of `along` and `unit`, empty for plain numbers; a formula asks for it by `name(place)`. `between` them it goes along straight
    lines, or a curve that rises and falls with them only."""

    along: UnitText = "mm"
    unit: UnitText = "mm/s"
    between: Literal["lines", "curve"] = "lines"
    points: Annotated[tuple[tuple[float, float], ...], Field(min_length=2, max_length=MOST_POINTS)]

    @model_validator(mode="after")
    def _can_be_asked(self) -> Self:
        self.known()
        if not all(isfinite(number) for point in self.points for number in point):
            raise ValueError("all places and values of a table have to be finite numbers")
        after = next((b for (a, _), (b, _) in pairwise(self.points) if b <= a), None)
        if after is not None:
            raise ValueError(f"the places of a table have to rise; {after:g} does not lie beyond the place before")
        return self

    def known(self) -> KnownTable:
        """As formulas ask for it. Raises `UnitError` for a unit that is not known."""
        places, values = np.array(self.points).T
        (by, from_place, along), (factor, offset, dimension) = (unit_factor(u) for u in (self.along, self.unit))
        return KnownTable(by * places + from_place, factor * values + offset, along, dimension, self.between == "curve")
