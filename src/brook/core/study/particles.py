"""Particles that fly through a flow after its run: where they begin, what they are, what walls do to them and they to walls."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Discriminator, Field, Tag

from brook.core.study.base import Formula, Length, Name, Part, PatchName, Title, Value, Velocity
from brook.core.study.regions import InBall

Acceleration = Annotated[Formula, Value("acceleration")]
Does = Literal["sticks", "bounces", "sand", "passes"]
Share = Annotated[Formula, Value("number", "not_negative")]
MOST = 50_000  # particles of one statement


class FromPatch(Part):
    """They come in through a patch, even shares of its flow each."""

    kind: Literal["patch"] = "patch"
    patch: PatchName


class FromBall(InBall):
    """They begin in a ball, in a drawing a disc, evenly."""

    kind: Literal["ball"] = "ball"


def _kind(value: object) -> str:
    return str((value.get("kind") if isinstance(value, dict) else getattr(value, "kind", "")) or "patch")


Source = Annotated[Annotated[FromPatch, Tag("patch")] | Annotated[FromBall, Tag("ball")], Discriminator(_kind)]


class WallOf(Part):
    """What a patch does to particles; `across` and `along` are the shares of their velocity that those keep which bounce."""

    patch: PatchName
    does: Does = "bounces"
    across: Share = "0.9"
    along: Share = "0.9"


class Particles(Part):
    """So many are followed from where they begin, as fast as the fluid there or at a velocity of their own. They go with the fluid, or are grains of a `density` and of one size, or
    of sizes of which the same mass each is followed: 1 − exp(−(d/size)^spread) of it is finer than d. Together they are a `rate`. Walls stick, bounce, or pass, unless `walls` says
    otherwise of a patch; grit wears them by Finnie's law with a flow stress, or by Oka's for sand with a Vickers hardness."""

    name: Name
    title: Title
    source: Source
    number: Annotated[int, Field(ge=1, le=MOST)] = 1000
    kind: Literal["grains", "fluid"] = "grains"
    density: Annotated[Formula, Value("density", "positive")] = "2650 kg/m^3"
    sizes: Literal["one", "spread"] = "one"
    size: Length = "0.1 mm"
    spread: Annotated[Formula, Value("number", "positive")] = "2.5"
    smallest: Length = "0.02 mm"
    largest: Length = "0.3 mm"
    rate: Annotated[Formula, Value("mass_flow", "positive")] = "1 g/s"
    begins: Literal["fluid", "own"] = "fluid"
    velocity_x: Velocity = "0 m/s"
    velocity_y: Velocity = "0 m/s"
    velocity_z: Velocity = "0 m/s"
    gravity_x: Acceleration = "0 m/s^2"
    gravity_y: Acceleration = "0 m/s^2"
    gravity_z: Acceleration = "0 m/s^2"
    lift: bool = False
    swings: bool = False
    eddies: Annotated[Formula, Value("number", "positive")] = "0.3"
    seconds: Annotated[Formula, Value("time", "positive")] = "600 s"
    does: Does = "bounces"
    across: Share = "0.9"
    along: Share = "0.9"
    walls: Annotated[tuple[WallOf, ...], Field(max_length=60)] = ()
    wear: Literal["none", "finnie", "oka"] = "none"
    flow_stress: Annotated[Formula, Value("pressure", "positive")] = "1400 MPa"
    hardness: Annotated[Formula, Value("pressure", "positive")] = "1200 MPa"
    wall_density: Annotated[Formula, Value("density", "positive")] = "7850 kg/m^3"
