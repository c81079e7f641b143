"""What a flow was at earlier moments, as the next step in time needs it."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np


@dataclass(frozen=True, eq=False)
class TimeLevel:
    """Volume of cells (C,), velocity (C, 3), pressure (C,) and flux (F,) at a moment, and by how much the flux differed from
    that of the mean velocity alone, `off` (F,). `scalars` has what further equations keep, by their names."""

    volume: np.ndarray
    velocity: np.ndarray
    pressure: np.ndarray
    flux: np.ndarray
    off: np.ndarray
    scalars: dict[str, dict[str, np.ndarray]] = field(default_factory=dict)

    def arrays(self) -> dict[str, np.ndarray]:
        """All of them by name: what is of another equation is called `equation:name`."""
        flow = ("volume", "velocity", "pressure", "flux", "off")
        found = {name: getattr(self, name) for name in flow}
        return found | {f"{of}:{name}": v for of, kept in self.scalars.items() for name, v in kept.items()}

    @classmethod
    def of(cls, arrays: dict[str, np.ndarray]) -> TimeLevel:
        """From what was kept."""
        flow: dict[str, np.ndarray] = {}
        scalars: dict[str, dict[str, np.ndarray]] = {}
        for name, values in arrays.items():
            equation, colon, own = name.partition(":")
            if colon:
                scalars.setdefault(equation, {})[own] = values
            else:
                flow[name] = values
        return cls(**flow, scalars=scalars)


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
class TimeScheme:
    """The rate of change of a value is `now` times it less what the time levels, newest first, add up to with `factors`."""

    now: float
    factors: tuple[float, ...]
    levels: tuple[TimeLevel, ...]
    step: float = 0.0

    @classmethod
    def of(cls, levels: tuple[TimeLevel, ...], step: float, before: float | None) -> TimeScheme:
        """`levels` are the last one, and the one before it where two are used."""
        now, last, older = rates(step, before if len(levels) > 1 else None)
        return cls(now, (last, older)[: len(levels)], levels, step)

    @cached_property
    def first_order(self) -> TimeScheme:
        """The same step by implicit Euler."""
        return TimeScheme.of(self.levels[:1], self.step, None)

    @cached_property
    def old_velocity(self) -> np.ndarray:
        """What velocities (C, 3) of before add to a rate of change, in m/s²."""
        return -sum(rate * level.velocity for rate, level in zip(self.factors, self.levels, strict=True))  # type: ignore[return-value]

    @cached_property
    def old_flux(self) -> np.ndarray:
        """What the flux differences (F,) of time levels add up to, in kg/s²."""
        return sum(rate * level.off for rate, level in zip(self.factors, self.levels, strict=True))  # type: ignore[return-value]

    def old(self, equation: str, name: str) -> np.ndarray:
        """What earlier values that an equation keeps add to a rate of change."""
        pairs = zip(self.factors, self.levels, strict=True)
        return -sum(rate * level.scalars[equation][name] for rate, level in pairs)  # type: ignore[return-value]
