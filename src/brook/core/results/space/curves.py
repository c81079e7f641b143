"""A quantity along a line through a mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.results.quantities import View
from brook.core.results.space.locator import Locator
from brook.core.results.space.surfaces import Triple


@dataclass(frozen=True, eq=False)
class Curve:
    """Places (n, 3) in m, the way (n,) in m from the start and the values (n,), nan where there is no fluid."""

    places: np.ndarray
    way: np.ndarray
    values: np.ndarray


def curve(locator: Locator, view: View, quantity: str, start: Triple, end: Triple, count: int = 500) -> Curve:
    """A quantity at so many places on a straight line. Raises `ValueError` where none of them lies in the mesh."""
    share = np.linspace(0.0, 1.0, count)[:, None]
    places = (1 - share) * np.asarray(start, float) + share * np.asarray(end, float)
    values = locator.values(view, quantity, places)
    if np.isnan(values).all():
        raise ValueError("the line does not meet the mesh")
    return Curve(places, share[:, 0] * float(np.linalg.norm(np.subtract(end, start))), values)
