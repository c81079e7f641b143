from typing import ClassVar, Literal

from brook.core.study import base


class Pressure(base.Part):
    """Fluid leaves against a static pressure; what flows back enters square to the patch."""

    words: ClassVar[str] = "leaves against a pressure"
    role: ClassVar[str] = "outflow"
    kind: Literal["pressure"] = "pressure"
    patch: base.PatchName
    pressure: base.Pressure = "0 Pa"
