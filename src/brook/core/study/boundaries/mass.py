from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, PatchNames, Value


class Mass(Part):
    """Fluid enters at a given mass flow over the whole depth of the drawing."""

    words: ClassVar[str] = "enters at a mass flow"
    role: ClassVar[str] = "inflow"
    kind: Literal["mass"] = "mass"
    patch: PatchNames
    mass_flow: Annotated[Formula, Value("mass_flow", "positive")] = "1 g/s"
    profile: Literal["even", "developed"] = "even"
