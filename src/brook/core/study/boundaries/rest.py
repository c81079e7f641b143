from typing import Annotated, ClassVar, Literal

from brook.core.study import base


class Rest(base.Part):
    """Fluid enters from rest at a pressure outside, less `loss` times its dynamic pressure on the way in."""

    words: ClassVar[str] = "enters from rest at a pressure"
    role: ClassVar[str] = "inflow"
    kind: Literal["rest"] = "rest"
    patch: base.PatchNames
    pressure: base.Pressure = "10 Pa"
    loss: Annotated[base.Formula, base.Value("number", "not_negative")] = "0"
