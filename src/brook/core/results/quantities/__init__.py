"""What can be read from the fields at a place and drawn, one file each; a new one is a new file and a line here."""

from brook.core.results.quantities import (
    flow,
    pressure,
    pressure_coefficient,
    speed,
    total_pressure,
    velocity,
    vorticity,
)
from brook.core.results.quantities.base import QuantityKind, References, View
from brook.core.results.quantities.own import OwnQuantity, own_quantity

QUANTITIES: dict[str, QuantityKind] = {
    kind.name: kind
    for kind in (
        speed.QUANTITY, velocity.TO_THE_RIGHT, velocity.UPWARD, velocity.TO_THE_FRONT, pressure.QUANTITY,
        total_pressure.QUANTITY, pressure_coefficient.QUANTITY, vorticity.QUANTITY, flow.QUANTITY,
    )
}  # fmt: skip

# Those that a run draws on its way; the others are made from its fields when somebody asks.
DRAWN = ("speed", "velocity_x", "velocity_y", "pressure")

__all__ = ["DRAWN", "QUANTITIES", "OwnQuantity", "QuantityKind", "References", "View", "own_quantity"]
