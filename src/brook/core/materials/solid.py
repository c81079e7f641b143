"""Solids, with constant properties or a conductivity by formula. Figures at room temperature: Incropera et al. (2007), appendix A; VDI Heat Atlas (2010)."""

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


SOLIDS = {
    "aluminium": Solid("Aluminium", 2702.0, 903.0, 237.0), "copper": Solid("Copper", 8933.0, 385.0, 401.0),
    "steel": Solid("Plain carbon steel", 7854.0, 434.0, 60.5), "stainless": Solid("Stainless steel", 7900.0, 477.0, 14.9),
    "glass": Solid("Glass", 2500.0, 750.0, 1.4), "acrylic": Solid("Acrylic glass", 1180.0, 1470.0, 0.19),
    "polyethylene": Solid("Polyethylene", 950.0, 1900.0, 0.42), "brick": Solid("Brick", 1920.0, 835.0, 0.72),
}  # fmt: skip


def solid_of(said: Resolved) -> Solid | None:
    """The solid of a resolved statement, None where a value is missing."""
    if said.kind == "solid":
        return SOLIDS[said.substance]
    if None in (said.density, said.heat_capacity, said.conductivity):
        return None
    return Solid(said.title, said.density, said.heat_capacity, said.conductivity, varied_of(said))
