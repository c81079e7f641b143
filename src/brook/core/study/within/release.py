"""A dissolved substance that is set free in a piece of the fluid."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Name, Part, Value
from brook.core.study.regions import EVERYWHERE, Region


class Release(Part):
    """So much of a `substance` in all, the same in each piece of the volume; in a flow in time by formula of t too."""

    words: ClassVar[str] = "a substance that is set free"
    called: ClassVar[str] = "what is set free"
    kind: Literal["release"] = "release"
    where: Region = EVERYWHERE
    substance: Name = "tracer"
    rate: Annotated[Formula, Value("mass_flow", "not_negative")] = "1 mg/s"
