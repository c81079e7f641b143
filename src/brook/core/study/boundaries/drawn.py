from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, PatchNames, Value


class Drawn(Part):
    """So much leaves, over the whole depth of the drawing, spread as it arrives there."""

    words: ClassVar[str] = "leaves at a mass flow"
    role: ClassVar[str] = "outflow"
    kind: Literal["drawn"] = "drawn"
    patch: PatchNames
    mass_flow: Annotated[Formula, Value("mass_flow", "positive")] = "1 g/s"
