"""A heat exchanger whose passages are too small for cells: what it does to the stream that goes through it."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Length, Part, Value
from brook.core.study.regions import EVERYWHERE, Region


class Exchanger(Part):
    """A piece of the fluid, `deep` along an axis, which brings what goes through it by a share `takes` of the way to the `other` temperature: its
    effectiveness for this stream, a number or a formula of the volume flow Q through it."""

    words: ClassVar[str] = "a heat exchanger"
    called: ClassVar[str] = "the heat exchanger"
    kind: Literal["exchanger"] = "exchanger"
    where: Region = EVERYWHERE
    axis: Literal["x", "y", "z"] = "x"
    deep: Length = "60 mm"
    takes: Annotated[Formula, Value("number", "not_negative", flowing=True)] = "60 %"
    other: Annotated[Formula, Value("temperature", "positive")] = "60 degC"
