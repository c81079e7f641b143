from typing import ClassVar, Literal

from brook.core.study.base import Part, PatchNames, Velocity


class Stream(Part):
    """The fluid there moves as an undisturbed stream does, whichever way the patch looks."""

    words: ClassVar[str] = "lies in a stream"
    role: ClassVar[str] = "inflow"
    kind: Literal["stream"] = "stream"
    patch: PatchNames
    velocity_x: Velocity = "1 m/s"
    velocity_y: Velocity = "0 m/s"
    velocity_z: Velocity = "0 m/s"
