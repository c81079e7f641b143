"""Film coefficients from correlations."""

from __future__ import annotations

from math import log10

from brook.core.physics.reckoning.calculator import (
    CAPACITY,
    CONDUCTIVITY,
    DENSITY,
    SPEED,
    STEP,
    VISCOSITY,
    WIDTH,
    Calculator,
    Result,
    positive,
)
from brook.core.physics.reckoning.heights import PLATE
from brook.core.physics.reckoning.numbers import GRAVITY, LAMINAR
from brook.core.units import powered


def _found(v: dict[str, float], nusselt: float, length: float, words: str) -> list[Result]:
    return [
        Result("film coefficient", nusselt * v["conductivity"] / length, "film_coefficient", words, "film"),
        Result("Nu", nusselt),
    ]


def _prandtl(v: dict[str, float]) -> float:
    return v["viscosity"] * v["capacity"] / v["conductivity"]


def _pipe(v: dict[str, float]) -> list[Result]:
    reynolds, prandtl = v["density"] * v["speed"] * v["width"] / v["viscosity"], _prandtl(v)
    if reynolds < LAMINAR:
        return _found(v, 3.66, v["width"], f"laminar, developed, walls all as warm; Re = {powered(reynolds)}")
    factor = (1.82 * log10(reynolds) - 1.64) ** -2 / 8
    nusselt = factor * (reynolds - 1000) * prandtl / (1 + 12.7 * factor**0.5 * (prandtl ** (2 / 3) - 1))
    return _found(v, nusselt, v["width"], f"turbulent; Re = {powered(reynolds)}")


def _plate(v: dict[str, float]) -> list[Result]:
    reynolds, prandtl = v["density"] * v["speed"] * v["long"] / v["viscosity"], _prandtl(v)
    if reynolds < PLATE:
        return _found(v, 0.664 * reynolds**0.5 * prandtl ** (1 / 3), v["long"], f"laminar; Re = {powered(reynolds)}")
    return _found(v, (0.037 * reynolds**0.8 - 871) * prandtl ** (1 / 3), v["long"], f"turbulent behind Re = {PLATE:g}; Re = {powered(reynolds)}")  # fmt: skip


def _upright(v: dict[str, float]) -> list[Result]:
    nu, prandtl = v["viscosity"] / v["density"], _prandtl(v)
    rayleigh = v["gravity"] * v["expansion"] * v["step"] * v["height"] ** 3 / nu**2 * prandtl
    nusselt = (0.825 + 0.387 * rayleigh ** (1 / 6) / (1 + (0.492 / prandtl) ** (9 / 16)) ** (8 / 27)) ** 2
    return _found(v, nusselt, v["height"], f"Ra = {powered(rayleigh)}")


def _rod(v: dict[str, float]) -> list[Result]:
    reynolds, prandtl = v["density"] * v["speed"] * v["width"] / v["viscosity"], _prandtl(v)
    if reynolds * prandtl < 0.2:
        raise ValueError("this holds for Re Pr over 0.2 only")
    nusselt = 0.3 + 0.62 * reynolds**0.5 * prandtl ** (1 / 3) / (1 + (0.4 / prandtl) ** (2 / 3)) ** 0.25 * (
        1 + (reynolds / 282000) ** (5 / 8)
    ) ** (4 / 5)
    return _found(v, nusselt, v["width"], f"Re = {powered(reynolds)}")


FLUID = (DENSITY, VISCOSITY, CAPACITY, CONDUCTIVITY)
EXPANSION = positive("expansion", "expansion", "expansion", "2.1e-4 K^-1", "expansion")
LONG = positive("long", "length of the wall", "length", "0.5 m")
ROD = positive("width", "diameter of the rod", "length", "20 mm")
FILMS = (
    Calculator("film_pipe", "Film in a pipe", (*FLUID, SPEED, WIDTH), "Nu = 3.66 laminar; Nu = f/8 (Re − 1000) Pr/(1 + 12.7 √(f/8) (Pr^(2/3) − 1)) turbulent", "Shah & London 1978; Gnielinski 1976", _pipe),
    Calculator("film_plate", "Film on a plate in a stream", (*FLUID, SPEED, LONG), "Nu = 0.664 Re^(1/2) Pr^(1/3) laminar, (0.037 Re^(4/5) − 871) Pr^(1/3) turbulent", "Incropera & DeWitt, ch. 7", _plate),
    Calculator(
        "film_upright", "Film at an upright wall, by buoyancy",
        (*FLUID, EXPANSION, STEP, positive("height", "height", "length", "0.2 m"), GRAVITY),
        "Nu = (0.825 + 0.387 Ra^(1/6)/(1 + (0.492/Pr)^(9/16))^(8/27))²", "Churchill & Chu 1975", _upright,
    ),
    Calculator("film_rod", "Film on a rod across a stream", (*FLUID, SPEED, ROD), "Nu = 0.3 + 0.62 Re^(1/2) Pr^(1/3)/(1 + (0.4/Pr)^(2/3))^(1/4) (1 + (Re/282000)^(5/8))^(4/5)", "Churchill & Bernstein 1977", _rod),
)  # fmt: skip
