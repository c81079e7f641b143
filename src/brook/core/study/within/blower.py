"""A fan or pump that stands in the flow, too thin for cells of its own."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Coordinate, Formula, Part, Value
from brook.core.study.regions import EVERYWHERE, Region


class Blower(Part):
    """Stands across an axis `at` a place, as far as it lies in `where`, and raises the pressure `along` the axis or against it, by its static pressure `rise` at
    the volume flow Q through all of it."""

    words: ClassVar[str] = "a fan across the flow"
    called: ClassVar[str] = "the fan"
    kind: Literal["blower"] = "blower"
    axis: Literal["x", "y", "z"] = "x"
    at: Coordinate = "0 mm"
    along: Literal["up", "down"] = "up"
    where: Region = EVERYWHERE
    rise: Annotated[Formula, Value("pressure", flowing=True)] = "60 Pa - 200 Pa s/m^3 * Q"
