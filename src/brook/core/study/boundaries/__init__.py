"""What the document can say about a patch: one file a kind.

What a kind *does* in the equations stands in `brook.core.physics.boundaries`, under the same name.
"""

from typing import Annotated

from pydantic import Field

from brook.core.study.boundaries.drawn import Drawn
from brook.core.study.boundaries.exhaust import Exhaust
from brook.core.study.boundaries.fan import Fan
from brook.core.study.boundaries.flow import Flow
from brook.core.study.boundaries.mass import Mass
from brook.core.study.boundaries.periodic import Periodic
from brook.core.study.boundaries.pressure import Pressure
from brook.core.study.boundaries.rest import Rest
from brook.core.study.boundaries.share import Share
from brook.core.study.boundaries.sliding import Sliding
from brook.core.study.boundaries.slip import Slip
from brook.core.study.boundaries.stream import Stream
from brook.core.study.boundaries.symmetry import Symmetry
from brook.core.study.boundaries.turning import Turning
from brook.core.study.boundaries.velocity import Velocity
from brook.core.study.boundaries.wall import Wall

KINDS = (
    Velocity,
    Flow,
    Mass,
    Rest,
    Fan,
    Stream,
    Pressure,
    Exhaust,
    Drawn,
    Share,
    Wall,
    Sliding,
    Turning,
    Slip,
    Symmetry,
    Periodic,
)
Boundary = Annotated[
    Velocity
    | Flow
    | Mass
    | Rest
    | Fan
    | Stream
    | Pressure
    | Exhaust
    | Drawn
    | Share
    | Wall
    | Sliding
    | Turning
    | Slip
    | Symmetry
    | Periodic,
    Field(discriminator="kind"),
]
INFLOWS = tuple(str(kind.model_fields["kind"].default) for kind in KINDS if kind.role == "inflow")
OUTFLOWS = tuple(str(kind.model_fields["kind"].default) for kind in KINDS if kind.role == "outflow")
STICKING = ("wall", "sliding", "turning")  # kinds along which fluid moves as the wall does

__all__ = [
    "INFLOWS",
    "KINDS",
    "OUTFLOWS",
    "STICKING",
    "Boundary",
    "Drawn",
    "Exhaust",
    "Fan",
    "Flow",
    "Mass",
    "Periodic",
    "Pressure",
    "Rest",
    "Share",
    "Sliding",
    "Slip",
    "Stream",
    "Symmetry",
    "Turning",
    "Velocity",
    "Wall",
]
