from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, PatchNames, Value


class Velocity(Part):
    """Fluid enters at a given mean speed, square to the patch."""

    words: ClassVar[str] = "enters at a speed"
    role: ClassVar[str] = "inflow"
    kind: Literal["velocity"] = "velocity"
    patch: PatchNames
    speed: Annotated[Formula, Value("speed", "positive", placed=True)] = "0.1 m/s"
    profile: Literal["even", "developed"] = "even"
