"""Places on a surface that stay meaningful when its file is replaced: a patch, and about where."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import StringConstraints

from brook.core.study.base import Coordinate, Part

Axis = Literal["x", "y", "z", "-x", "-y", "-z"]
PatchOrNone = Annotated[str, StringConstraints(pattern=r"^([a-z][a-z0-9_]{0,39})?$")]


class Placed(Part):
    """Something with a place, the origin when nothing is said."""

    x: Coordinate = "0 mm"
    y: Coordinate = "0 mm"
    z: Coordinate = "0 mm"


class Spot(Part):
    """The place nearest to (x, y, z); when `patch` is named, of that patch wherever it lies now."""

    patch: PatchOrNone = ""
    x: Coordinate
    y: Coordinate
    z: Coordinate
