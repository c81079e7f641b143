from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, PatchNames, Value


class Flow(Part):
    """Fluid enters at a given volume flow over the whole depth of the drawing."""

    words: ClassVar[str] = "enters at a volume flow"
    role: ClassVar[str] = "inflow"
    kind: Literal["flow"] = "flow"
    patch: PatchNames
    volume_flow: Annotated[Formula, Value("volume_flow", "positive")] = "1 L/s"
    profile: Literal["even", "developed"] = "even"
