"""Flows that heat sets going: from rest, at which all equations hold too, along the one way in which they leave it.

Just over the onset of convection the slowest part of a state grows by a factor λ of hardly more than 1 in each iteration. Once
steps hold nothing else, one is taken over as many iterations as double what has grown: projective integration, Gear &
Kevrekidis (2003). Where λ is under 1 the answer lies ahead, and states may be mixed; over 1 a mixture would lead back to rest.
"""

from __future__ import annotations

import numpy as np

PURE = 0.99999  # cosine between two steps, one after the other, from which they count as the same way
ALIKE = 5  # steps of the same way, one after the other, before they are gone on with
SETTLED = 0.1  # of λ - 1: a λ that changes by more over these steps is still on its way
LONGEST = 300.0  # steps that are taken at once
LASTS = 100  # iterations for which it counts what was seen


class Growth:
    """Looks at the steps of iterations; `factor` is λ once steps went the same way long enough to tell it, else None."""

    def __init__(self) -> None:
        self._begins, self._since = True, LASTS
        self._factors: list[float] = []
        self.factor: float | None = None

    @property
    def goes_on(self) -> bool:
        """Whether something grows that has not come to its end, as far as it is known, or may be about to."""
        return self._since < LASTS

    def record(self, before: float, product: float, squared: float) -> None:
        """Takes in a step: the square of the one before, the product of both, and its own square."""
        pure = not self._begins and product > PURE * np.sqrt(before * squared)
        self._begins, self._since, self.factor = False, self._since + 1, None
        if not pure:
            self._factors = []
            return
        self._factors = [*self._factors[-ALIKE:], product / before]
        now = self._factors[-1]
        if len(self._factors) > ALIKE and abs(now - self._factors[0]) < SETTLED * abs(now - 1):
            self.factor = now
        shrinks = self.factor is not None and self.factor < 1
        self._since = LASTS if shrinks else 0

    def leap(self) -> float:
        """How many steps like the last are to be added to it, 0 for none."""
        if self.factor is None or self.factor <= 1:
            return 0.0
        self._begins, self._factors = True, []
        return min(1.0 / max(self.factor - 1, 1e-300), LONGEST)
