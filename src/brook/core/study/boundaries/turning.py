from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Coordinate, Formula, Part, PatchNames, Value


class Turning(Part):
    """A wall that turns about an axis along x, y or z through a place and drags the fluid along; against the clock for
    somebody at whom the axis points."""

    words: ClassVar[str] = "is a turning wall"
    role: ClassVar[str] = "wall"
    kind: Literal["turning"] = "turning"
    patch: PatchNames
    rate: Annotated[Formula, Value("rate")] = "30 rpm"
    axis: Literal["x", "y", "z"] = "z"
    x: Coordinate = "0 mm"
    y: Coordinate = "0 mm"
    z: Coordinate = "0 mm"
