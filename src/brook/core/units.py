"""Quantities with units: SI inside, any known unit at the edges.

A `Dimension` is a tuple of exponents of the SI base quantities; a `Quantity` is a value
in SI units with its dimension. Which symbols Brook understands is listed here, so that
a named value can never be mistaken for a unit; a test holds their factors to Pint's.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

BASE_SYMBOLS = ("m", "kg", "s", "K", "A", "mol", "cd")

DEPTH = 20  # of brackets within brackets

# Symbol on screen: how many SI units it is, and exponents of length, mass, time, temperature, current, amount. Everything not
# listed here is not a unit. The last digits of ft and L are those that keys of kept results were made with.
SYMBOLS: dict[str, tuple[float, tuple[int, ...]]] = {
    "m": (1.0, (1,)), "mm": (1e-3, (1,)), "cm": (1e-2, (1,)), "km": (1e3, (1,)), "um": (1e-6, (1,)),
    "inch": (0.0254, (1,)), "ft": (12 * 0.0254, (1,)),
    "s": (1.0, (0, 0, 1)), "ms": (1e-3, (0, 0, 1)), "min": (60.0, (0, 0, 1)), "h": (3600.0, (0, 0, 1)), "day": (86400.0, (0, 0, 1)),
    "kg": (1.0, (0, 1)), "g": (1e-3, (0, 1)), "mg": (1e-6, (0, 1)),
    "N": (1.0, (1, 1, -2)), "kN": (1e3, (1, 1, -2)), "mN": (1e-3, (1, 1, -2)), "uN": (1e-6, (1, 1, -2)), "kgf": (9.80665, (1, 1, -2)), "lbf": (4.4482216152605, (1, 1, -2)),
    "Pa": (1.0, (-1, 1, -2)), "mPa": (1e-3, (-1, 1, -2)), "kPa": (1e3, (-1, 1, -2)), "MPa": (1e6, (-1, 1, -2)),
    "bar": (1e5, (-1, 1, -2)), "mbar": (1e2, (-1, 1, -2)),
    "K": (1.0, (0, 0, 0, 1)), "degC": (1.0, (0, 0, 0, 1)),
    "W": (1.0, (2, 1, -3)), "kW": (1e3, (2, 1, -3)), "mW": (1e-3, (2, 1, -3)), "J": (1.0, (2, 1, -2)), "kJ": (1e3, (2, 1, -2)),
    "L": (0.1**3, (3,)), "mL": (1e-3 * 0.1**3, (3,)),
    "rad": (1.0, ()), "deg": (math.pi / 180, ()), "Hz": (1.0, (0, 0, -1)), "rpm": (math.pi / 30, (0, 0, -1)),
    "A": (1.0, (0, 0, 0, 0, 1)), "V": (1.0, (2, 1, -3, 0, -1)), "ohm": (1.0, (2, 1, -3, 0, -2)),
    "mol": (1.0, (0, 0, 0, 0, 0, 1)), "%": (1e-2, ()),
}  # fmt: skip
# No "t" for a tonne: in formulas `t` is the time.
CELSIUS = 273.15
TOKEN = re.compile(r"\s*(?:(?P<number>\d+(?:\.\d+)?)|(?P<word>[^\W\d_]+|%)|(?P<sign>\*\*|[*/^()+-]))")


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
        """Whether it is that of a pure number."""
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
    inside = text.strip()
    if not inside:
        return 1.0, 0.0, NONE
    tokens, at = [], 0
    while at < len(inside):
        found = TOKEN.match(inside, at)
        if found is None:
            raise UnitError(f"'{text}' is not a unit")
        if found["word"] and found["word"] not in SYMBOLS:
            raise UnitError(f"'{found['word']}' is not a unit")
        tokens.append(found[0].strip())
        at = found.end()
    reading = _Reading(text, tokens)
    factor, exponents = reading.product()
    if reading.next:
        raise UnitError(f"'{text}' is not a unit")
    return factor, CELSIUS if inside == "degC" else 0.0, Dimension(exponents)


class _Reading:
    """Reads a unit: `product = power (['*' | '/'] power)*`, `power = atom ['^' number]`, from left to right."""

    def __init__(self, text: str, tokens: list[str]) -> None:
        self._text, self._tokens, self._at, self._depth = text, tokens, 0, 0

    @property
    def next(self) -> str:
        return self._tokens[self._at] if self._at < len(self._tokens) else ""

    def _take(self) -> str:
        token = self.next
        self._at += 1
        return token

    def product(self) -> tuple[float, tuple[float, ...]]:
        factor, exponents = self._power()
        while self.next and self.next != ")":
            under = self.next == "/"
            if self.next in ("*", "/"):
                self._take()
            by, more = self._power()
            factor = factor / by if under else factor * by
            exponents = tuple(a - b if under else a + b for a, b in zip(exponents, more, strict=True))
        return factor, exponents

    def _power(self) -> tuple[float, tuple[float, ...]]:
        factor, exponents = self._atom()
        if self.next in ("^", "**"):
            self._take()
            sign = self._take() if self.next in ("+", "-") else ""
            digits = self._take()
            if not digits[:1].isdigit():
                raise UnitError(f"'{self._text}' is not a unit")
            power = float(sign + digits)
            try:
                factor, exponents = factor**power, tuple(e * power for e in exponents)
            except OverflowError:
                factor = math.inf
            if not 0.0 < factor < math.inf:
                raise UnitError(f"'{self._text}' is not a unit")
        return factor, exponents

    def _atom(self) -> tuple[float, tuple[float, ...]]:
        token = self._take()
        if token in SYMBOLS:
            factor, exponents = SYMBOLS[token]
            return factor, tuple(float(e) for e in (*exponents, *(0,) * (len(BASE_SYMBOLS) - len(exponents))))
        if token == "(" and self._depth < DEPTH:
            self._depth += 1
            inside = self.product()
            self._depth -= 1
            if self._take() == ")":
                return inside
        elif token.isdigit() and int(token) == 1:
            return 1.0, (0.0,) * len(BASE_SYMBOLS)
        raise UnitError(f"'{self._text}' is not a unit")


def dimension_of(unit: str) -> Dimension:
    """The dimension of a unit given as text."""
    return unit_factor(unit)[2]


def to_si(value: float, unit: str) -> Quantity:
    """A value in a unit as a quantity. Raises `UnitError`."""
    factor, offset, dimension = unit_factor(unit)
    return Quantity(factor * value + offset, dimension)


def from_si(value: float, unit: str) -> float:
    """A value in SI units in another unit. Raises `UnitError`."""
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
    "mass_flow": dimension_of("kg/s"),
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
    "per_length": dimension_of("1/m"),
}

EXAMPLES = {
    "number": "1.2", "angle": "90 deg", "length": "25 mm", "area": "4 cm^2", "volume": "2 L", "time": "3 s",
    "speed": "8 mm/s", "pressure": "0 Pa", "volume_flow": "2 L/min", "mass_flow": "2 g/s", "temperature": "10 degC",
    "density": "1000 kg/m^3", "dynamic_viscosity": "1.3 mPa s", "kinematic_viscosity": "1.3e-6 m^2/s",
    "acceleration": "-9.81 m/s^2", "force": "2 N", "power": "5 W", "heat_flux": "1 kW/m^2", "film_coefficient": "10 W/(m^2 K)",
    "thermal_resistance": "1e-4 m^2 K/W", "heat_capacity": "4.2 kJ/(kg K)", "conductivity": "0.6 W/(m K)",
    "expansion": "2e-4 K^-1", "rate": "1 s^-1", "molar_mass": "28.96 g/mol", "per_length": "100 1/m",
}  # fmt: skip

# Units offered for showing a dimension, small to large.
LADDERS = {
    DIMENSIONS["length"]: ("um", "mm", "m", "km"),
    DIMENSIONS["area"]: ("mm^2", "cm^2", "m^2"),
    DIMENSIONS["volume"]: ("mm^3", "mL", "L", "m^3"),
    DIMENSIONS["speed"]: ("um/h", "um/s", "mm/s", "m/s"),
    DIMENSIONS["pressure"]: ("mPa", "Pa", "kPa", "MPa"),
    DIMENSIONS["volume_flow"]: ("mL/s", "L/s", "m^3/s"),
    DIMENSIONS["mass_flow"]: ("mg/s", "g/s", "kg/s"),
    DIMENSIONS["temperature"]: ("degC",),
    DIMENSIONS["density"]: ("mg/m^3", "g/m^3", "kg/m^3"),
    DIMENSIONS["power"]: ("mW", "W", "kW"),
    DIMENSIONS["heat_flux"]: ("W/m^2", "kW/m^2"),
    DIMENSIONS["film_coefficient"]: ("W/(m^2 K)",),
    DIMENSIONS["heat_capacity"]: ("J/(kg K)", "kJ/(kg K)"),
    DIMENSIONS["conductivity"]: ("W/(m K)",),
    DIMENSIONS["thermal_resistance"]: ("m^2 K/W",),
    DIMENSIONS["time"]: ("ms", "s"),
    DIMENSIONS["force"]: ("uN", "mN", "N", "kN"),
    DIMENSIONS["rate"]: ("1/s",),
    dimension_of("kg/(m^2 s)"): ("mg/(m^2 s)", "g/(m^2 s)", "kg/(m^2 s)"),
    dimension_of("W/m^3"): ("W/m^3", "kW/m^3"),
    dimension_of("Pa/m"): ("Pa/m", "kPa/m"),
}
OF_NOTHING = {DIMENSIONS["speed"]: "mm/s"}  # in which nothing is shown, where it is not the second


def sensible_unit(dimension: Dimension, magnitude: float) -> str:
    """The unit in which a value of this size reads best (0.008 m/s -> mm/s)."""
    ladder = LADDERS.get(dimension)
    if ladder is None:
        return "" if dimension.is_none else dimension.unit()
    size = abs(magnitude)
    if not math.isfinite(size) or size == 0:
        return OF_NOTHING.get(dimension, ladder[min(1, len(ladder) - 1)])
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


RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def powered(value: float, digits: int = 3) -> str:
    """`value` rounded, with a power of ten where it is large or small: 7.16·10⁵."""
    if value == 0 or 1e-3 <= abs(value) < 1e5:
        return round_text(value, digits)
    power = math.floor(math.log10(abs(value)) + 1e-12)
    return f"{round_text(value / 10**power, digits)}·10{str(power).translate(RAISED)}"


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
    return f"{text} {pretty_unit(unit)}".strip()


def pretty_unit(unit: str) -> str:
    """A unit as it is read."""
    pretty = unit.replace("degC", "°C").replace("^2", "²").replace("^3", "³")
    return re.sub(r"\bu(?=[mN])", "µ", pretty)


def counted(number: float) -> str:
    """A whole number with narrow spaces between thousands."""
    return f"{number:,.0f}".replace(",", "\u202f")
