"""What a flow was at earlier moments, as the next step in time needs it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np


@dataclass(frozen=True, eq=False)
class Moment:
    """Velocity (C, 3), pressure (C,) and flux (F,) at a moment, and by how much the flux differed from that of the mean
    velocity alone (F,)."""

    velocity: np.ndarray
    pressure: np.ndarray
    flux: np.ndarray
    off: np.ndarray
    fields: dict[str, np.ndarray]


def rates(step: float, before: float | None) -> tuple[float, float, float]:
    """Factors in 1/s of the value now, a step and two steps before in its rate of change.

    Backward differences of second order with steps that may differ (Gear 1971), or implicit Euler with none `before`.
    """
    if before is None:
        return 1 / step, -1 / step, 0.0
    ratio = step / before
    over = 1 / (step * (1 + ratio))
    return (1 + 2 * ratio) * over, -((1 + ratio) ** 2) * over, ratio**2 * over


@dataclass(frozen=True, eq=False)
class Past:
    """The rate of change is `now` times the value less `pull`; `lags` are factors and flux differences of moments."""

    now: float
    pull: np.ndarray
    lags: tuple[tuple[float, np.ndarray], ...]
    factors: tuple[float, float]
    moments: tuple[Moment, ...]

    @classmethod
    def of(cls, moments: tuple[Moment, ...], step: float, before: float | None) -> Past:
        """`moments` are the last one, and the one before it where two are used."""
        now, last, older = rates(step, before if len(moments) > 1 else None)
        used = tuple(zip((last, older), moments, strict=False))
        pull = -sum(rate * m.velocity for rate, m in used)
        return cls(now, pull, tuple((rate, m.off) for rate, m in used), (last, older), moments)  # type: ignore[arg-type]

    @cached_property
    def late(self) -> np.ndarray:
        """What the flux differences (F,) of moments add up to, in kg/s²."""
        return sum(rate * off for rate, off in self.lags)  # type: ignore[return-value]

    def pull_of(self, name: str) -> np.ndarray:
        """The same as `pull` for another field that moments keep."""
        pairs = zip(self.factors, self.moments, strict=False)
        return -sum(rate * m.fields[name] for rate, m in pairs)  # type: ignore[return-value]
