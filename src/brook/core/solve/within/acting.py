"""What is set free within a piece of a mesh, or pushes there, by the time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

SAMPLES = 32  # of a value over an interval


@dataclass(frozen=True, eq=False)
class Act:
    """`share` (C,) of the whole in each cell, and the `value` of the whole, a number or (3,); of a time in s where it `changes`."""

    share: np.ndarray
    value: Callable[[float], float | np.ndarray]
    changes: bool

    def mean(self, begin: float, end: float) -> float | np.ndarray:
        """The mean over an interval of time."""
        if not self.changes:
            return self.value(begin)
        step = (end - begin) / SAMPLES
        found = sum(np.asarray(self.value(begin + (k + 0.5) * step)) for k in range(SAMPLES)) / SAMPLES
        return np.asarray(found)


class Acting:
    """All acts on one array of cells, `into` (C,) or (C, 3), besides what it began with."""

    def __init__(self, into: np.ndarray, acts: list[Act]):
        self._into, self._base, self._acts = into, into.copy(), acts
        self.take(0.0, 0.0)

    def take(self, begin: float, end: float) -> None:
        """Puts in the means over an interval of time."""
        self._into[:] = self._base
        for act in self._acts:
            value = act.mean(begin, end)
            self._into += act.share * value if self._into.ndim == 1 else act.share[:, None] * np.asarray(value)

    @property
    def changes(self) -> bool:
        """Whether anything of it changes with the time."""
        return any(act.changes for act in self._acts)


class Acts:
    """Everything of that kind in a run; nothing where nothing is said."""

    def __init__(self, parts: tuple[Acting, ...] = ()):
        self._parts = tuple(part for part in parts if part.changes)

    def over(self, begin: float, step: float, order: int) -> None:
        """For a step in time from `begin` on. With steps of second order the mean is that about the end of the step, so that it is of second
        order too, and all that is put in over the time is found."""
        if order == 1:
            first, last = begin, begin + step
        else:
            first, last = (begin + step / 2 if begin > 0 else 0.0), begin + 1.5 * step
        for part in self._parts:
            part.take(first, last)


NOTHING_ACTS = Acts()
