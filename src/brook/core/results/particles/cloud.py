"""Particles as they are set free: where, how fast, how large."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, eq=False)
class Cloud:
    """places (n, 3) in m, velocities (n, 3) in m/s, sizes (n,) in m, and the mass (n,) in kg/s that each stands for. `density` is in kg/m³; None for what has no mass and
    goes with the fluid."""

    places: np.ndarray
    velocities: np.ndarray
    sizes: np.ndarray
    mass: np.ndarray
    density: float | None = None

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.places)


def rosin_rammler(count: int, size: float, spread: float, low: float, high: float) -> np.ndarray:
    """Sizes (n,) in m of which each stands for the same mass, between two ends: 1 − exp(−(d/size)^spread) of the mass is finer than d (Rosin & Rammler 1933)."""
    ends = 1 - np.exp(-((np.array([low, high]) / size) ** spread))
    share = ends[0] + (np.arange(count) + 0.5) / count * (ends[1] - ends[0])
    return np.asarray(size * (-np.log1p(-share)) ** (1 / spread))
