"""Solids that are built from dimensions. Lengths may be formulas of named values, so a variant is a change of one."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from brook.core.study.base import Angle, Coordinate, Formula, Length, Name, Part, PatchName, Value
from brook.core.study.spots import Axis, Placed

Action = Literal["add", "take", "keep", "apart"]
Distance = Annotated[Formula, Value("length", "not_negative")]
Around = Annotated[int, Field(ge=6, le=720)]
MOST_POINTS = 400


class LinePattern(Placed):
    """The same once more and again, each by as much further."""

    kind: Literal["line"]
    count: Annotated[int, Field(ge=2, le=200)] = 2


class RingPattern(Placed):
    """The same once more and again, turned about an axis through a place; evenly over a full turn."""

    kind: Literal["ring"]
    count: Annotated[int, Field(ge=2, le=200)] = 6
    axis: Axis = "z"


Pattern = Annotated[LinePattern | RingPattern, Field(discriminator="kind")]


class SolidPart(Part):
    """What all solids have. `around` is how many straight pieces a full turn is made of. One that stands `apart` becomes
    no part of what is there: it keeps its own walls, and shares those on which both lie."""

    name: Name
    action: Action = "add"
    around: Around = 64
    pattern: Pattern | None = None


class BoxPatches(Part):
    west: PatchName
    east: PatchName
    south: PatchName
    north: PatchName
    floor: PatchName
    lid: PatchName


class EndPatches(Part):
    """Patches of something with two ends."""

    start: PatchName
    end: PatchName
    side: PatchName


class BoxSolid(SolidPart, Placed):
    """From a corner along x (width), y (depth) and z (height)."""

    kind: Literal["box"]
    width: Length = "100 mm"
    depth: Length = "100 mm"
    height: Length = "100 mm"
    patches: BoxPatches


class CylinderSolid(SolidPart, Placed):
    """From the middle of its start along an axis; `end_diameter` makes a cone of it, nothing the same all along."""

    kind: Literal["cylinder"]
    axis: Axis = "z"
    diameter: Length = "50 mm"
    length: Length = "100 mm"
    patches: EndPatches


class ConeSolid(SolidPart, Placed):
    """As a cylinder, with another diameter at its end; 0 mm is a tip."""

    kind: Literal["cone"]
    axis: Axis = "z"
    diameter: Length = "50 mm"
    end_diameter: Distance = "25 mm"
    length: Length = "100 mm"
    patches: EndPatches


class SphereSolid(SolidPart, Placed):
    kind: Literal["sphere"]
    diameter: Length = "50 mm"
    patch: PatchName


class TorusSolid(SolidPart, Placed):
    """A ring: `ring` is the diameter of the circle in its middle, `diameter` that of the bent rod."""

    kind: Literal["torus"]
    axis: Axis = "z"
    ring: Length = "100 mm"
    diameter: Length = "20 mm"
    patch: PatchName


class PathPoint(Part):
    """A corner of a path; with a radius the path goes round it in an arc."""

    x: Coordinate
    y: Coordinate
    z: Coordinate
    radius: Distance = "0 mm"


class PipeSolid(SolidPart):
    """A round rod along lines and arcs. Take a thinner one away to make a tube."""

    kind: Literal["pipe"]
    diameter: Length = "50 mm"
    path: Annotated[tuple[PathPoint, ...], Field(min_length=2, max_length=MOST_POINTS)]
    patches: EndPatches


class ProfilePoint(Part):
    """A point of a closed profile and what leads to the next one: a line, or a spline through all points so marked.

    `radius` rounds the corner between two lines. `patch` is that of the side to the next point.
    """

    x: Coordinate
    y: Coordinate
    radius: Distance = "0 mm"
    to: Literal["line", "spline"] = "line"
    patch: PatchName


Profile = Annotated[tuple[ProfilePoint, ...], Field(min_length=3, max_length=MOST_POINTS)]


class ExtrudedSolid(SolidPart, Placed):
    """A profile in the plane across an axis, drawn out along it from a place."""

    kind: Literal["extruded"]
    axis: Axis = "z"
    length: Length = "100 mm"
    profile: Profile
    start: PatchName
    end: PatchName


class RevolvedSolid(SolidPart, Placed):
    """A profile turned about an axis: its x is the distance from the axis, its y goes along it."""

    kind: Literal["revolved"]
    axis: Axis = "z"
    angle: Angle = "360 deg"
    profile: Profile
    start: PatchName
    end: PatchName


class WingSolid(SolidPart, Placed):
    """A wing of a four-digit section: nose at the place, chord along x, thickness along z, span along y."""

    kind: Literal["wing"]
    digits: Annotated[str, StringConstraints(pattern=r"^[0-9]{4}$")] = "2412"
    chord: Length = "200 mm"
    span: Length = "400 mm"
    incidence: Angle = "0 deg"
    patches: EndPatches


Solid = (
    BoxSolid | CylinderSolid | ConeSolid | SphereSolid | TorusSolid | PipeSolid | ExtrudedSolid | RevolvedSolid
    | WingSolid
)  # fmt: skip
