from typing import ClassVar, Literal

from brook.core.study.base import Part, PatchNames, Velocity


class Sliding(Part):
    """A wall that slides in its own plane and drags the fluid along."""

    words: ClassVar[str] = "is a sliding wall"
    role: ClassVar[str] = "wall"
    kind: Literal["sliding"] = "sliding"
    patch: PatchNames
    velocity_x: Velocity = "0.1 m/s"
    velocity_y: Velocity = "0 m/s"
    velocity_z: Velocity = "0 m/s"
