"""What a study keeps of looking at results: plates (picture recipes) and plots of curves."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from brook.core.study.base import Coordinate, Name, Part, Prose, Title
from brook.core.study.layers import Layer, Look

Number = Annotated[float, Field(allow_inf_nan=False)]
Range = tuple[Number, Number]
MOST_POINTS = 5000


class Camera(Part):
    """Where a picture looks: its centre, and how much it shows across, in m."""

    x: Number
    y: Number
    across: Annotated[float, Field(gt=0, allow_inf_nan=False)]


class PlaneCut(Part):
    """Where a result in space is cut: across an axis, at a place on it in m."""

    across: Literal["x", "y", "z"]
    at: Number


class Plate(Part):
    """A saved picture recipe that can be drawn for any variant. `range` is in SI units; None is the whole range. With `layers` it
    is a picture in space, seen as `look` says or else whole; without, and without a `cut`, a result in space is cut near its middle.
    """

    name: Name
    title: Title
    quantity: Name
    camera: Camera | None = None
    cut: PlaneCut | None = None
    range: Range | None = None
    streamlines: bool = False
    arrows: bool = False
    mesh_lines: bool = False
    layers: Annotated[tuple[Layer, ...], Field(max_length=12)] = ()
    look: Look | None = None
    colours: Literal["smooth", "bands", "log"] = "smooth"
    note: Prose = ""


class ProfileLine(Part):
    """A straight line along which a quantity is read. In plane studies z says nothing."""

    title: Title
    start_x: Coordinate
    start_y: Coordinate
    start_z: Coordinate = "0 mm"
    end_x: Coordinate
    end_y: Coordinate
    end_z: Coordinate = "0 mm"


class ReferencePoints(Part):
    """Points from a paper, a test or a hand calculation: positions along a line in m, values in SI units."""

    title: Title
    source: Prose = ""
    position: Annotated[tuple[Number, ...], Field(min_length=1, max_length=MOST_POINTS)]
    value: Annotated[tuple[Number, ...], Field(min_length=1, max_length=MOST_POINTS)]

    @model_validator(mode="after")
    def _in_pairs(self) -> ReferencePoints:
        if len(self.position) != len(self.value):
            raise ValueError("there have to be as many values as positions")
        return self


class CurvePlot(Part):
    """Profiles of one quantity along some lines in one plot, with points to compare them with. Read `over` the line itself, or
    in space as means over sections across it.

    Ranges are in SI units; None is the plot's own choice.
    """

    name: Name
    title: Title
    quantity: Name
    along: Literal["distance", "x", "y", "z"] = "distance"
    over: Literal["line", "sections"] = "line"
    lines: Annotated[tuple[ProfileLine, ...], Field(min_length=1, max_length=12)]
    references: Annotated[tuple[ReferencePoints, ...], Field(max_length=12)] = ()
    position_range: Range | None = None
    value_range: Range | None = None
    note: Prose = ""
