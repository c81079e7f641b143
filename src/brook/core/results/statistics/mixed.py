"""Mean on a patch by what flows through: what it would be if all of that were mixed. Where nothing flows, by area."""

import numpy as np

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic


def evaluate(samples: Samples) -> float:
    """The mean by what flows through."""
    through = samples.through
    if through is None or not abs(float(through.sum())) > 1e-12 * float(np.abs(through).sum()):
        return float(np.average(samples.values, weights=samples.weights))
    return float(np.average(samples.values, weights=through))


STATISTIC = Statistic("mixed", "mixed {quantity} of {place}", evaluate, on=("patch",))
