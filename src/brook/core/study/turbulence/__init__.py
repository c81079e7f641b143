"""What the document can say of turbulence: one file a model; a set-up that says nothing is laminar.

What a model *does* in the equations stands in `brook.core.solve.turbulence`, under the same name.
"""

from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from brook.core.study.turbulence.incoming import INCOMING_KINDS, InflowTurbulence
from brook.core.study.turbulence.realizable import Realizable
from brook.core.study.turbulence.rng import Rng
from brook.core.study.turbulence.rough import RoughWall
from brook.core.study.turbulence.sst import Sst

KINDS = (Sst, Realizable, Rng)


def _usual(said: Any) -> Any:
    """One that does not name its model is the first."""
    return {"kind": "sst", **said} if isinstance(said, dict) else said


Turbulence = Annotated[Sst | Realizable | Rng, Field(discriminator="kind"), BeforeValidator(_usual)]

__all__ = ["INCOMING_KINDS", "KINDS", "InflowTurbulence", "Realizable", "Rng", "RoughWall", "Sst", "Turbulence"]
