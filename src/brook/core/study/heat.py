"""What the document says of heat: what bodies are made of, walls, sources, contacts, buoyancy."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from brook.core.study.base import BodyName, Formula, Part, PatchName, Value

Temperature = Annotated[Formula, Value("temperature", "positive")]
Acceleration = Annotated[Formula, Value("acceleration")]


class GivenTemperature(Part):
    """A wall held at a temperature, or the temperature of what enters."""

    words: ClassVar[str] = "is at a temperature"
    kind: Literal["temperature"] = "temperature"
    patch: PatchName
    temperature: Temperature = "20 degC"


class GivenFlux(Part):
    """So much heat enters through each piece of a patch."""

    words: ClassVar[str] = "heats by a flux"
    kind: Literal["flux"] = "flux"
    patch: PatchName
    flux: Annotated[Formula, Value("heat_flux")] = "1 kW/m^2"


class GivenPower(Part):
    """So much heat enters through a patch as a whole."""

    words: ClassVar[str] = "heats with a power"
    kind: Literal["power"] = "power"
    patch: PatchName
    power: Annotated[Formula, Value("power")] = "10 W"


class Film(Part):
    """Heat goes through a film to surroundings at a temperature."""

    words: ClassVar[str] = "loses heat to surroundings"
    kind: Literal["film"] = "film"
    patch: PatchName
    coefficient: Annotated[Formula, Value("film_coefficient", "positive")] = "10 W/(m^2 K)"
    surroundings: Temperature = "20 degC"


class Returning(Part):
    """What comes in again through a periodic pair has a mean temperature: all of it is shifted to it, or its height over that
    of walls `about` it is scaled."""

    words: ClassVar[str] = "comes in again at a mean temperature"
    kind: Literal["returning"] = "returning"
    patch: PatchName
    temperature: Temperature = "20 degC"
    way: Literal["shift", "scale"] = "shift"
    about: Temperature = "40 degC"


PATCH_KINDS = (GivenTemperature, GivenFlux, GivenPower, Film, Returning)
HeatedPatch = Annotated[GivenTemperature | GivenFlux | GivenPower | Film | Returning, Field(discriminator="kind")]


class Source(Part):
    """Heat set free in a body, evenly."""

    body: BodyName
    power: Annotated[Formula, Value("power")] = "10 W"


class Begin(Part):
    """The temperature at which a body begins, where that is another one than all others do."""

    body: BodyName
    temperature: Temperature = "40 degC"


class Contact(Part):
    """What hinders heat from passing a wall between two bodies."""

    patch: PatchName
    resistance: Annotated[Formula, Value("thermal_resistance", "not_negative")] = "1e-4 m^2 K/W"


class LibrarySolid(Part):
    kind: Literal["solid"] = "solid"
    substance: Annotated[str, Field(max_length=40)] = "aluminium"


class OwnSolid(Part):
    kind: Literal["own_solid"] = "own_solid"
    title: Annotated[str, Field(min_length=1, max_length=120)] = "Own solid"
    density: Annotated[Formula, Value("density", "positive")] = "2700 kg/m^3"
    heat_capacity: Annotated[Formula, Value("heat_capacity", "positive", True)] = "900 J/(kg K)"
    conductivity: Annotated[Formula, Value("conductivity", "positive", True)] = "200 W/(m K)"


class Heat(Part):
    """Temperatures are computed too. They begin at `start`, which is also that of what flows back in at outlets, bodies of `begins` at their own.

    `buoyancy` by Boussinesq takes density for constant but in the weight; by `density` it is that of the local
    temperature, at low Mach number. `friction` counts what the flow loses as heat.
    """

    start: Temperature = "20 degC"
    patches: Annotated[tuple[HeatedPatch, ...], Field(max_length=200)] = ()
    sources: Annotated[tuple[Source, ...], Field(max_length=200)] = ()
    contacts: Annotated[tuple[Contact, ...], Field(max_length=200)] = ()
    begins: Annotated[tuple[Begin, ...], Field(max_length=200)] = ()
    buoyancy: Literal["none", "boussinesq", "density"] = "none"
    gravity_x: Acceleration = "0 m/s^2"
    gravity_y: Acceleration = "-9.81 m/s^2"
    gravity_z: Acceleration = "0 m/s^2"
    varying: bool = False
    friction: bool = False
