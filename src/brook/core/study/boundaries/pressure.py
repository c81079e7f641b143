from typing import Annotated, ClassVar, Literal

from brook.core.study import base


class Pressure(base.Part):
    """Fluid leaves against a static pressure, and loses `loss` times its dynamic one on the way out; what flows back enters square to the patch."""

    words: ClassVar[str] = "leaves against a pressure"
    role: ClassVar[str] = "outflow"
    kind: Literal["pressure"] = "pressure"
    patch: base.PatchNames
    pressure: base.Pressure = "0 Pa"
    loss: Annotated[base.Formula, base.Value("number", "not_negative")] = "0"
