"""Where a flow along a wall or a line leaves it and comes back: the ends of the longest stretch that goes backward.

Of what has a direction: the friction or the velocity along an axis, which on a wall is the mean across it at each place along that axis. Forward is where the flow as a whole goes.
"""

from __future__ import annotations

import numpy as np

from brook.core.formulas import FormulaError
from brook.core.results.places import Samples
from brook.core.results.quantities import QuantityKind
from brook.core.results.statistics.base import Statistic
from brook.core.units import DIMENSIONS

ALONG = tuple(f"{name}_{axis}" for name in ("friction", "velocity", "averaged_velocity") for axis in "xyz")


def course(samples: Samples) -> tuple[np.ndarray, np.ndarray]:
    """Coordinates (n,) along the axis in m, rising, and the mean there (n,), more than nothing where it goes forward."""
    place, size = samples.at[:, samples.axis], float(np.ptp(samples.at[:, samples.axis]))
    order = np.argsort(place, kind="stable")
    place, value, weight = place[order], samples.values[order] * samples.onward, samples.weights[order]
    if not size > 0:
        return place[:1], value[:1]
    # places that are apart by less than half of the mean step are one row across
    step = size / max(1, len(np.unique(np.round(place / (1e-6 * size)))))
    row = np.concatenate([[0], np.cumsum(np.diff(place) > 0.5 * step)])
    across = np.bincount(row, weight)
    return np.bincount(row, place * weight) / across, np.bincount(row, value * weight) / across


def backward(place: np.ndarray, value: np.ndarray) -> tuple[float | None, float | None] | None:
    """Both ends in m of the longest stretch under nothing, None for one that is an end of all there is; None where there is no such stretch."""
    below = np.concatenate([[False], value < 0, [False]]).astype(int)
    first, last = np.nonzero(np.diff(below) > 0)[0], np.nonzero(np.diff(below) < 0)[0] - 1
    if not len(first):
        return None
    k = int(np.argmax(place[last] - place[first]))
    begin, end = int(first[k]), int(last[k])

    def between(a: int, b: int) -> float:
        return float(place[a] + (place[b] - place[a]) * value[a] / (value[a] - value[b]))

    return (between(begin - 1, begin) if begin else None), (between(end, end + 1) if end + 1 < len(place) else None)


def _of(name: str, words: str, which: int, missing: str) -> Statistic:
    def evaluate(samples: Samples) -> float:
        found = backward(*course(samples))
        if found is None:
            raise FormulaError("nothing goes backward there")
        end = found[0 if (which == 0) == (samples.onward > 0) else 1]
        if end is None:
            raise FormulaError(missing)
        return end

    return Made(name, words, evaluate, lambda _: DIMENSIONS["length"])


class Made(Statistic):
    """One of what has a direction alone."""

    def fits(self, quantity: QuantityKind, place: str) -> bool:
        """Whether it is one of a quantity on a kind of place."""
        return quantity.name in ALONG and place in ("patch", "box")


SEPARATES = _of(
    "separates", "where the {quantity} of {place} turns back", 0, "the flow goes backward from where that begins"
)
REATTACHES = _of(
    "reattaches",
    "where the {quantity} of {place} goes forward again",
    1,
    "the flow still goes backward where that ends",
)
EVERY = (SEPARATES, REATTACHES)
