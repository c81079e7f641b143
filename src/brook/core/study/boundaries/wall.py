from typing import ClassVar, Literal

from brook.core.study.base import Part, PatchNames


class Wall(Part):
    """A still wall that holds the fluid: what every patch is that nothing else is said of."""

    words: ClassVar[str] = "is a still wall"
    role: ClassVar[str] = "wall"
    kind: Literal["wall"] = "wall"
    patch: PatchNames
