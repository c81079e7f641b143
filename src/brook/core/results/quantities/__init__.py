"""What can be read from the fields at a place and drawn, one file each; a new one is a new file and a line here."""

from brook.core.mesh import Mesh
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
        speed.QUANTITY, velocity.ALONG_X, velocity.ALONG_Y, velocity.ALONG_Z, pressure.QUANTITY,
        total_pressure.QUANTITY, pressure_coefficient.QUANTITY, vorticity.QUANTITY, flow.QUANTITY,
    )
}  # fmt: skip

# Those that a run draws on its way, the last one in space only; others are made from its fields when somebody asks.
DRAWN = ("speed", "velocity_x", "velocity_y", "pressure", "velocity_z")


def drawn_of(mesh: Mesh) -> tuple[str, ...]:
    """What a run on a mesh draws on its way."""
    return DRAWN[:-1] if mesh.is_plane else DRAWN


__all__ = ["DRAWN", "QUANTITIES", "OwnQuantity", "QuantityKind", "References", "View", "drawn_of", "own_quantity"]
