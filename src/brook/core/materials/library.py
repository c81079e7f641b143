"""Properties of water and air at 1 atm, from CoolProp.

Loading CoolProp takes seconds, in every process. So what it says at whole degrees and along the table of each substance
stands in `library.json`, digit by digit, made by `scripts/fluids.py`; it is loaded only for temperatures between.
"""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

KEPT = Path(__file__).parent / "library.json"
ATMOSPHERE = 101_325.0
CELSIUS = 273.15
# Temperatures in K between which the substance is the liquid or gas its name promises, at 1 atm.
RANGES = {"water": (273.16, 373.0), "air": (200.0, 1500.0)}
# CoolProp's words for density, dynamic viscosity, heat capacity, conductivity and expansion.
WORDS = ("D", "V", "C", "L", "ISOBARIC_EXPANSION_COEFFICIENT")
ALONG = {"density": "D", "viscosity": "V", "conductivity": "L", "heat_capacity": "C"}
POINTS = 401


@cache
def _kept() -> dict[str, Any]:
    return json.loads(KEPT.read_text())


def at(substance: str, temperature: float) -> tuple[float, ...]:
    """Density in kg/m³, viscosity in Pa s, heat capacity in J/(kg K), conductivity in W/(m K) and expansion in 1/K at a
    temperature in K."""
    degrees = round(temperature - CELSIUS)
    kept = _kept()["degrees"][substance].get(str(degrees)) if degrees + CELSIUS == temperature else None
    return tuple(kept) if kept else ask(substance, temperature)


def ask(substance: str, temperature: float) -> tuple[float, ...]:
    """The same, of CoolProp."""
    from CoolProp.CoolProp import PropsSI

    return tuple(float(PropsSI(word, "T", temperature, "P", ATMOSPHERE, substance)) for word in WORDS)


@cache
def table(substance: str) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Temperatures (n,) in K and there the density, viscosity, conductivity and heat capacity (n,) of a substance."""
    kept = _kept()["table"][substance]
    return temperatures(substance), {name: np.array(kept[name]) for name in ALONG}


def temperatures(substance: str) -> np.ndarray:
    """Those (n,) in K of its table."""
    return np.linspace(*RANGES[substance], POINTS)


def ask_table(substance: str) -> dict[str, list[float]]:
    """The table of CoolProp."""
    from CoolProp.CoolProp import PropsSI

    where = temperatures(substance)
    return {name: np.asarray(PropsSI(w, "T", where, "P", ATMOSPHERE, substance)).tolist() for name, w in ALONG.items()}
