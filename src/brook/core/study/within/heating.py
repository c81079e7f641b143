"""Heat that is set free in a piece of the fluid."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, Value
from brook.core.study.regions import EVERYWHERE, Region


class Heating(Part):
    """So much in all, the same in each piece of the volume; in a flow in time by formula of t too."""

    words: ClassVar[str] = "heat that is set free"
    called: ClassVar[str] = "the heat set free"
    kind: Literal["heating"] = "heating"
    where: Region = EVERYWHERE
    power: Annotated[Formula, Value("power")] = "10 W"
