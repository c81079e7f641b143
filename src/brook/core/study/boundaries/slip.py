from typing import ClassVar, Literal

from brook.core.study.base import Part, PatchNames


class Slip(Part):
    """A wall that holds the fluid back but does not drag on it."""

    words: ClassVar[str] = "lets the fluid slip"
    role: ClassVar[str] = "wall"
    kind: Literal["slip"] = "slip"
    patch: PatchNames
