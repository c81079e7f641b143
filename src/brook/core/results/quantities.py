"""What can be read from the fields at a place."""

from __future__ import annotations

from dataclasses import dataclass

from brook.core.units import DIMENSIONS, Dimension


@dataclass(frozen=True)
class QuantityKind:
    """`words` stand in sentences; `signed` quantities are shown round zero."""

    dimension: Dimension
    words: str
    signed: bool = False
    on: tuple[str, ...] = ("body", "box", "patch")


QUANTITIES = {
    "speed": QuantityKind(DIMENSIONS["speed"], "speed"),
    "velocity_x": QuantityKind(DIMENSIONS["speed"], "velocity to the right", signed=True),
    "velocity_y": QuantityKind(DIMENSIONS["speed"], "velocity upward", signed=True),
    "velocity_z": QuantityKind(DIMENSIONS["speed"], "velocity to the front", signed=True),
    "pressure": QuantityKind(DIMENSIONS["pressure"], "pressure"),
    "flow": QuantityKind(DIMENSIONS["volume_flow"], "volume flow", signed=True, on=("patch",)),
}

# Those that canvases show.
DRAWN = ("speed", "velocity_x", "velocity_y", "pressure")
