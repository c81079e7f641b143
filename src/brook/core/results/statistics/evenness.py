"""How even something is over a place: its standard deviation, and the uniformity γ = 1 − Σ|φ − φ̄| A/(2 |φ̄| ΣA), one where it is the same everywhere.

Weltens, Bressler, Terres, Neumaier & Rammoser 1993.
"""

import numpy as np

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic
from brook.core.units import NONE


def _deviation(samples: Samples) -> float:
    """√(Σ (φ − φ̄)² w/Σw), weights being volumes or areas."""
    mean = np.average(samples.values, weights=samples.weights)
    return float(np.sqrt(np.average((samples.values - mean) ** 2, weights=samples.weights)))


def _uniformity(samples: Samples) -> float:
    """Nothing where the mean is nothing."""
    mean = float(np.average(samples.values, weights=samples.weights))
    apart = float(np.average(np.abs(samples.values - mean), weights=samples.weights))
    return 1 - apart / (2 * abs(mean)) if mean else 0.0


DEVIATION = Statistic("deviation", "standard deviation of the {quantity} of {place}", _deviation)
UNIFORMITY = Statistic("uniformity", "uniformity of the {quantity} of {place}", _uniformity, lambda _: NONE)
