"""Plane geometry as the document says it: an outer rectangle, rectangles added or taken away, openings."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from brook.core.study.base import Coordinate, Length, Name, Part

Side = Literal["left", "right", "bottom", "top"]
SIDES: tuple[Side, ...] = ("left", "right", "bottom", "top")


class Sides(Part):
    """The patch that each side of a rectangle belongs to."""

    left: Name
    right: Name
    bottom: Name
    top: Name

    @classmethod
    def all(cls, patch: str) -> Sides:
        return cls(left=patch, right=patch, bottom=patch, top=patch)


class Rectangle(Part):
    """A rectangle with its lower left corner at (left, bottom)."""

    kind: Literal["rectangle"] = "rectangle"
    name: Name
    action: Literal["add", "take"] = "take"
    left: Coordinate
    bottom: Coordinate
    width: Length
    height: Length
    patches: Sides


class Opening(Part):
    """A stretch of one side of the outer rectangle that is a patch of its own."""

    patch: Name
    side: Side
    start: Coordinate
    end: Coordinate


class PlaneGeometry(Part):
    """Shapes are taken in their order; a later one wins where two share an edge."""

    kind: Literal["plane"] = "plane"
    body: Name = "fluid"
    depth: Length = "1 m"
    outer: Rectangle
    shapes: Annotated[tuple[Rectangle, ...], Field(max_length=60)] = ()
    openings: Annotated[tuple[Opening, ...], Field(max_length=40)] = ()
