from typing import Annotated, ClassVar, Literal

from brook.core.study import base


class Exhaust(base.Part):
    """A fan or pump draws fluid out, to a pressure outside; `rise` is its static pressure at a volume flow Q."""

    words: ClassVar[str] = "is drawn out by a fan or pump"
    role: ClassVar[str] = "outflow"
    kind: Literal["exhaust"] = "exhaust"
    patch: base.PatchNames
    rise: Annotated[base.Formula, base.Value("pressure", flowing=True)] = "60 Pa - 200 Pa s/m^3 * Q"
    pressure: Annotated[base.Formula, base.Value("pressure")] = "0 Pa"
