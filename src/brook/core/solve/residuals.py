"""What is left of each equation over the size of its terms."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Residuals:
    """Of each equation by its name; 1 is the size of its terms, for any units and mesh."""

    of: dict[str, float]

    @property
    def worst(self) -> float:
        """The largest of them."""
        return max(self.of.values())

    def __str__(self) -> str:
        return ", ".join(f"{name} {value:.1e}" for name, value in self.of.items())
