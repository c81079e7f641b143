"""What every model of turbulence is told."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from brook.core.study.base import BodyName, Formula, Part, Value
from brook.core.study.turbulence.incoming import ByRatio, Incoming, InflowTurbulence
from brook.core.study.turbulence.rough import RoughWall


class Model(Part):
    """Walls may lie at any distance of the first cell. `incoming` is what flows in wherever `inflows` say nothing else, back in at
    outlets too. In bodies that stay `still` the flow is laminar. With `buoyancy` it makes eddies where it is warm below, and stills them
    where it is warm above; with `curvature` streamlines that curve do so too."""

    kind: str
    incoming: Incoming = ByRatio()
    inflows: Annotated[tuple[InflowTurbulence, ...], Field(max_length=60)] = ()
    rough: Annotated[tuple[RoughWall, ...], Field(max_length=200)] = ()
    still: Annotated[tuple[BodyName, ...], Field(max_length=60)] = ()
    buoyancy: bool = False
    curvature: bool = False
    prandtl: Annotated[Formula, Value("number", "positive")] = "0.85"
