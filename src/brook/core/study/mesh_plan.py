"""What a mesh is to be like, as the document says it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from brook.core.study.base import Coordinate, Formula, Length, Name, Part, Value
from brook.core.study.spots import Placed

Factor = Annotated[Formula, Value("number", "positive")]
Bound = Annotated[Formula, Value("length", "not_negative")]


class Zone(Part):
    """Cells are at most of this size inside."""

    size: Length = "2 mm"


class BoxZone(Zone, Placed):
    """`x`, `y` and `z` are those of its lower corner."""

    kind: Literal["box"]
    width: Length = "50 mm"
    depth: Length = "50 mm"
    height: Length = "50 mm"


class BallZone(Zone, Placed):
    kind: Literal["ball"]
    diameter: Length = "50 mm"


class CylinderZone(Zone, Placed):
    kind: Literal["cylinder"]
    end_x: Coordinate = "100 mm"
    end_y: Coordinate = "0 mm"
    end_z: Coordinate = "0 mm"
    diameter: Length = "50 mm"


class NearZone(Zone):
    """All that is within a distance of a patch."""

    kind: Literal["near"]
    patch: Name
    distance: Length = "10 mm"


RefinementZone = Annotated[BoxZone | BallZone | CylinderZone | NearZone, Field(discriminator="kind")]


class WallLayers(Part):
    """Thin cells along walls: along `patches`, or along all walls when none is named. `height` is that of the first
    layer or of all together."""

    patches: Annotated[tuple[Name, ...], Field(max_length=200)] = ()
    number: Annotated[int, Field(ge=1, le=40)] = 5
    height_of: Literal["first", "all"] = "first"
    height: Length = "0.2 mm"
    growth: Factor = "1.2"


class MeshPlan(Part):
    """Largest cells in the bulk, cells at walls, and how much larger each next cell may be.

    Of shapes in space: `patches` are other sizes than `wall` for some patches; `per_turn` cells round a full turn of a
    bent wall and `per_gap` across a gap, 0 for no such wish, both down to `smallest` (0: an eighth of `wall`).
    """

    bulk: Length = "10 mm"
    wall: Length = "5 mm"
    patches: Annotated[dict[Name, Length], Field(max_length=200)] = {}
    growth: Factor = "1.2"
    zones: Annotated[tuple[RefinementZone, ...], Field(max_length=100)] = ()
    per_turn: Annotated[int, Field(ge=0, le=360)] = 0
    per_gap: Annotated[int, Field(ge=0, le=100)] = 0
    smallest: Bound = "0 mm"
    layers: WallLayers | None = None
