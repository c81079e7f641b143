"""What the document can say of turbulence: one file a model; a set-up that says nothing is laminar.

What a model *does* in the equations stands in `brook.core.solve.turbulence`, under the same name.
"""

from brook.core.study.turbulence.incoming import INCOMING_KINDS, InflowTurbulence
from brook.core.study.turbulence.rough import RoughWall
from brook.core.study.turbulence.sst import Sst

KINDS = (Sst,)
Turbulence = Sst

__all__ = ["INCOMING_KINDS", "KINDS", "InflowTurbulence", "RoughWall", "Sst", "Turbulence"]
