from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Part, PatchNames, Value


class Share(Part):
    """A share of all that enters leaves, spread as it arrives there; of the mass, so that heat changes nothing of it."""

    words: ClassVar[str] = "leaves as a share of what enters"
    role: ClassVar[str] = "outflow"
    kind: Literal["share"] = "share"
    patch: PatchNames
    share: Annotated[Formula, Value("number", "positive")] = "50 %"
