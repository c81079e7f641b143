"""Values along a straight line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.results.plane import Triangles

COUNT = 201


@dataclass(frozen=True, eq=False)
class Profile:
    """Places (n, 2), in space (n, 3), and distances (n,) from the line's start in m, values (n,) in SI units; nan outside the fluid."""

    places: np.ndarray
    distance: np.ndarray
    values: np.ndarray

    def along(self, axis: str) -> np.ndarray:
        """Positions (n,) by `distance`, `x`, `y` or, in space, `z`."""
        return self.distance if axis == "distance" else self.places[:, "xyz".index(axis)]


def profile(
    triangles: Triangles, values: np.ndarray, start: tuple[float, float], end: tuple[float, float], count: int = COUNT
) -> Profile:
    """Values at `count` even steps from start to end, both included."""
    share = np.linspace(0.0, 1.0, count)[:, None]
    places = np.asarray(start) + share * (np.asarray(end) - np.asarray(start))
    length = float(np.hypot(end[0] - start[0], end[1] - start[1]))
    return Profile(places, share[:, 0] * length, triangles.at(values, places))
