"""Mean by volume, or by area on a patch."""

import numpy as np

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic


def evaluate(samples: Samples) -> float:
    """The mean by volume or area."""
    return float(np.average(samples.values, weights=samples.weights))


STATISTIC = Statistic("mean", "mean {quantity} of {place}", evaluate)
