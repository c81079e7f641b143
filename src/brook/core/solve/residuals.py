"""What is left of each equation over the size of its terms."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Residuals:
    """1 is the size of the terms in an equation, for any units and mesh."""

    momentum: float
    mass: float
    heat: float = 0.0

    @property
    def worst(self) -> float:
        return max(self.momentum, self.mass, self.heat)
