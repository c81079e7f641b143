"""A force on the fluid, as of a propeller or a jet whose shape is not drawn."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, Value
from brook.core.study.regions import EVERYWHERE, Region

Force = Annotated[Formula, Value("force")]


class Push(Part):
    """A force in all, the same on each piece of the volume; in a flow in time by formula of t too."""

    words: ClassVar[str] = "a push"
    called: ClassVar[str] = "the push"
    kind: Literal["push"] = "push"
    where: Region = EVERYWHERE
    force_x: Force = "1 N"
    force_y: Force = "0 N"
    force_z: Force = "0 N"
