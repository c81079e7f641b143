"""What a mesh is to be like, as the document says it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from brook.core.study.base import Angle, Coordinate, Formula, Length, Part, PatchName, Value
from brook.core.study.spots import Axis, Placed

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
    patch: PatchName
    distance: Length = "10 mm"


RefinementZone = Annotated[BoxZone | BallZone | CylinderZone | NearZone, Field(discriminator="kind")]


class LayerGroup(Part):
    """Thin cells along `patches`. `height` is that of the first layer or of all together; or the middle of the first lies at
    `y_plus` in a stream of a `speed` over a wall so `long`."""

    patches: Annotated[tuple[PatchName, ...], Field(max_length=200)] = ()
    number: Annotated[int, Field(ge=1, le=40)] = 5
    height_of: Literal["first", "all", "y_plus"] = "first"
    height: Length = "0.2 mm"
    y_plus: Factor = "1"
    speed: Annotated[Formula, Value("speed", "positive")] = "1 m/s"
    long: Length = "100 mm"
    growth: Factor = "1.2"


class WallLayers(LayerGroup):
    """The same along all walls when no patch is named, but for those of `groups`, which have their own. They stand on the fluid side
    of walls between bodies, or on `both`."""

    sides: Literal["fluid", "both"] = "fluid"
    groups: Annotated[tuple[LayerGroup, ...], Field(max_length=20)] = ()


class Stretch(Part):
    """How many times as long cells are along each axis as they would be else."""

    x: Factor = "1"
    y: Factor = "1"
    z: Factor = "1"


class Follow(Part):
    """Boxes of a variant follow one of its runs, by the key of its result, on boxes of which the largest were `bulk`: they are halved where
    a quantity bends most and joined where least, once, so that there are about so many `cells`, and none smaller than `least`; `where` only
    within the zones of the plan, or only outside of them. What bends counts as far as it `reaches` what this reading reads; all alike when empty."""

    variant: Annotated[str, Field(max_length=60)]
    run: Annotated[str, Field(pattern=r"^[0-9a-f]{20}$")]
    quantity: Annotated[str, Field(max_length=60)] = "velocity"
    cells: Annotated[int, Field(ge=8, le=50_000_000)]
    bulk: Length = "10 mm"
    least: Bound = "0 mm"
    where: Literal["everywhere", "zones", "outside"] = "everywhere"
    reaches: Annotated[str, Field(max_length=500)] = ""


class Shift(Part):
    """A patch and the one that it lies on when it is moved, so that what leaves by one enters by the other."""

    kind: Literal["shift"]
    patch: PatchName
    x: Coordinate = "0 mm"
    y: Coordinate = "0 mm"
    z: Coordinate = "0 mm"


class Turn(Placed):
    """The same when it is turned about an axis through a place."""

    kind: Literal["turn"]
    patch: PatchName
    axis: Axis = "x"
    angle: Angle = "90 deg"


Pair = Annotated[Shift | Turn, Field(discriminator="kind")]


class MeshPlan(Part):
    """Largest cells in the bulk, cells at walls, and how much larger each next cell may be.

    Plane shapes are meshed along `lines` through their straight edges, or in `boxes` as shapes in space are. Of boxes:
    `patches` are other sizes than `wall` for some patches; `per_turn` cells round a full turn of a bent wall and
    `per_gap` across a gap and one across a thin part, 0 for no such wish, both down to `smallest` (0: an eighth of `wall`); with a
    `smallest` said, gaps narrower than so many of that size are closed on purpose, and no loss. Patches of `pairs` have to match. A variant that `follows` a run may have cells twice as large as else. `losses` is the share of a patch that a mesh may lose, or no run begins on it; a volume that differs by more is told.
    """

    way: Literal["lines", "boxes"] = "lines"
    bulk: Length = "10 mm"
    wall: Length = "5 mm"
    patches: Annotated[dict[PatchName, Length], Field(max_length=200)] = {}
    growth: Factor = "1.2"
    zones: Annotated[tuple[RefinementZone, ...], Field(max_length=100)] = ()
    per_turn: Annotated[int, Field(ge=0, le=360)] = 0
    per_gap: Annotated[int, Field(ge=0, le=100)] = 0
    smallest: Bound = "0 mm"
    stretch: Stretch = Stretch()
    layers: WallLayers | None = None
    pairs: Annotated[tuple[Pair, ...], Field(max_length=20)] = ()
    follows: Annotated[tuple[Follow, ...], Field(max_length=60)] = ()
    losses: Annotated[Formula, Value("number", "not_negative")] = "2 %"
