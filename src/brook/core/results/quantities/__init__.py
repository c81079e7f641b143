"""What can be read from the fields at a place and drawn, one file each; a new one is a new file and a line here."""

from brook.core.results.quantities import (
    averaged,
    coefficients,
    density,
    film,
    flow,
    force,
    heat,
    mass_flow,
    pressure,
    pressure_coefficient,
    slopes,
    speed,
    strain,
    temperature,
    total_pressure,
    total_temperature,
    turbulence,
    velocity,
    vortices,
    vorticity,
    wall_shear,
)
from brook.core.results.quantities.base import QuantityKind, References, View
from brook.core.results.quantities.own import OwnQuantity, own_quantity
from brook.core.results.quantities.scalar import scalar_quantity
from brook.core.solve import Fields

QUANTITIES: dict[str, QuantityKind] = {
    kind.name: kind
    for kind in (
        speed.QUANTITY, velocity.ALONG_X, velocity.ALONG_Y, velocity.ALONG_Z, pressure.QUANTITY,
        total_pressure.QUANTITY, pressure_coefficient.QUANTITY, vorticity.QUANTITY, vorticity.ALONG_X, vorticity.ALONG_Y, vorticity.SIZE,
        strain.QUANTITY, strain.LOST, vortices.QUANTITY, slopes.OF_PRESSURE, flow.QUANTITY, mass_flow.QUANTITY, temperature.QUANTITY, total_temperature.QUANTITY, slopes.OF_TEMPERATURE,
        heat.QUANTITY, *film.EVERY, density.QUANTITY, force.ALONG_X, force.ALONG_Y, force.ALONG_Z, *coefficients.EVERY,
        wall_shear.QUANTITY, wall_shear.COEFFICIENT, *wall_shear.FRICTION, *turbulence.EVERY,
        averaged.SPEED, *averaged.VELOCITY, averaged.PRESSURE, averaged.TEMPERATURE, averaged.FLUCTUATION,
    )
}  # fmt: skip

# Those that only runs with heat have.
OF_HEAT = (
    "temperature", "heat", "total_temperature", "temperature_gradient", *(kind.name for kind in film.EVERY), averaged.TEMPERATURE.name,
)  # fmt: skip
# Those that only runs with a model of turbulence have.
OF_EDDIES = tuple(kind.name for kind in turbulence.EVERY)
# Those that only runs in time have, where averages are taken.
OF_AVERAGES = tuple(
    kind.name
    for kind in (averaged.SPEED, *averaged.VELOCITY, averaged.PRESSURE, averaged.TEMPERATURE, averaged.FLUCTUATION)
)
# Those that a run draws on its way, the last one in space only; others are made from its fields when somebody asks.
DRAWN = ("speed", "velocity_x", "velocity_y", "pressure", "temperature", "velocity_z")


def drawn_of(fields: Fields) -> tuple[str, ...]:
    """What a run with such fields draws on its way."""
    left_out = ["velocity_z"] if fields.mesh.is_plane else []
    left_out += [] if "temperature" in fields.more else ["temperature"]
    return tuple(name for name in DRAWN if name not in left_out)


def known_of(warm: bool, averaged: bool, eddies: bool = False) -> dict[str, QuantityKind]:
    """Every quantity of a run, by name: those of heat where temperatures are computed, those of averages where there are any, those
    of eddies where a model has them."""
    left_out = (() if warm else OF_HEAT) + (() if averaged else OF_AVERAGES) + (() if eddies else OF_EDDIES)
    return {name: kind for name, kind in QUANTITIES.items() if name not in left_out}


__all__ = [
    "DRAWN",
    "OF_AVERAGES",
    "OF_EDDIES",
    "OF_HEAT",
    "QUANTITIES",
    "OwnQuantity",
    "QuantityKind",
    "References",
    "View",
    "drawn_of",
    "known_of",
    "own_quantity",
    "scalar_quantity",
]
