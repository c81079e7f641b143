"""Means over time and how far the flow strays from them."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from brook.core.solve.fields import Fields


@dataclass(eq=False)
class Averages:
    """Seconds so far, and sums over them: of velocity, its components squared and pressure, in cells and on boundaries."""

    seconds: float = 0.0
    sums: dict[str, np.ndarray] = field(default_factory=dict)

    def add(self, fields: Fields, step: float) -> None:
        """Takes in the fields of a step of so many s."""
        parts = {
            "velocity": fields.velocity, "squared": fields.velocity**2, "pressure": fields.pressure,
            "boundary_velocity": fields.boundary_velocity, "boundary_squared": fields.boundary_velocity**2,
            "boundary_pressure": fields.boundary_pressure,
        }  # fmt: skip
        if "temperature" in fields.more:
            parts["temperature"], parts["boundary_temperature"] = fields.more["temperature"]
        self.seconds += step
        for name, values in parts.items():
            self.sums[name] = self.sums.get(name, 0.0) + step * values

    def onto(self, fields: Fields) -> Fields:
        """The same fields with what was averaged so far."""
        if not self.sums:
            return fields
        mean = {name: values / self.seconds for name, values in self.sums.items()}
        more = {
            f"averaged_{n}": (mean[n], mean[f"boundary_{n}"])
            for n in ("velocity", "pressure", "temperature")
            if n in mean
        }
        more["fluctuation"] = (_spread(mean, ""), _spread(mean, "boundary_"))
        return replace(fields, more=fields.more | more)

    def arrays(self) -> dict[str, np.ndarray]:
        """What is kept of them."""
        return {"averaged": np.array(self.seconds)} | {f"sum-{n}": a for n, a in self.sums.items()}

    @classmethod
    def of(cls, arrays: dict[str, np.ndarray]) -> Averages:
        """From what was kept."""
        if "averaged" not in arrays:
            return cls()
        sums = {n.removeprefix("sum-"): a.copy() for n, a in arrays.items() if n.startswith("sum-")}
        return cls(float(arrays["averaged"]), sums)


def _spread(mean: dict[str, np.ndarray], where: str) -> np.ndarray:
    """The root mean square of what differs from the mean velocity, of all components together."""
    squared = mean.get(f"{where}squared", mean[f"{where}velocity"] ** 2)  # not on boundaries of earlier checkpoints
    return np.sqrt(np.maximum(squared - mean[f"{where}velocity"] ** 2, 0.0).sum(axis=1))
