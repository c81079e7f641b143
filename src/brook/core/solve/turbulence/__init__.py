"""Turbulence: models of two equations, walls at any distance of the first cell, what comes in."""

from brook.core.solve.turbulence.closure import Closure
from brook.core.solve.turbulence.equation import SST, Incoming, Turbulence
from brook.core.solve.turbulence.lifted import Lifted
from brook.core.solve.turbulence.realizable import REALIZABLE
from brook.core.solve.turbulence.rng import RNG
from brook.core.solve.turbulence.walls import Walls, wall_distance

CLOSURES: dict[str, Closure] = {"sst": SST, "realizable": REALIZABLE, "rng": RNG}

__all__ = ["CLOSURES", "Closure", "Incoming", "Lifted", "Turbulence", "Walls", "wall_distance"]
