from typing import Annotated, ClassVar, Literal

from brook.core.study import base


class Fan(base.Part):
    """A fan or pump blows fluid in from rest at a pressure outside; `rise` is its static pressure at a volume flow Q."""

    words: ClassVar[str] = "is blown in by a fan or pump"
    role: ClassVar[str] = "inflow"
    kind: Literal["fan"] = "fan"
    patch: base.PatchNames
    rise: Annotated[base.Formula, base.Value("pressure", flowing=True)] = "60 Pa - 200 Pa s/m^3 * Q"
    pressure: Annotated[base.Formula, base.Value("pressure")] = "0 Pa"
