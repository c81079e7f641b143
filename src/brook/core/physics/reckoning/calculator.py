"""What a calculator is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from brook.core.study import Value


@dataclass(frozen=True)
class Input:
    """A value that is asked for, with what stands there when nothing else is known; `of` says what of a study it is: a property of its fluid, its
    `speed` or its `width`; a `difference` of temperatures has no unit that begins elsewhere than at nothing."""

    name: str
    title: str
    value: Value
    usual: str
    of: str = ""
    difference: bool = False


@dataclass(frozen=True)
class Result:
    """A value in SI units of a dimension, and what it means in words."""

    title: str
    value: float
    dimension: str = "number"
    words: str = ""
    name: str = ""  # as a named value


@dataclass(frozen=True)
class Calculator:
    """`formula` and `source` are told with what `reckon` finds; it raises `ValueError` where the formula does not hold."""

    name: str
    title: str
    inputs: tuple[Input, ...]
    formula: str
    source: str
    reckon: Callable[[dict[str, float]], list[Result]]


def positive(name: str, title: str, dimension: str, usual: str, of: str = "") -> Input:
    """One that has to be more than nothing."""
    return Input(name, title, Value(dimension, "positive"), usual, of)


DENSITY = positive("density", "density", "density", "998 kg/m^3", "density")
VISCOSITY = positive("viscosity", "viscosity", "dynamic_viscosity", "1 mPa s", "viscosity")
STEP = Input("step", "step of temperature", Value("temperature", "positive"), "10 K", difference=True)
SPEED = positive("speed", "speed", "speed", "0.1 m/s", "speed")
WIDTH = positive("width", "diameter or width", "length", "50 mm", "width")
CAPACITY = positive("capacity", "heat capacity", "heat_capacity", "4.18 kJ/(kg K)", "heat_capacity")
CONDUCTIVITY = positive("conductivity", "conductivity", "conductivity", "0.6 W/(m K)", "conductivity")
