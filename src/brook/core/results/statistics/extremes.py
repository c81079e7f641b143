"""Where the largest and the smallest value lie: x, y and z of it, as of the point of stagnation or the hottest one."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic
from brook.core.units import DIMENSIONS


def _of(axis: int, which: str, words: str, find: Callable[[np.ndarray], np.intp]) -> Statistic:
    def evaluate(samples: Samples) -> float:
        return float(samples.at[int(find(samples.values)), axis])

    letter = "xyz"[axis]
    return Statistic(
        f"{letter}_of_{which}", f"{letter} where {{quantity}} of {{place}} is {words}", evaluate, lambda _: DIMENSIONS["length"]
    )  # fmt: skip


EVERY = tuple(
    _of(axis, which, words, find)
    for which, words, find in (("max", "largest", np.argmax), ("min", "smallest", np.argmin))
    for axis in range(3)
)
