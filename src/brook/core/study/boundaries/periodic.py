from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, PatchName, Value


class Periodic(Part):
    """What leaves through the partner of a pair comes in through its patch, driven by a drop of pressure from the patch to
    the partner, by what drop it takes for a mass flow over the whole depth of the drawing, or by something else."""

    words: ClassVar[str] = "is driven, as a periodic pair"
    role: ClassVar[str] = "periodic"
    kind: Literal["periodic"] = "periodic"
    patch: PatchName
    drive: Literal["none", "drop", "mass_flow"] = "drop"
    drop: Annotated[Formula, Value("pressure")] = "1 Pa"
    mass_flow: Annotated[Formula, Value("mass_flow")] = "0.1 kg/s"
