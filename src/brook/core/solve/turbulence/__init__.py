"""Turbulence: models of two equations, walls at any distance of the first cell, what comes in."""

from brook.core.solve.turbulence.equation import Incoming, Turbulence
from brook.core.solve.turbulence.walls import Walls, wall_distance

__all__ = ["Incoming", "Turbulence", "Walls", "wall_distance"]
