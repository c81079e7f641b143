"""Largest value."""

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic


def evaluate(samples: Samples) -> float:
    """The largest value."""
    return float(samples.values.max())


STATISTIC = Statistic("max", "largest {quantity} of {place}", evaluate)
