"""Steady runs that stand without converging, as one does that meets a flow which sheds: what their monitors do meanwhile."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from brook.core.solve.history import History, Rules, standing_still

LEAST = 120  # iterations that are looked at
SHARES = (1 / 3, 1 / 2, 2 / 3)  # of a run that are looked at: what swings slowly shows in the longer ones
NEARER = 0.7  # of the residuals before: what falls under it still comes home
TURNS = 3  # of a monitor through its mean: where there are fewer, a longer part of the run is looked at
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
    """Where the end of a steady run stands like this: its last third, or else half or two thirds; None for one that converges, drifts, grows or is too short.

    It is looked at in three parts: residuals fall no further from the first to the last, and no monitor's mean moves between
    these by more than a share of its swing. What swings so slowly that it goes through its mean once or twice only has its swing from the longest."""
    count = len(history) - began_at
    if history.time or count < 2 * LEAST or history.worst[-1] <= rules.residual:
        return None
    there = [_swing_over(history, rules, max(LEAST, int(share * count))) for share in SHARES]
    found = [one for one in there if one is not None]
    return next((one for one, turns in found if turns), found[-1][0] if found else None)


def _swing_over(history: History, rules: Rules, over: int) -> tuple[Swing, bool] | None:
    """How it stands over so many iterations, and whether all that swings goes through its mean again and again in them."""
    residual = [
        float(np.median(part)) for part in np.array_split(np.log10(np.maximum(history.worst[-over:], 1e-300)), 3)
    ]
    if not all(map(math.isfinite, residual)) or abs(residual[2] - residual[0]) > -math.log10(NEARER):
        return None
    found, all_turn = {}, True
    for name in history.monitor_names:
        values = np.array(history.monitors[name][-over:])
        if not np.isfinite(values).all():
            return None
        whole = float(np.ptp(values))
        means = [float(part.mean()) for part in np.array_split(values, 3)]
        drifts = abs(means[2] - means[0]) > DRIFT * whole
        stands = standing_still(history.monitors[name], rules)
        if drifts and not stands:
            return None
        above = values > values.mean()
        all_turn &= stands or int(np.count_nonzero(above[1:] != above[:-1])) >= TURNS
        found[name] = (float(values.mean()), whole / 2)
    return Swing(over, found), all_turn
