"""A dissolved substance: carried, spread by diffusion, set free in bodies, decaying."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from brook.core.study.base import BodyName, Formula, Name, Part, PatchName, Title, Value
from brook.core.study.regions import EVERYWHERE, Region

Concentration = Annotated[Formula, Value("density", "not_negative")]


class Inflow(Part):
    """What flows in through a patch holds so much."""

    patch: PatchName
    concentration: Concentration = "1 g/m^3"


class Release(Part):
    """So much is set free in a body, evenly."""

    body: BodyName
    rate: Annotated[Formula, Value("mass_flow", "not_negative")] = "1 mg/s"


class Begin(Part):
    """A piece of the fluid holds so much at the start, where that is another concentration than all the rest does."""

    where: Region = EVERYWHERE
    concentration: Concentration = "1 g/m^3"


class Tracer(Part):
    """A substance too thin to change the flow. It begins at `start` everywhere but where `begins` says otherwise, and so does what flows back in at
    outlets; an inflow of which nothing is said holds none."""

    words: ClassVar[str] = "a dissolved substance"
    dimension: ClassVar[str] = "density"
    kind: Literal["tracer"] = "tracer"
    name: Name = "tracer"
    title: Title = "Tracer"
    diffusivity: Annotated[Formula, Value("kinematic_viscosity", "not_negative")] = "1e-9 m^2/s"
    start: Concentration = "0 g/m^3"
    decay: Annotated[Formula, Value("rate", "not_negative")] = "0 1/s"
    inflows: Annotated[tuple[Inflow, ...], Field(max_length=60)] = ()
    begins: Annotated[tuple[Begin, ...], Field(max_length=60)] = ()
    releases: Annotated[tuple[Release, ...], Field(max_length=200)] = ()
