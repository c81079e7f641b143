"""Solids with constant properties. Figures at room temperature: Incropera et al. (2007), appendix A; VDI Heat Atlas (2010)."""

from __future__ import annotations

from dataclasses import dataclass

from brook.core.study import Resolved


@dataclass(frozen=True)
class Solid:
    """Density in kg/m³, heat capacity in J/(kg K), conductivity in W/(m K)."""

    title: str
    density: float
    heat_capacity: float
    conductivity: float


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
    return Solid(said.title, said.density, said.heat_capacity, said.conductivity)
