"""Geometry as the document says it. The plane one: an outer rectangle, shapes added, taken away or kept, openings."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, Literal

from pydantic import Discriminator, Field, Tag

from brook.core.study.base import Angle, BodyName, Coordinate, Formula, Length, Name, Part, PatchName, Value
from brook.core.study.space import SpaceGeometry

Side = Literal["left", "right", "bottom", "top"]
Action = Literal["add", "take", "keep"]
SIDES: tuple[Side, ...] = ("left", "right", "bottom", "top")
MOST_CORNERS = 200


class Sides(Part):
    """The patch that each side of a rectangle belongs to; a side that openings or other shapes take away needs no name."""

    left: PatchName = "left"
    right: PatchName = "right"
    bottom: PatchName = "bottom"
    top: PatchName = "top"

    @classmethod
    def all(cls, patch: str) -> Sides:
        """One patch on all sides."""
        return cls(left=patch, right=patch, bottom=patch, top=patch)


class Rectangle(Part):
    """A rectangle with its lower left corner at (left, bottom)."""

    kind: Literal["rectangle"] = "rectangle"
    name: Name
    action: Action = "take"
    left: Coordinate
    bottom: Coordinate
    width: Length
    height: Length
    patches: Sides = Sides()


class Circle(Part):
    """A full circle."""

    kind: Literal["circle"]
    name: Name
    action: Action = "take"
    centre_x: Coordinate
    centre_y: Coordinate
    diameter: Length
    patch: PatchName


class Arc(Part):
    """A strip bent to an arc: `radius` to its middle; angles run anticlockwise from the direction of x."""

    kind: Literal["arc"]
    name: Name
    action: Action = "take"
    centre_x: Coordinate
    centre_y: Coordinate
    radius: Length
    thickness: Length
    start: Angle
    end: Angle
    patch: PatchName


class Corner(Part):
    """A corner of a polygon and what leads to the next one: a line, or a spline through all corners so marked.

    `radius` rounds the corner between two lines. `patch` is that of the side from here to the next corner.
    """

    x: Coordinate
    y: Coordinate
    radius: Annotated[Formula, Value("length", "not_negative")] = "0 mm"
    to: Literal["line", "spline"] = "line"
    patch: PatchName


class Polygon(Part):
    """Sides from corner to corner, and from the last one to the first: straight, rounded or splines."""

    kind: Literal["polygon"]
    name: Name
    action: Action = "take"
    corners: Annotated[tuple[Corner, ...], Field(min_length=3, max_length=MOST_CORNERS)]


def _kind(shape: Any) -> str:
    return _said(shape, "rectangle")


def _geometry_kind(geometry: Any) -> str:
    return _said(geometry, "plane")


def _said(part: Any, unsaid: str) -> str:
    return part.get("kind", unsaid) if isinstance(part, dict) else getattr(part, "kind", "")


Shape = Annotated[
    Annotated[Rectangle, Tag("rectangle")]
    | Annotated[Circle, Tag("circle")]
    | Annotated[Arc, Tag("arc")]
    | Annotated[Polygon, Tag("polygon")],
    Discriminator(_kind),
]


class Opening(Part):
    """A stretch of one side of the outer rectangle that is a patch of its own."""

    patch: PatchName
    side: Side
    start: Coordinate
    end: Coordinate


class PlaneGeometry(Part):
    """Shapes are taken in their order; a later one wins where two share an edge."""

    kind: Literal["plane"] = "plane"
    body: BodyName = "fluid"
    depth: Length = "1 m"
    outer: Rectangle
    shapes: Annotated[tuple[Shape, ...], Field(max_length=60)] = ()
    openings: Annotated[tuple[Opening, ...], Field(max_length=40)] = ()


Geometry = Annotated[
    Annotated[PlaneGeometry, Tag("plane")] | Annotated[SpaceGeometry, Tag("space")], Discriminator(_geometry_kind)
]


def formulas_of(part: Part, path: str = "") -> Iterator[tuple[str, str]]:
    """(pointer, text) of every formula in a part, in the order of the document."""
    for name, info in type(part).model_fields.items():
        content = getattr(part, name)
        if any(isinstance(m, Value) for m in info.metadata):
            yield f"{path}/{name}", content
            continue
        inner = enumerate(content) if isinstance(content, tuple) else [(None, content)]
        for k, entry in inner:
            if isinstance(entry, Part):
                yield from formulas_of(entry, f"{path}/{name}" if k is None else f"{path}/{name}/{k}")


def patch_names(part: Any) -> list[str]:
    """Names of the patches that a part of a geometry mentions, without repeats, in order.

    `part` is the model, or the same with numbers in the place of formulas.
    """
    found: list[str] = []
    for key, content in vars(part).items():
        entries = content if isinstance(content, tuple | list) else [content]
        if key == "patch":
            found.append(content)
        elif key == "patches":
            found += vars(content).values()
        else:
            found += [n for e in entries if hasattr(e, "__dict__") for n in patch_names(e)]
    return list(dict.fromkeys(found))
