"""Values along a line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from brook.core.results.plane import Triangles

COUNT = 201


@dataclass(frozen=True, eq=False)
class Profile:
    """Places (n, 2), in space (n, 3), and distances (n,) from the line's start in m, values (n,) in SI units; nan outside the fluid.
    `words` say which part of a line it is where there are several, `why` that there is nothing to show, `wide` (n,)
    where a section is much larger than those beside it."""

    places: np.ndarray
    distance: np.ndarray
    values: np.ndarray
    words: str = ""
    why: str = ""
    wide: np.ndarray | None = None

    def along(self, axis: str) -> np.ndarray:
        """Positions (n,) by `distance`, `x`, `y` or, in space, `z`."""
        return self.distance if axis == "distance" else self.places[:, "xyz".index(axis)]


def along(corners: np.ndarray, share: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Places (n, d) on a line from corner (k, d) to corner, and the way (n,) to each, at shares (n,) of its length.

    Raises `ValueError` for a line of no length."""
    corners = np.asarray(corners, float)
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(corners, axis=0), axis=1))])
    if not 0.0 < way[-1] < np.inf:
        raise ValueError("the line has no length")
    at = share * way[-1]
    return np.stack([np.interp(at, way, column) for column in corners.T], axis=1), at


def profile(triangles: Triangles, values: np.ndarray, corners: np.ndarray, count: int = COUNT) -> Profile:
    """Values at `count` even steps from corner (k, 2) to corner, both ends included. Raises `ValueError` for a line of no length."""
    places, way = along(corners, np.linspace(0.0, 1.0, count))
    return Profile(places, way, triangles.at(values, places))
