"""What a picture in space is made of, as it stands in the study document: layers, and where one looks from.

Numbers are in SI units. A layer says where something is drawn; the plate says which quantity colours it.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from brook.core.study.base import Name, Part

Number = Annotated[float, Field(allow_inf_nan=False)]
Triple = tuple[Number, Number, Number]
MOST_SEEDS = 400
Levels = Annotated[int, Field(ge=0, le=40)]  # how many lines of equal value, about


class Look(Part):
    """Where a picture in space is looked at from: turned by `yaw` about z and up by `pitch` (rad), at a `target` (m), of which
    `span` m are seen from top to bottom."""

    yaw: Number
    pitch: Number
    target: Triple
    span: Annotated[float, Field(gt=0, allow_inf_nan=False)]
    perspective: bool = True


Arrows = Literal["", "long", "equal"]  # none, as long as what they show is large, or all alike


class PatchLayer(Part):
    """Patches of the boundary, all where none is named, with the values that hold on them. Arrows show the friction of the fluid."""

    kind: Literal["patches"] = "patches"
    patches: Annotated[tuple[Name, ...], Field(max_length=400)] = ()
    plain: bool = False
    arrows: Arrows = ""
    levels: Levels = 0
    mesh_lines: bool = False


class CutLayer(Part):
    """A plane through a place across a direction. `levels` are how many lines of equal value it shows; of one that `clips`
    what lies above it along its direction, or below, is left away; `by_cell` gives each cell its own colour."""

    kind: Literal["cut"] = "cut"
    through: Triple
    across: Triple
    plain: bool = False
    by_cell: bool = False
    arrows: Arrows = ""
    levels: Levels = 0
    mesh_lines: bool = False
    clips: Literal["", "above", "below"] = ""


class CylinderLayer(Part):
    """A cylinder of a radius in m about the axis through a place along a direction, as long as the mesh."""

    kind: Literal["cylinder"] = "cylinder"
    through: Triple
    along: Triple
    radius: Annotated[float, Field(gt=0, allow_inf_nan=False)]
    plain: bool = False
    arrows: Arrows = ""
    levels: Levels = 0
    mesh_lines: bool = False


class SurfaceLayer(Part):
    """Where a quantity has one value."""

    kind: Literal["surface"] = "surface"
    of: Name
    level: Number
    plain: bool = False
    arrows: Arrows = ""
    levels: Levels = 0
    mesh_lines: bool = False


class LineLayer(Part):
    """Streamlines that begin at a `patch`, sharing its flow, at places evenly on a `line` between two, on a `ring` (its middle, and
    a vector across it as long as its radius) or at `places`. Those `by_time` are coloured by the time since each began, from nothing to
    the longest, whatever colours the picture."""

    kind: Literal["streamlines"] = "streamlines"
    begin: Literal["patch", "line", "ring", "places"] = "patch"
    patch: Name | None = None
    places: Annotated[tuple[Triple, ...], Field(max_length=MOST_SEEDS)] = ()
    count: Annotated[int, Field(ge=1, le=MOST_SEEDS)] = 24
    ways: Literal["both", "down", "up"] = "both"
    ribbons: bool = False
    plain: bool = False
    by_time: bool = False


Layer = Annotated[PatchLayer | CutLayer | CylinderLayer | SurfaceLayer | LineLayer, Field(discriminator="kind")]
