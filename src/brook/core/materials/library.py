"""Properties of liquids and gases at a temperature, a pressure and, of humid air, a moisture, from CoolProp.

Loading CoolProp takes seconds, in every process. So what it says at 1 atm at whole degrees and along the table of each substance
stands in `library.json` and `substances.json`, made by `scripts/fluids.py`; it is loaded only for what lies between or beside.

A substance in a state is called by its name alone at 1 atm, else `name@pressure` in Pa, humid air `humid_air@pressure@moisture`
with its moisture in kg of water for each kg of dry air.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from brook.core.materials.catalogue import SUBSTANCES, Substance

KEPT, MORE = Path(__file__).parent / "library.json", Path(__file__).parent / "substances.json"
ATMOSPHERE = 101_325.0
CELSIUS = 273.15
# Temperatures in K between which these are the liquid or gas that their name promises, at 1 atm.
RANGES = {"water": (273.16, 373.0), "air": (200.0, 1500.0)}
# CoolProp's words for density, dynamic viscosity, heat capacity, conductivity and expansion.
WORDS = ("D", "V", "C", "L", "ISOBARIC_EXPANSION_COEFFICIENT")
ALONG = {"density": "D", "viscosity": "V", "conductivity": "L", "heat_capacity": "C"}
POINTS, FEWER = 401, 101
BESIDE = 0.2  # K that are kept from the temperature of boiling
STEP = 0.05  # K over which the expansion of a mixture is taken


@dataclass(frozen=True)
class State:
    """A substance of the catalogue at a pressure in Pa; humid air has a moisture in kg of water for each kg of dry air."""

    name: str
    pressure: float = ATMOSPHERE
    moisture: float = 0.0

    @classmethod
    def of(cls, called: str) -> State:
        """The one that is called so."""
        name, *numbers = called.split("@")
        return cls(name, *(float(n) for n in numbers))

    @property
    def called(self) -> str:
        """Its name alone at 1 atm."""
        if self.name == "humid_air":
            return f"{self.name}@{self.pressure:.12g}@{self.moisture:.12g}"
        return self.name if self.pressure == ATMOSPHERE else f"{self.name}@{self.pressure:.12g}"

    @property
    def substance(self) -> Substance:
        """What the catalogue says of it."""
        return SUBSTANCES[self.name]


@cache
def _kept(name: str) -> dict[str, Any]:
    """What is kept of a substance at 1 atm: its `range`, whole `degrees`, and a `table`; nothing of one that is not kept."""
    if name in RANGES:
        every = _read(KEPT)
        return {"range": RANGES[name], "degrees": every["degrees"][name], "table": every["table"][name]}
    return _read(MORE).get(name, {}) if name != "humid_air" and MORE.exists() else {}


@cache
def _read(path: Path) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(path.read_text())
    return found


@cache
def range_of(called: str) -> tuple[float, float]:
    """Temperatures in K between which a substance is the liquid or gas that its name promises."""
    kept = _kept(called)
    if kept:
        return kept["range"][0], kept["range"][1]
    return ask_range(State.of(called))


def ask_range(state: State) -> tuple[float, float]:
    """The same, of CoolProp."""
    from CoolProp.CoolProp import PropsSI

    known = state.substance
    if known.mixed or known.words == "humid":
        return known.low, known.high
    if state.pressure >= PropsSI("pcrit", known.words):  # there is no boiling any more
        return (
            (known.low, PropsSI("Tcrit", known.words))
            if known.phase == "liquid"
            else (PropsSI("Tcrit", known.words), known.high)
        )
    if state.pressure <= PropsSI("ptriple", known.words):
        return (known.low, known.low) if known.phase == "liquid" else (known.low, known.high)
    boils = float(PropsSI("T", "P", state.pressure, "Q", 0 if known.phase == "liquid" else 1, known.words))
    if known.phase == "liquid":
        return known.low, min(known.high, boils - BESIDE)
    return max(known.low, boils + BESIDE), known.high


def at(called: str, temperature: float) -> tuple[float, ...]:
    """Density in kg/m³, viscosity in Pa s, heat capacity in J/(kg K), conductivity in W/(m K) and expansion in 1/K at a
    temperature in K."""
    return kept_at(called, temperature) or ask(called, temperature)


def kept_at(called: str, temperature: float) -> tuple[float, ...] | None:
    """The same where it is kept, at 1 atm and whole degrees; None elsewhere."""
    degrees = round(temperature - CELSIUS)
    kept = _kept(called)
    known = kept["degrees"].get(str(degrees)) if kept and degrees + CELSIUS == temperature else None
    return tuple(known) if known else None


def ask(called: str, temperature: float) -> tuple[float, ...]:
    """The same, of CoolProp."""
    from CoolProp.CoolProp import PropsSI

    state = State.of(called)
    if state.name == "humid_air":
        return _humid(state, temperature)
    words, pressure = state.substance.words, state.pressure
    if state.substance.mixed:
        values = [float(PropsSI(word, "T", temperature, "P", pressure, words)) for word in WORDS[:4]]
        low, high = (float(PropsSI("D", "T", temperature + s, "P", pressure, words)) for s in (-STEP, STEP))
        return _rounded(state, (*values, (low - high) / (2 * STEP * values[0])))
    return _rounded(state, tuple(float(PropsSI(word, "T", temperature, "P", pressure, words)) for word in WORDS))


def _humid(state: State, temperature: float) -> tuple[float, ...]:
    from CoolProp.CoolProp import HAPropsSI

    def ask(word: str, at: float = temperature) -> float:
        return float(HAPropsSI(word, "T", at, "P", state.pressure, "W", state.moisture))

    volumes = [ask("Vha", temperature + s) for s in (-STEP, STEP)]
    return 1 / ask("Vha"), ask("mu"), ask("cp_ha"), ask("k"), (volumes[1] - volumes[0]) / (STEP * sum(volumes))


def moisture_of(temperature: float, pressure: float, humidity: float) -> float:
    """Kg of water for each kg of dry air at a relative humidity from 0 to 1."""
    from CoolProp.CoolProp import HAPropsSI

    return float(HAPropsSI("W", "T", temperature, "P", pressure, "R", humidity))


def half_humid(temperature: float, pressure: float) -> tuple[float, ...] | None:
    """Density, viscosity, heat capacity and conductivity of air at 50 %, as they are kept of whole degrees at 1 atm; None for another state."""
    degrees = round(temperature - CELSIUS)
    kept = (
        _read(MORE)["humid_air"]["half"].get(str(degrees))
        if pressure == ATMOSPHERE and degrees + CELSIUS == temperature
        else None
    )
    return tuple(kept) if kept else None


def _rounded(state: State, values: tuple[float, ...]) -> tuple[float, ...]:
    """To as many digits as are kept of it; all of them of what was known first."""
    return values if state.name in RANGES else tuple(float(f"{v:.9g}") for v in values)


@cache
def table(called: str) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Temperatures (n,) in K and there the density, viscosity, conductivity and heat capacity (n,) of a substance."""
    kept = _kept(called)
    known = kept["table"] if kept else ask_table(called)
    return temperatures(called), {name: np.array(known[name]) for name in ALONG}


def temperatures(called: str) -> np.ndarray:
    """Those (n,) in K of its table."""
    return np.linspace(*range_of(called), POINTS if called in RANGES else FEWER)


def ask_table(called: str) -> dict[str, list[float]]:
    """The table of CoolProp."""
    if called not in RANGES:
        order = ("density", "viscosity", "heat_capacity", "conductivity")
        rows = [ask(called, float(t)) for t in temperatures(called)]
        return {name: [row[k] for row in rows] for k, name in enumerate(order)}
    from CoolProp.CoolProp import PropsSI

    where = temperatures(called)
    words = SUBSTANCES[called].words
    return {name: np.asarray(PropsSI(w, "T", where, "P", ATMOSPHERE, words)).tolist() for name, w in ALONG.items()}
