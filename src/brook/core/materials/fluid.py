"""Fluids with constant properties: from CoolProp at a temperature and 1 atm, or own values."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from brook.core.materials.rheology import Rheology
from brook.core.study import Problem, Resolved
from brook.core.units import DIMENSIONS, show

ATMOSPHERE = 101_325.0
# Temperatures in K between which the substance is the liquid or gas its name promises, at 1 atm.
RANGES = {"water": (273.16, 373.0), "air": (200.0, 1500.0)}
MORE = ("C", "L", "ISOBARIC_EXPANSION_COEFFICIENT")
TITLES = {"water": "Water", "air": "Air"}


@dataclass(frozen=True)
class ConstantFluid:
    """Density in kg/m³, dynamic viscosity in Pa s, heat capacity in J/(kg K), conductivity in W/(m K), expansion in 1/K.

    `substance` is that of the library whose properties vary with temperature, '' for none.
    """

    title: str
    density: float
    viscosity: float
    heat_capacity: float = 0.0
    conductivity: float = 0.0
    expansion: float = 0.0
    substance: str = ""
    law: Rheology | None = None

    @property
    def kinematic_viscosity(self) -> float:
        """In m²/s."""
        return self.viscosity / self.density


def _law(fluid: Resolved) -> Rheology | None:
    """How the viscosity of a fluid depends on shear, None for one where it does not or where a value is missing."""
    said = fluid.law
    if said is None or None in vars(said).values():
        return None
    values = {k: v for k, v in vars(said).items() if k != "kind"}
    return Rheology(said.kind, fluid.viscosity, **values)


@lru_cache(maxsize=256)
def _library(substance: str, temperature: float) -> ConstantFluid:
    from CoolProp.CoolProp import PropsSI

    density = PropsSI("D", "T", temperature, "P", ATMOSPHERE, substance)
    viscosity = PropsSI("V", "T", temperature, "P", ATMOSPHERE, substance)
    capacity, conductivity, expansion = (PropsSI(name, "T", temperature, "P", ATMOSPHERE, substance) for name in MORE)
    return ConstantFluid(
        TITLES[substance], float(density), float(viscosity), float(capacity), float(conductivity), float(expansion), substance
    )  # fmt: skip


@lru_cache(maxsize=8)
def table(substance: str) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Temperatures (n,) in K and there the density, viscosity and conductivity (n,) of a substance at 1 atm."""
    from CoolProp.CoolProp import PropsSI

    low, high = RANGES[substance]
    temperature = np.linspace(low, high, 401)
    names = {"density": "D", "viscosity": "V", "conductivity": "L"}
    return temperature, {
        n: np.asarray(PropsSI(k, "T", temperature, "P", ATMOSPHERE, substance)) for n, k in names.items()
    }


def fluid_of(fluid: Resolved, path: str, problems: list[Problem]) -> ConstantFluid | None:
    """The fluid of a resolved statement, or None with the reason in `problems`."""
    if fluid.kind == "own":
        if fluid.density is None or fluid.viscosity is None:
            return None
        return ConstantFluid(
            fluid.title, fluid.density, fluid.viscosity, fluid.heat_capacity or 0.0, fluid.conductivity or 0.0,
            fluid.expansion or 0.0, law=_law(fluid),
        )  # fmt: skip
    if fluid.temperature is None:
        return None
    low, high = RANGES[fluid.substance]
    if not low <= fluid.temperature <= high:
        kelvin = DIMENSIONS["temperature"]
        message = (
            f"{fluid.substance} is known here from {show(low, kelvin, given=True)} to {show(high, kelvin, given=True)}"
        )
        problems.append(Problem(f"{path}/temperature", message))
        return None
    return _library(fluid.substance, fluid.temperature)
