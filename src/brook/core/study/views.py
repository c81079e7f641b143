"""Plates that a study keeps: recipes of pictures."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from brook.core.study.base import Name, Part, Prose, Title
from brook.core.study.layers import Layer, Look

Number = Annotated[float, Field(allow_inf_nan=False)]
Range = tuple[Number, Number]


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
    is a picture in space, seen as `look` says or else whole, and of a variant to take away, `less`, the difference to it; without, and without a `cut`, a result in space is cut near its middle.
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
    less: Annotated[str, StringConstraints(pattern=r"^([a-z][a-z0-9_]{0,39})?$")] = ""
    colours: Literal["smooth", "bands", "log"] = "smooth"
    note: Prose = ""
