"""Share of the volume (or area) whose value is over a limit."""

from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic
from brook.core.units import NONE


def evaluate(samples: Samples, limit: float) -> float:
    """The share of volume or area over a limit."""
    return float(samples.weights[samples.values > limit].sum() / samples.weights.sum())


STATISTIC = Statistic(
    "share_above", "share of {place} with {quantity} over {0}", evaluate, result=lambda _: NONE, arguments=1
)
