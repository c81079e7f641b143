"""A screen or a perforated plate, too thin for cells of its own."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Coordinate, Formula, Part, Value
from brook.core.study.regions import EVERYWHERE, Region


class Screen(Part):
    """Stands across an axis `at` a place, as far as it lies in `where`, and takes ζ ρ u²/2 of the pressure, u square to it: a number said, or
    that of the share of it that is `open`, of a plate with sharp holes or of wires."""

    words: ClassVar[str] = "a screen across the flow"
    called: ClassVar[str] = "the screen"
    kind: Literal["screen"] = "screen"
    axis: Literal["x", "y", "z"] = "x"
    at: Coordinate = "0 mm"
    where: Region = EVERYWHERE
    of: Literal["number", "plate", "wires"] = "number"
    loss: Annotated[Formula, Value("number", "not_negative")] = "2"
    open: Annotated[Formula, Value("number", "positive")] = "50 %"
