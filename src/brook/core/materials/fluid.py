"""Fluids: from CoolProp at a temperature and 1 atm, own values and formulas of the temperature, ideal gases."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from brook.core.formulas import nearest
from brook.core.materials import library
from brook.core.materials.catalogue import SUBSTANCES
from brook.core.materials.library import State
from brook.core.materials.rheology import Rheology
from brook.core.study import Problem, Resolved
from brook.core.study.varied import Varied
from brook.core.units import DIMENSIONS, show

GAS_CONSTANT = 8.314462618  # J/(mol K), exact since 2019
DRY = 1e-9  # kg of water for each kg of dry air


@dataclass(frozen=True)
class ConstantFluid:
    """Density in kg/m³, dynamic viscosity in Pa s, heat capacity in J/(kg K), conductivity in W/(m K), expansion in 1/K.

    `substance` is that of the library whose properties vary with temperature, as it is called there, '' for none. Those that do by formula are
    in `varied`, by name. An ideal gas has a `pressure` in Pa, else 0, and
    its density at a `temperature` in K.
    """

    title: str
    density: float
    viscosity: float
    heat_capacity: float = 0.0
    conductivity: float = 0.0
    expansion: float = 0.0
    substance: str = ""
    law: Rheology | None = None
    varied: Mapping[str, Varied] = field(default_factory=dict, compare=False)
    pressure: float = 0.0
    temperature: float = 0.0

    def at(self, name: str, temperature: np.ndarray) -> np.ndarray | None:
        """A property at temperatures (n,) in K, None for one that does not change."""
        if self.pressure and name == "density":
            return self.density * self.temperature / temperature
        if name in self.varied:
            return self.varied[name].at(temperature)
        if self.substance:
            known, values = library.table(self.substance)
            return np.interp(temperature, known, values[name])
        return None

    def beyond(self, temperature: np.ndarray) -> list[str]:
        """What is not known at some of temperatures (n,) in K, as sentences: a limit was taken there."""
        found = beyond_formulas(self.varied, temperature)
        if self.substance and len(temperature):
            low, high = library.range_of(self.substance)
            most, least = float(temperature.max()), float(temperature.min())
            if most > high or least < low:
                at = show(most if most > high else least, DIMENSIONS["temperature"])
                found.append(
                    f"it got to {at}, beyond what is known of {self.title.lower()}: properties at the end of that were taken"
                )
        return found

    @property
    def kinematic_viscosity(self) -> float:
        """In m²/s."""
        return self.viscosity / self.density


def beyond_formulas(varied: Mapping[str, Varied], temperature: np.ndarray) -> list[str]:
    """Properties by formula that come to nothing at some of temperatures (n,) in K, as sentences."""
    found = []
    for name, value in varied.items():
        lost = value.is_lost(temperature)
        if lost.any():
            at = show(float(temperature[lost][0]), DIMENSIONS["temperature"])
            found.append(
                f"the {name} by its formula comes to nothing at {at}: a hundredth of that at the start was taken"
            )
    return found


def varied_of(said: Resolved) -> dict[str, Varied]:
    """The properties of a fluid or solid that change with temperature by formula."""
    return {name: value for name, value in vars(said).items() if isinstance(value, Varied)}


def _law(fluid: Resolved) -> Rheology | None:
    """How the viscosity of a fluid depends on shear, None for one where it does not or where a value is missing."""
    said = fluid.law
    if said is None or None in vars(said).values():
        return None
    values = {k: v for k, v in vars(said).items() if k != "kind"}
    return Rheology(said.kind, fluid.viscosity, **values)


@lru_cache(maxsize=256)
def _library(called: str, temperature: float) -> ConstantFluid:
    density, viscosity, capacity, conductivity, expansion = library.at(called, temperature)
    title = State.of(called).substance.title
    return ConstantFluid(title, density, viscosity, capacity, conductivity, expansion, called)


def _of_library(fluid: Resolved, path: str, problems: list[Problem]) -> ConstantFluid | None:
    """A substance of the library in its state, or None with the reason in `problems`."""
    known = SUBSTANCES.get(fluid.substance)
    if known is None:
        hint = nearest(fluid.substance, SUBSTANCES)
        problems.append(Problem(f"{path}/substance", f"'{fluid.substance}' is no liquid or gas of the library: {hint}"))
        return None
    if None in (fluid.temperature, fluid.pressure, fluid.humidity):
        return None
    try:
        return _in_state(fluid, known.title, path, problems)
    except ValueError:  # CoolProp's own words name its routines
        message = f"nothing is known of {known.title.lower()} in this state; choose another temperature or pressure"
        problems.append(Problem(f"{path}/temperature", message))
        return None


def _in_state(fluid: Resolved, title: str, path: str, problems: list[Problem]) -> ConstantFluid | None:
    state = State(fluid.substance, fluid.pressure)
    if fluid.substance == "humid_air":
        if fluid.humidity > 1:
            problems.append(Problem(f"{path}/humidity", "air holds 100 % of what it can hold at most"))
            return None
        low, high = state.substance.low, state.substance.high
    else:
        low, high = library.range_of(state.called)
    if not low <= fluid.temperature <= high:
        kelvin = DIMENSIONS["temperature"]
        at = "" if fluid.pressure == library.ATMOSPHERE else f" at {show(fluid.pressure, DIMENSIONS['pressure'])}"
        ends = f"from {show(low, kelvin, given=True)} to {show(high, kelvin, given=True)}{at}"
        phase = state.substance.phase
        words = (
            f"{title.lower()} is known here as a {phase} {ends}" if low < high else f"{title.lower()} is no {phase}{at}"
        )
        problems.append(Problem(f"{path}/temperature", words))
        return None
    if fluid.substance == "humid_air":
        moisture = library.moisture_of(fluid.temperature, fluid.pressure, max(fluid.humidity, DRY))
        state = State(fluid.substance, fluid.pressure, float(f"{moisture:.9g}"))
    return _library(state.called, fluid.temperature)


def fluid_of(fluid: Resolved, path: str, problems: list[Problem]) -> ConstantFluid | None:
    """The fluid of a resolved statement, or None with the reason in `problems`."""
    if fluid.kind == "own":
        if fluid.density is None or fluid.viscosity is None:
            return None
        if fluid.law is not None and isinstance(fluid.viscosity, Varied):
            message = "a viscosity that changes with shear is one number here, not a formula of T; give the number, or take the law away"
            problems.append(Problem(f"{path}/viscosity", message))
            return None
        return ConstantFluid(
            fluid.title, fluid.density, fluid.viscosity, fluid.heat_capacity or 0.0, fluid.conductivity or 0.0,
            fluid.expansion or 0.0, law=_law(fluid), varied=varied_of(fluid),
        )  # fmt: skip
    if fluid.kind == "gas":
        if None in vars(fluid).values():
            return None
        density = fluid.pressure * fluid.molar_mass / (GAS_CONSTANT * fluid.temperature)
        return ConstantFluid(
            fluid.title, density, fluid.viscosity, fluid.heat_capacity, fluid.conductivity, 1 / fluid.temperature,
            varied=varied_of(fluid), pressure=fluid.pressure, temperature=fluid.temperature,
        )  # fmt: skip
    return _of_library(fluid, path, problems)
