"""Smallest value."""

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic


def evaluate(samples: Samples) -> float:
    """The smallest value."""
    return float(samples.values.min())


STATISTIC = Statistic("min", "smallest {quantity} of {place}", evaluate)
