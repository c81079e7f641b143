"""What a statistic is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from brook.core.results.places import Samples
from brook.core.units import Dimension


@dataclass(frozen=True)
class Statistic:
    """`evaluate(samples, *arguments)` in SI units.

    `words` is a template of a sentence with {quantity}, {place} and the arguments {0}, {1} …;
    `result` gives the dimension of the value from that of the quantity. Arguments have the
    quantity's dimension. `quantities` lists those it makes sense for; None is all but flow.
    """

    name: str
    words: str
    evaluate: Callable[..., float]
    result: Callable[[Dimension], Dimension] = lambda dimension: dimension
    arguments: int = 0
    quantities: tuple[str, ...] | None = None

    def fits(self, quantity: str) -> bool:
        return quantity not in ("flow", "heat") if self.quantities is None else quantity in self.quantities


def nothing_there(samples: Samples) -> bool:
    return len(samples.values) == 0
