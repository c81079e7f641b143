"""Places to read in: boxes, points and lines."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Discriminator, Tag

from brook.core.study.base import Coordinate, Part
from brook.core.study.spots import Placed


class Deep(Part):
    """Where a box begins and ends along z."""

    back: Coordinate
    front: Coordinate


class Box(Part):
    """A named box of the drawing, for readings: from left to right, from bottom to top, and `deep` along z; all the way
    through where nothing is said of it. A place of no kind is a box."""

    left: Coordinate
    right: Coordinate
    bottom: Coordinate
    top: Coordinate
    deep: Deep | None = None


class PointPlace(Placed):
    """A point. In plane studies z says nothing."""

    kind: Literal["point"]


class LinePlace(Part):
    """A straight line, read evenly along what of it lies in the fluid. In plane studies z says nothing."""

    kind: Literal["line"]
    start_x: Coordinate
    start_y: Coordinate
    start_z: Coordinate = "0 mm"
    end_x: Coordinate
    end_y: Coordinate
    end_z: Coordinate = "0 mm"


def _kind(value: Any) -> str:
    return str((value.get("kind") if isinstance(value, dict) else getattr(value, "kind", "")) or "box")


Place = Annotated[
    Annotated[Box, Tag("box")] | Annotated[PointPlace, Tag("point")] | Annotated[LinePlace, Tag("line")],
    Discriminator(_kind),
]
