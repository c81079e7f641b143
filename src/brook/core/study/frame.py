"""A frame that turns with the fluid and its walls."""

from __future__ import annotations

from typing import Annotated, Literal

from brook.core.study.base import Formula, Value
from brook.core.study.spots import Placed


class TurningFrame(Placed):
    """All is looked at from a frame that turns at a `rate` about an axis through a place, against the clock for somebody at whom it points: still walls
    turn along, and velocities are those seen from there."""

    rate: Annotated[Formula, Value("rate")] = "60 rpm"
    axis: Literal["x", "y", "z"] = "z"
