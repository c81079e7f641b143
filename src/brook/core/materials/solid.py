"""Solids, with constant properties or with properties by formula of the temperature."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from brook.core.materials.fluid import beyond_formulas, varied_of
from brook.core.study import Resolved
from brook.core.study.varied import Varied


@dataclass(frozen=True)
class Solid:
    """Density in kg/m³, heat capacity in J/(kg K), conductivity in W/(m K); what changes with temperature by formula is in `varied`."""

    title: str
    density: float
    heat_capacity: float
    conductivity: float
    varied: Mapping[str, Varied] = field(default_factory=dict, compare=False)

    def at(self, name: str, temperature: np.ndarray) -> np.ndarray | None:
        """A property at temperatures (n,) in K, None for one that does not change."""
        return self.varied[name].at(temperature) if name in self.varied else None

    def beyond(self, temperature: np.ndarray) -> list[str]:
        """What is not known at some of temperatures (n,) in K, as sentences: a limit was taken there."""
        return beyond_formulas(self.varied, temperature)


def own_solid(said: Resolved) -> Solid | None:
    """The solid of a resolved statement with values of one's own, None where one is missing."""
    if None in (said.density, said.heat_capacity, said.conductivity):
        return None
    return Solid(said.title, said.density, said.heat_capacity, said.conductivity, varied_of(said))
