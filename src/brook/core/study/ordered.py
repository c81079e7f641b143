"""Parts of a shape that bring their own cells, in rows: a sheet, a collar round a body, a tube.

Cells of a sheet and a collar are drawn in a plane; `becomes` says what is made of the plane: a slice one cell thick, a
thin wedge round the axis y = 0 (of which only one row of cells is computed on), or a block drawn out along z.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from brook.core.study.base import Angle, Coordinate, Formula, Length, Name, Part, PatchName, Value
from brook.core.study.solids import Distance, PathPoint, Profile
from brook.core.study.spots import Placed

Cells = Annotated[int, Field(ge=1, le=5000)]
Share = Annotated[Formula, Value("number", "positive")]


class Stretch(Part):
    """Cells in a row, `first` and `last` of them so long; 0 leaves that to the others. Between both ends lengths change
    by a steady factor, or as steadily as two given ends allow."""

    cells: Cells = 20
    first: Distance = "0 mm"
    last: Distance = "0 mm"


class Row(Stretch):
    """One stretch of several: up to a coordinate."""

    to: Coordinate


class EdgePoint(Part):
    """A point of a bent edge and what leads to the next: a line, or a spline through all points so marked."""

    x: Coordinate
    y: Coordinate
    to: Literal["line", "spline"] = "line"


class Hollow(Part):
    """Columns and rows, counted from 1, that are left empty, and the patch around them."""

    from_column: Annotated[int, Field(ge=1)]
    to_column: Annotated[int, Field(ge=1)]
    from_row: Annotated[int, Field(ge=1)]
    to_row: Annotated[int, Field(ge=1)]
    patch: PatchName


class Becoming(Part):
    """What is made of plane cells. `depth` is that of a slice or a block, `angle` that of the whole wedge."""

    becomes: Literal["slice", "wedge", "block"] = "slice"
    depth: Length = "1 m"
    angle: Annotated[Formula, Value("angle", "positive")] = "2 deg"
    along: Stretch = Stretch()
    back: PatchName = "back"
    front: PatchName = "front"


class SheetPatches(Part):
    left: PatchName = "left"
    right: PatchName = "right"
    bottom: PatchName = "bottom"
    top: PatchName = "top"


Edge = Annotated[tuple[EdgePoint, ...], Field(max_length=200)]


class Sheet(Becoming):
    """Columns and rows of cells from (x, y) on; with `floor` or `ceiling` rows follow those lines over their whole
    height. In a wedge y is the distance from the axis."""

    kind: Literal["sheet"]
    name: Name
    x: Coordinate = "0 mm"
    y: Coordinate = "0 mm"
    columns: Annotated[tuple[Row, ...], Field(min_length=1, max_length=60)]
    rows: Annotated[tuple[Row, ...], Field(min_length=1, max_length=60)]
    floor: Edge = ()
    ceiling: Edge = ()
    hollows: Annotated[tuple[Hollow, ...], Field(max_length=60)] = ()
    patches: SheetPatches = SheetPatches()


class CollarPatches(Part):
    body: Name = "body"
    upstream: PatchName = "upstream"
    downstream: PatchName = "downstream"


class Collar(Becoming):
    """Rings of cells round a body, out to a circle whose half towards -x is `upstream`.

    The body is an ellipse `diameter` long in x and `height` high (0: a circle), a four-digit section, or a profile.
    """

    kind: Literal["collar"]
    name: Name
    x: Coordinate = "0 mm"
    y: Coordinate = "0 mm"
    body: Literal["round", "section", "profile"] = "round"
    diameter: Length = "20 mm"
    height: Distance = "0 mm"
    digits: Annotated[str, Field(pattern=r"^[0-9]{4}$")] = "0012"
    chord: Length = "100 mm"
    incidence: Angle = "0 deg"
    profile: Annotated[Profile | tuple[()], Field()] = ()
    outer: Length = "600 mm"
    around: Annotated[int, Field(ge=8, le=5000)] = 80
    outward: Stretch = Stretch(cells=60, first="0.3 mm")
    patches: CollarPatches = CollarPatches()


class TubePatches(Part):
    start: PatchName = "start"
    end: PatchName = "end"
    side: PatchName = "side"
    inside: PatchName = "inside"


class Tube(Placed):
    """A round pipe along a path with bends: a square of cells in its middle and rings around; with an `inner` diameter
    only the rings. `across` cells stand along each side of the square, `outward` says those of the rings."""

    kind: Literal["tube"]
    name: Name
    diameter: Length = "50 mm"
    inner: Distance = "0 mm"
    path: Annotated[tuple[PathPoint, ...], Field(min_length=2, max_length=100)]
    across: Annotated[int, Field(ge=1, le=500)] = 8
    outward: Stretch = Stretch(cells=8, last="1 mm")
    along: Stretch = Stretch(cells=40)
    patches: TubePatches = TubePatches()


OrderedPart = Sheet | Collar | Tube
ORDERED = ("sheet", "collar", "tube")


def is_ordered(part: Any) -> bool:
    """Whether a part, as a model or resolved, has cells in rows of its own."""
    return part.kind in ORDERED
