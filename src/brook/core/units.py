"""Quantities with units: SI inside, any known unit at the edges.

A `Dimension` is a tuple of exponents of the SI base quantities; a `Quantity` is a value
in SI units with its dimension. Conversion factors come from pint; which symbols Brook
understands is listed here, so that a named value can never be mistaken for a unit.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import pint

BASE = ("[length]", "[mass]", "[time]", "[temperature]", "[current]", "[substance]", "[luminosity]")
BASE_SYMBOLS = ("m", "kg", "s", "K", "A", "mol", "cd")

# Symbol on screen -> pint's name. Everything not listed here is not a unit.
SYMBOLS = {
    "m": "m", "mm": "mm", "cm": "cm", "km": "km", "um": "um", "inch": "inch", "ft": "ft",
    "s": "s", "ms": "ms", "min": "min", "h": "hour", "day": "day",
    "kg": "kg", "g": "g", "mg": "mg",
    "N": "N", "kN": "kN", "mN": "mN", "uN": "uN",
    "Pa": "Pa", "mPa": "mPa", "kPa": "kPa", "MPa": "MPa", "bar": "bar", "mbar": "mbar",
    "K": "K", "degC": "degC", "W": "W", "kW": "kW", "mW": "mW", "J": "J", "kJ": "kJ",
    "L": "L", "mL": "mL", "rad": "rad", "deg": "deg", "Hz": "Hz", "rpm": "rpm",
    "A": "A", "V": "V", "ohm": "ohm", "mol": "mol", "%": "percent",
}  # fmt: skip
# No "t" for a tonne: in formulas `t` is the time.

_registry: Any = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


class UnitError(ValueError):
    """A unit that Brook does not know, or one that does not fit."""


@dataclass(frozen=True)
class Dimension:
    """Exponents of length, mass, time, temperature, current, amount and luminous intensity."""

    exponents: tuple[float, ...] = (0.0,) * 7

    def __mul__(self, other: Dimension) -> Dimension:
        return Dimension(tuple(a + b for a, b in zip(self.exponents, other.exponents, strict=True)))

    def __truediv__(self, other: Dimension) -> Dimension:
        return Dimension(tuple(a - b for a, b in zip(self.exponents, other.exponents, strict=True)))

    def __pow__(self, power: float) -> Dimension:
        return Dimension(tuple(a * power for a in self.exponents))

    @property
    def is_none(self) -> bool:
        return all(abs(e) < 1e-12 for e in self.exponents)

    def __str__(self) -> str:
        for name, known in DIMENSIONS.items():
            if known == self:
                return name.replace("_", " ")
        return self.unit()

    def unit(self) -> str:
        """The SI unit of this dimension, as text: `kg/m^3`."""
        if self.is_none:
            return "1"
        parts = [(s, e) for s, e in zip(BASE_SYMBOLS, self.exponents, strict=True) if abs(e) > 1e-12]
        over = [s if e == 1 else f"{s}^{e:g}" for s, e in parts if e > 0]
        under = [s if e == -1 else f"{s}^{-e:g}" for s, e in parts if e < 0]
        text = " ".join(over) or "1"
        return text + "".join(f"/{u}" for u in under)


NONE = Dimension()


@dataclass(frozen=True)
class Quantity:
    """A value in SI units (a float, or an array of them) with its dimension."""

    value: Any
    dimension: Dimension = NONE


@lru_cache(maxsize=4096)
def unit_factor(text: str) -> tuple[float, float, Dimension]:
    """Factor, offset and dimension of a unit such as `mm/s` or `kg/m^3` or `W/(m K)`.

    SI value = factor * value + offset. Raises `UnitError` for a symbol that is not known.
    """
    pint_text, word, inside = "", "", text.strip()
    for char in inside + "\0":
        if char.isalpha() or char == "%":
            word += char
            continue
        if word:
            if word not in SYMBOLS:
                raise UnitError(f"'{word}' is not a unit")
            pint_text += SYMBOLS[word]
            word = ""
        pint_text += {" ": "*", "^": "**", "\0": ""}.get(char, char)
    if not pint_text:
        return 1.0, 0.0, NONE
    if "//" in inside:
        raise UnitError(f"'{text}' is not a unit")
    try:
        unit = _registry.Unit(pint_text)
    except Exception as error:  # pint raises many kinds
        raise UnitError(f"'{text}' is not a unit") from error
    exponents = tuple(float(unit.dimensionality.get(b, 0)) for b in BASE)
    if SYMBOLS.get(inside) == "degC":
        return 1.0, 273.15, Dimension(exponents)
    pint_text = pint_text.replace("degC", "K")
    factor = _registry.Quantity(1.0, _registry.Unit(pint_text)).to_base_units().magnitude
    return float(factor), 0.0, Dimension(exponents)


def dimension_of(unit: str) -> Dimension:
    """The dimension of a unit given as text."""
    return unit_factor(unit)[2]


def to_si(value: float, unit: str) -> Quantity:
    factor, offset, dimension = unit_factor(unit)
    return Quantity(factor * value + offset, dimension)


def from_si(value: float, unit: str) -> float:
    factor, offset, _ = unit_factor(unit)
    return (value - offset) / factor


DIMENSIONS = {
    "number": NONE,
    "angle": NONE,
    "length": dimension_of("m"),
    "area": dimension_of("m^2"),
    "volume": dimension_of("m^3"),
    "time": dimension_of("s"),
    "speed": dimension_of("m/s"),
    "pressure": dimension_of("Pa"),
    "volume_flow": dimension_of("m^3/s"),
    "temperature": dimension_of("K"),
    "density": dimension_of("kg/m^3"),
    "dynamic_viscosity": dimension_of("Pa s"),
    "kinematic_viscosity": dimension_of("m^2/s"),
    "acceleration": dimension_of("m/s^2"),
    "force": dimension_of("N"),
    "power": dimension_of("W"),
    "heat_flux": dimension_of("W/m^2"),
    "film_coefficient": dimension_of("W/(m^2 K)"),
    "thermal_resistance": dimension_of("m^2 K/W"),
    "heat_capacity": dimension_of("J/(kg K)"),
    "conductivity": dimension_of("W/(m K)"),
    "expansion": dimension_of("1/K"),
    "rate": dimension_of("1/s"),
    "molar_mass": dimension_of("kg/mol"),
}

EXAMPLES = {
    "number": "1.2", "angle": "90 deg", "length": "25 mm", "area": "4 cm^2", "volume": "2 L", "time": "3 s",
    "speed": "8 mm/s", "pressure": "0 Pa", "volume_flow": "2 L/min", "temperature": "10 degC",
    "density": "1000 kg/m^3", "dynamic_viscosity": "1.3 mPa s", "kinematic_viscosity": "1.3e-6 m^2/s",
    "acceleration": "-9.81 m/s^2", "force": "2 N", "power": "5 W", "heat_flux": "1 kW/m^2", "film_coefficient": "10 W/(m^2 K)",
    "thermal_resistance": "1e-4 m^2 K/W", "heat_capacity": "4.2 kJ/(kg K)", "conductivity": "0.6 W/(m K)",
    "expansion": "2e-4 K^-1", "rate": "1 s^-1", "molar_mass": "28.96 g/mol",
}  # fmt: skip

# Units offered for showing a dimension, small to large.
LADDERS = {
    DIMENSIONS["length"]: ("um", "mm", "m", "km"),
    DIMENSIONS["area"]: ("mm^2", "cm^2", "m^2"),
    DIMENSIONS["volume"]: ("mm^3", "mL", "L", "m^3"),
    DIMENSIONS["speed"]: ("um/s", "mm/s", "m/s"),
    DIMENSIONS["pressure"]: ("mPa", "Pa", "kPa", "MPa"),
    DIMENSIONS["volume_flow"]: ("mL/s", "L/s", "m^3/s"),
    DIMENSIONS["temperature"]: ("degC",),
    DIMENSIONS["power"]: ("mW", "W", "kW"),
    DIMENSIONS["heat_flux"]: ("W/m^2", "kW/m^2"),
    DIMENSIONS["film_coefficient"]: ("W/(m^2 K)",),
    DIMENSIONS["heat_capacity"]: ("J/(kg K)", "kJ/(kg K)"),
    DIMENSIONS["conductivity"]: ("W/(m K)",),
    DIMENSIONS["thermal_resistance"]: ("m^2 K/W",),
    DIMENSIONS["time"]: ("ms", "s"),
    DIMENSIONS["force"]: ("uN", "mN", "N", "kN"),
    DIMENSIONS["rate"]: ("1/s",),
}


def sensible_unit(dimension: Dimension, magnitude: float) -> str:
    """The unit in which a value of this size reads best (0.008 m/s -> mm/s)."""
    ladder = LADDERS.get(dimension)
    if ladder is None:
        return "" if dimension.is_none else dimension.unit()
    size = abs(magnitude)
    if not math.isfinite(size) or size == 0:
        return ladder[min(1, len(ladder) - 1)]
    chosen = ladder[0]
    for unit in ladder:
        if size >= 0.9999 * unit_factor(unit)[0]:
            chosen = unit
    return chosen


def even_unit(unit: str) -> str:
    """The unit for what may be a difference: kelvin in place of degrees that begin elsewhere."""
    return "K" if unit and unit_factor(unit)[1] else unit


def scale_of(unit: str) -> tuple[float, float]:
    """Factor and shift that make a value of SI one of this unit: value * factor + shift."""
    factor, offset, _ = unit_factor(unit)
    return 1 / factor, -offset / factor


def round_text(value: float, digits: int = 3) -> str:
    """`value` rounded to so many significant digits, without an exponent where it can be read."""
    if not math.isfinite(value):
        return "not finite"
    if value == 0:
        return "0"
    size = math.floor(math.log10(abs(value)))
    if size < -4 or size > 6:
        return f"{value:.{digits - 1}e}"
    text = f"{round(value, digits - 1 - size):.{max(0, digits - 1 - size)}f}"
    return text


def show(value: float, dimension: Dimension, unit: str | None = None, digits: int = 3, given: bool = False) -> str:
    """A value as a person reads it: rounded, with its unit.

    A `given` value was typed, not computed: it keeps five digits and no empty decimals.
    """
    unit = sensible_unit(dimension, value) if unit is None else unit
    number = from_si(value, unit) if unit else value
    text = round_text(number, 5 if given else digits)
    if given and "." in text and "e" not in text:
        text = text.rstrip("0").rstrip(".")
    text = text.replace("-", "−")
    pretty = unit.replace("degC", "°C").replace("^2", "²").replace("^3", "³")
    pretty = re.sub(r"\bu(?=[mN])", "µ", pretty)
    return f"{text} {pretty}".strip()


def counted(number: float) -> str:
    """A whole number with narrow spaces between thousands."""
    return f"{number:,.0f}".replace(",", "\u202f")
