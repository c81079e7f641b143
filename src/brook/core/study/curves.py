"""Plots of curves that a study keeps: which lines are read, how the axes are made, and points to compare with."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Discriminator, Field, StringConstraints, Tag, model_validator

from brook.core.study.base import Coordinate, Name, Part, PatchName, Prose, Title
from brook.core.study.spots import Placed
from brook.core.study.views import Number, Range

MOST_POINTS = 5000
Text = Annotated[str, Field(max_length=500)]
Reads = Annotated[str, StringConstraints(min_length=1, max_length=500, strip_whitespace=True)]


class ProfileLine(Part):
    """A straight line along which a quantity is read, or one straight from corner to corner where it goes `via` places. In plane
    studies z says nothing."""

    kind: Literal["line"] = "line"
    title: Title
    start_x: Coordinate
    start_y: Coordinate
    start_z: Coordinate = "0 mm"
    end_x: Coordinate
    end_y: Coordinate
    end_z: Coordinate = "0 mm"
    via: Annotated[tuple[Placed, ...], Field(max_length=40)] = ()


class RimLine(Part):
    """Round the rim of a patch, where it meets other patches; what is read is the patch's own."""

    kind: Literal["rim"]
    title: Title
    patch: PatchName


class BeltLine(Part):
    """Along a patch where a plane across an axis, at a place on it, cuts it: what a wall has round a body."""

    kind: Literal["belt"]
    title: Title
    patch: PatchName
    across: Literal["x", "y", "z"] = "z"
    at: Coordinate = "0 mm"


class MiddleLine(Part):
    """Through the middle of the fluid from one patch to another, as through a pipe."""

    kind: Literal["middle"]
    title: Title
    start: PatchName
    end: PatchName


def _kind(value: Any) -> str:
    return str((value.get("kind") if isinstance(value, dict) else getattr(value, "kind", "")) or "line")


Line = Annotated[
    Annotated[ProfileLine, Tag("line")]
    | Annotated[RimLine, Tag("rim")]
    | Annotated[BeltLine, Tag("belt")]
    | Annotated[MiddleLine, Tag("middle")],
    Discriminator(_kind),
]


class ReferencePoints(Part):
    """Points from a paper, a test or a hand calculation: positions and values as the axes of the plot have them, in SI units."""

    title: Title
    source: Prose = ""
    position: Annotated[tuple[Number, ...], Field(min_length=1, max_length=MOST_POINTS)]
    value: Annotated[tuple[Number, ...], Field(min_length=1, max_length=MOST_POINTS)]

    @model_validator(mode="after")
    def _in_pairs(self) -> ReferencePoints:
        if len(self.position) != len(self.value):
            raise ValueError("there have to be as many values as positions")
        return self


class Axis(Part):
    """How an axis is made: from a `formula` of `distance`, `x`, `y`, `z`, `value` and named values, shown in a `unit`, under a `title`
    of its own; all as it comes where nothing is said."""

    formula: Text = ""
    unit: Annotated[str, Field(max_length=40)] = ""
    title: Annotated[str, Field(max_length=120)] = ""


class SecondAxis(Axis):
    """Another quantity on an axis at the right."""

    quantity: Name
    range: Range | None = None


class CurvePlot(Part):
    """Profiles of a quantity, or two, along some lines in one plot, with points to compare them with. Read `over` the line itself, or
    in space as means over sections across it: by area, or by the mass that flows `through` them.

    Ranges are in SI units of what the axes show; None is the plot's own choice.
    """

    name: Name
    title: Title
    quantity: Name
    along: Literal["distance", "x", "y", "z"] = "distance"
    over: Literal["line", "sections", "through"] = "line"
    lines: Annotated[tuple[Line, ...], Field(min_length=1, max_length=12)]
    references: Annotated[tuple[ReferencePoints, ...], Field(max_length=12)] = ()
    position_axis: Axis = Axis()
    value_axis: Axis = Axis()
    second: SecondAxis | None = None
    position_range: Range | None = None
    value_range: Range | None = None
    note: Prose = ""


class CoursePlot(Part):
    """How readings go on in a run, those of requirements by their names, others as they are written: their `values` over time, or iterations of a steady run, their `mean` from where the window begins to each time, or
    the `spectrum` of their swings. The window is from `begin` to `end`, times as formulas; all of the run where nothing is said."""

    name: Name
    title: Title
    readings: Annotated[tuple[Reads, ...], Field(min_length=1, max_length=12)]
    shows: Literal["values", "mean", "spectrum"] = "values"
    begin: Text = ""
    end: Text = ""
    references: Annotated[tuple[ReferencePoints, ...], Field(max_length=12)] = ()
    position_range: Range | None = None
    value_range: Range | None = None
    note: Prose = ""
