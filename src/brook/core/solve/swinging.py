"""Steady runs that stand without converging, as one does that meets a flow which sheds: what their monitors do meanwhile."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from brook.core.solve.history import History, Rules, standing_still

LEAST = 120  # iterations that are looked at, or the last third of a run
NEARER = 0.7  # of the residuals before: what falls under it still comes home
DRIFT = 0.35  # of the whole swing: what a mean may move by from the first part to the last


@dataclass(frozen=True)
class Swing:
    """Over how many iterations a run stands so, and the mean of each monitor in them and half its swing, in SI units."""

    over: int
    monitors: dict[str, tuple[float, float]]

    @property
    def words(self) -> str:
        """What it is, and what to do."""
        return (
            f"residuals have not fallen for {self.over} iterations, and monitors swing about a mean, as where a flow sheds or flaps: "
            "follow it in time, or take the means with their swings"
        )


def swing_of(history: History, rules: Rules, began_at: int = 0) -> Swing | None:
    """Where the last third of a steady run stands like this; None for one that converges, drifts, grows or is too short.

    It is looked at in three parts: residuals fall no further from the first to the last, and no monitor's mean moves between
    these by more than a share of its swing."""
    over = max(LEAST, (len(history) - began_at) // 3)
    if history.time or len(history) - began_at < 2 * over or history.worst[-1] <= rules.residual:
        return None
    residual = [
        float(np.median(part)) for part in np.array_split(np.log10(np.maximum(history.worst[-over:], 1e-300)), 3)
    ]
    if not all(map(math.isfinite, residual)) or abs(residual[2] - residual[0]) > -math.log10(NEARER):
        return None
    found = {}
    for name in history.monitor_names:
        values = np.array(history.monitors[name][-over:])
        if not np.isfinite(values).all():
            return None
        whole = float(np.ptp(values))
        means = [float(part.mean()) for part in np.array_split(values, 3)]
        drifts = abs(means[2] - means[0]) > DRIFT * whole
        if drifts and not standing_still(history.monitors[name], rules):
            return None
        found[name] = (float(values.mean()), whole / 2)
    return Swing(over, found)
