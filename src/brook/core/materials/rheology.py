"""Liquids whose viscosity depends on how fast they are sheared. Bird, Armstrong & Hassager (1987)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

MOST = 1000.0  # times the given viscosity, and the same below it: where laws know no bound


@dataclass(frozen=True)
class Rheology:
    """Viscosity in Pa s by shear rate in 1/s.

    `power`: μ (γ/γ₀)^(n-1). `carreau`: μ∞ + (μ - μ∞) (1 + (λγ)²)^((n-1)/2). `yielding`, after Herschel & Bulkley (1926): the first and a yield stress τ
    over the rate, τ (1 - exp(-mγ))/γ after Papanastasiou (1987), so that what does not yield is stiff, not rigid.
    """

    law: Literal["power", "carreau", "yielding"]
    viscosity: float
    index: float
    rate: float = 1.0
    thin_viscosity: float = 0.0
    time: float = 1.0
    yield_stress: float = 0.0

    def at(self, rate: np.ndarray) -> np.ndarray:
        """Viscosity in Pa s at shear rates (n,) in 1/s, kept within a thousandth and a thousand times the given one."""
        if self.law == "carreau":
            more = self.viscosity - self.thin_viscosity
            return self.thin_viscosity + more * (1 + (self.time * rate) ** 2) ** ((self.index - 1) / 2)
        rate = np.maximum(rate, 1e-12 * self.rate)
        found = self.viscosity * (rate / self.rate) ** (self.index - 1)
        if self.law == "yielding":
            found = found + self.yield_stress * -np.expm1(-self.time * rate) / rate
        return np.clip(found, self.viscosity / MOST, MOST * self.viscosity)


def shear_rate(slope: np.ndarray) -> np.ndarray:
    """√(2 D:D) (C,) in 1/s of a velocity gradient (C, 3, 3), D being its symmetric part."""
    even = 0.5 * (slope + np.swapaxes(slope, 1, 2))
    found: np.ndarray = np.sqrt(2 * np.einsum("cij,cij->c", even, even))
    return found
