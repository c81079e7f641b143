"""What a statistic is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from brook.core.results.places import Samples
from brook.core.results.quantities import QuantityKind
from brook.core.units import Dimension


@dataclass(frozen=True)
class Statistic:
    """`evaluate(samples, *arguments)` in SI units.

    `words` is a template of a sentence with {quantity}, {place} and the arguments {0}, {1} … and
    {summed};
    `result` gives the dimension of the value from that of the quantity. Arguments have the
    quantity's dimension. `of_sums` says that it is one of quantities of which faces have their parts, else of all others;
    `on` says of which kinds of places.
    """

    name: str
    words: str
    evaluate: Callable[..., float]
    result: Callable[[Dimension], Dimension] = lambda dimension: dimension
    arguments: int = 0
    of_sums: bool = False
    on: tuple[str, ...] = ("body", "box", "patch")

    def fits(self, quantity: QuantityKind, place: str) -> bool:
        """Whether it is one of a quantity on a kind of place."""
        return bool(quantity.summed) == self.of_sums and place in self.on


def nothing_there(samples: Samples) -> bool:
    """Whether there is nothing to take a statistic of."""
    return len(samples.values) == 0
