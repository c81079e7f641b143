"""Sum over the faces of a patch: the flow out through it, the force on it."""

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic


def evaluate(samples: Samples) -> float:
    """The sum of all values."""
    return float(samples.values.sum())


STATISTIC = Statistic("total", "{quantity} {summed} {place}", evaluate, of_sums=True)
