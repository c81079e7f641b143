"""Geometry in three dimensions as the document says it: parts, steps that mend and name, openings, bodies, a tunnel.

The order is that of the work: parts are brought together, steps are done one after the other, the openings that are
named are closed, a tunnel is put around, and each body is the space round its wet point.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints

from brook.core.study.base import Angle, Coordinate, Formula, Length, Name, Part, PatchName, Value
from brook.core.study.ordered import Becoming, OrderedPart, is_ordered
from brook.core.study.solids import Solid
from brook.core.study.spots import Axis, Placed, Spot

Content = Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{20})?$")]
FileName = Annotated[str, StringConstraints(min_length=1, max_length=120, pattern=r"^[^/\\\x00-\x1f]+$")]
Colour = Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]
FileUnit = Literal["", "mm", "cm", "m", "inch"]
Factor = Annotated[Formula, Value("number", "positive")]
Distance = Annotated[Formula, Value("length", "not_negative")]


class FilePart(Part):
    """Triangles of a file. `unit` is that of its numbers, nothing as long as nobody has said; `content` says which
    file of the store is meant.

    `names` gives other names to patches of the file. `deflection` is how far triangles may leave curved faces.
    """

    kind: Literal["file"]
    name: Name
    file: FileName
    content: Content = ""
    unit: FileUnit = ""
    deflection: Length = "0.1 mm"
    names: dict[Name, Name] = {}


ShapePart = Annotated[FilePart | Solid | OrderedPart, Field(discriminator="kind")]
MESH_FILES = (".vtu", ".cgns")


def brings_mesh(part: Any) -> bool:
    """Whether a part, as a model or resolved, comes with its own cells."""
    return is_ordered(part) or (part.kind == "file" and part.file.lower().endswith(MESH_FILES))


def has_own_mesh(geometry: Any) -> bool:
    """Whether some part of a geometry, as a model or resolved, comes with its own cells."""
    return geometry.kind == "space" and any(brings_mesh(p) for p in geometry.parts)


# -- steps ------------------------------------------------------------------------------------


class Move(Placed):
    kind: Literal["move"]


class Turn(Placed):
    """About an axis through a place, anticlockwise seen from where the axis points to."""

    kind: Literal["turn"]
    axis: Axis = "z"
    angle: Angle = "90 deg"


class Scale(Part):
    kind: Literal["scale"]
    factor: Factor = "1"


class Mirror(Part):
    """At the plane across an axis."""

    kind: Literal["mirror"]
    axis: Axis = "x"
    at: Coordinate = "0 mm"


class Lay(Part):
    """A flat patch is laid on z = 0, the shape above it."""

    kind: Literal["lay"]
    patch: PatchName


class Align(Part):
    """The direction in which a patch looks becomes that of an axis."""

    kind: Literal["align"]
    patch: PatchName
    axis: Axis = "x"


class Merge(Part):
    kind: Literal["merge"]
    within: Length = "0.01 mm"


class Stitch(Part):
    kind: Literal["stitch"]
    within: Length = "0.1 mm"


class FillSlits(Part):
    kind: Literal["fill_slits"]


class Fill(Part):
    """Holes up to a length round, or the one at a spot; flat, or bent as the surface around it is."""

    kind: Literal["fill"]
    at: Spot | None = None
    largest: Distance = "0 mm"
    how: Literal["flat", "bent"] = "flat"


class RemoveDuplicates(Part):
    kind: Literal["remove_duplicates"]


class RemoveSlivers(Part):
    kind: Literal["remove_slivers"]


class SpreadSides(Part):
    """Of each shell all triangles look as most of it does, or as the one at the spot does not now."""

    kind: Literal["spread_sides"]
    at: Spot | None = None


class MakeOutward(Part):
    kind: Literal["make_outward"]


class Delete(Part):
    """Takes out what is at a spot: one triangle, its shell, or its patch."""

    kind: Literal["delete"]
    what: Literal["triangle", "shell", "patch"] = "triangle"
    at: Spot


class Unite(Part):
    """Closed shells that overlap or touch become one."""

    kind: Literal["unite"]


class SplitByAngle(Part):
    kind: Literal["split_by_angle"]
    patch: PatchName
    angle: Angle = "30 deg"


class SplitByShell(Part):
    kind: Literal["split_by_shell"]
    patch: PatchName


class SplitByPlane(Part):
    kind: Literal["split_by_plane"]
    patch: PatchName
    axis: Axis = "x"
    at: Coordinate = "0 mm"


class SplitByBox(Part):
    kind: Literal["split_by_box"]
    patch: PatchName
    west: Coordinate
    east: Coordinate
    south: Coordinate
    north: Coordinate
    floor: Coordinate
    lid: Coordinate


class NameArea(Part):
    """What hangs together with a spot becomes a patch: as far as it bends by less than an angle, or all the shell."""

    kind: Literal["name_area"]
    at: Spot
    reach: Literal["triangle", "smooth", "shell"] = "smooth"
    angle: Angle = "20 deg"
    to: Name


class Rename(Part):
    """A patch under another name; one that has it already takes it in."""

    kind: Literal["rename"]
    patch: PatchName
    to: Name


Step = Annotated[
    Move | Turn | Scale | Mirror | Lay | Align | Merge | Stitch | FillSlits | Fill | RemoveDuplicates | RemoveSlivers
    | SpreadSides | MakeOutward | Delete | Unite | SplitByAngle | SplitByShell | SplitByPlane | SplitByBox | NameArea
    | Rename,
    Field(discriminator="kind"),
]  # fmt: skip


# -- closing and bodies -----------------------------------------------------------------------


class Closing(Part):
    """An opening that is closed by a patch: the line of free edges at a spot, with `inner` the ring between two."""

    patch: PatchName
    at: Spot
    inner: Spot | None = None


class Tunnel(Part):
    """The outer domain around what there is; lengths count the body's own length along x.

    Of a cylinder `side` is counted from the axis of the box; sides of a box are patches of their own. `names` gives
    other names to sides (`TUNNEL_PATCHES`).
    """

    form: Literal["box", "cylinder"] = "box"
    upstream: Factor = "3"
    downstream: Factor = "6"
    side: Factor = "3"
    above: Factor = "3"
    on_floor: bool = False
    names: dict[Name, Name] = {}


class Wrap(Placed):
    """A closed surface in place of all there is: what water touches from a wet point `inside`, or from outside
    (`around`). Triangles are about `size` large, at some `patches` smaller; holes up to `closes` wide are closed, gaps
    between walls over `apart` stay open (0: those that triangles of this size leave open), edges that bend by more than
    `angle` are kept. Parts that are `thin` against these sizes are kept by smaller triangles, thickened, or dropped."""

    side: Literal["inside", "around"] = "inside"
    size: Length = "2 mm"
    closes: Distance = "0 mm"
    apart: Distance = "0 mm"
    angle: Angle = "35 deg"
    thin: Literal["keep", "thicken", "drop"] = "keep"
    patches: Annotated[dict[PatchName, Length], Field(max_length=200)] = {}


class SpaceBody(Part):
    """A closed volume: the space round a point that lies in it."""

    name: Name
    holds: Literal["fluid", "solid"] = "fluid"
    x: Coordinate
    y: Coordinate
    z: Coordinate


class SpaceGeometry(Part):
    """Walls of solids from files that lie within `touching` of each other are one, 0 for no such wish. `sheets` are patches without
    thickness that have a body on both sides. `colours` are those of patches that somebody chose; the others come from the palette."""

    kind: Literal["space"]
    parts: Annotated[tuple[ShapePart, ...], Field(max_length=100)] = ()
    steps: Annotated[tuple[Step, ...], Field(max_length=200)] = ()
    closings: Annotated[tuple[Closing, ...], Field(max_length=200)] = ()
    touching: Distance = "0.01 mm"
    wrap: Wrap | None = None
    sheets: Annotated[tuple[PatchName, ...], Field(max_length=200)] = ()
    tunnel: Tunnel | None = None
    bodies: Annotated[tuple[SpaceBody, ...], Field(max_length=60)] = ()
    colours: Annotated[dict[Name, Colour], Field(max_length=2000)] = {}

    @property
    def body(self) -> str:
        """The name of the first fluid body, for readings."""
        return next((b.name for b in self.bodies if b.holds == "fluid"), "fluid")


TUNNEL_PATCHES = {
    "box": ("tunnel_in", "tunnel_out", "tunnel_south", "tunnel_north", "tunnel_floor", "tunnel_lid"),
    "cylinder": ("tunnel_in", "tunnel_out", "tunnel_side"),
}


def tunnel_names(tunnel: Any) -> dict[str, str]:
    """The sides of a tunnel, each with the name that its patch has."""
    return {side: tunnel.names.get(side, side) for side in TUNNEL_PATCHES[tunnel.form]}


def named_patches(geometry: SpaceGeometry) -> set[str]:
    """Patches that the document itself names, whatever else its files bring."""
    found: set[str] = set()
    for part in geometry.parts:
        if isinstance(part, FilePart):
            found |= set(part.names.values())
            continue
        named = [getattr(part, field, None) for field in ("patch", "start", "end")]
        if isinstance(part, Becoming) and part.becomes == "block":
            named += [part.back, part.front]
        named += [h.patch for h in getattr(part, "hollows", ())]
        found |= {n for n in named if n}
        patches = getattr(part, "patches", None)
        found |= set(vars(patches).values()) if patches is not None else set()
        found |= {p.patch for p in getattr(part, "profile", ())}
    found |= {step.to for step in geometry.steps if isinstance(step, NameArea | Rename)}
    found |= {closing.patch for closing in geometry.closings}
    return found | set(tunnel_names(geometry.tunnel).values() if geometry.tunnel is not None else ())
