"""Statistics of samples, one file each; a new one is a new file and a line here."""

from brook.core.results.statistics import (
    evenness,
    extremes,
    layer,
    maximum,
    mean,
    minimum,
    mixed,
    share_above,
    share_below,
    total,
    turning,
)
from brook.core.results.statistics.base import Statistic

STATISTICS: dict[str, Statistic] = {
    statistic.name: statistic
    for statistic in (
        mean.STATISTIC, minimum.STATISTIC, maximum.STATISTIC, share_below.STATISTIC, share_above.STATISTIC,
        total.STATISTIC, mixed.STATISTIC, evenness.DEVIATION, evenness.UNIFORMITY, *extremes.EVERY, *turning.EVERY, *layer.EVERY,
    )
}  # fmt: skip

__all__ = ["STATISTICS", "Statistic"]
