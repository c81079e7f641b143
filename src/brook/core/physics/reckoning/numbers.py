"""Dimensionless numbers, with the regime that they suggest."""

from __future__ import annotations

from math import pi

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

LAMINAR, TURBULENT = 2300.0, 4000.0
STIRRED = 1e9  # Rayleigh number from which a layer on an upright wall is turbulent
SLOW = 0.3  # Mach number
QUIET, PLUG = 1.0, 10.0  # Womersley numbers


def _reynolds(v: dict[str, float]) -> list[Result]:
    found = v["density"] * v["speed"] * v["width"] / v["viscosity"]
    words = "laminar in a duct" if found < LAMINAR else "between laminar and turbulent" if found < TURBULENT else "turbulent in a duct"  # fmt: skip
    return [Result("Re", found, words=words)]


def _mach(v: dict[str, float]) -> list[Result]:
    found = v["speed"] / v["sound"]
    words = "the density hardly feels the speed" if found < SLOW else "the density changes with the speed, which is not computed here"  # fmt: skip
    return [Result("Ma", found, words=words)]


def _rayleigh(v: dict[str, float]) -> list[Result]:
    nu = v["viscosity"] / v["density"]
    prandtl = v["viscosity"] * v["capacity"] / v["conductivity"]
    grashof = v["gravity"] * v["expansion"] * v["step"] * v["height"] ** 3 / nu**2
    rayleigh = grashof * prandtl
    words = "laminar convection at an upright wall" if rayleigh < STIRRED else "turbulent convection at an upright wall"
    speed = (v["gravity"] * v["expansion"] * v["step"] * v["height"]) ** 0.5
    return [
        Result("Gr", grashof),
        Result("Ra", rayleigh, words=words),
        Result("Pr", prandtl),
        Result("speed it may reach", speed, "speed", "√(g β ΔT H)", "rising_speed"),
    ]


def _peclet(v: dict[str, float]) -> list[Result]:
    found = v["density"] * v["capacity"] * v["speed"] * v["width"] / v["conductivity"]
    words = "conduction along the stream counts" if found < 10 else "heat is carried far more than conducted along"
    return [Result("Pe", found, words=words)]


def _womersley(v: dict[str, float]) -> list[Result]:
    found = v["width"] / 2 * (2 * pi * v["frequency"] * v["density"] / v["viscosity"]) ** 0.5
    words = (
        "the profile follows as if each moment were steady"
        if found < QUIET
        else "the core swings as a plug, late after the pressure"
        if found > PLUG
        else "the profile lags behind the pressure"
    )
    layer = (v["viscosity"] / (v["density"] * pi * v["frequency"])) ** 0.5
    return [Result("Wo", found, words=words), Result("layer that friction reaches", layer, "length", "√(ν/(π f))", "swinging_layer")]  # fmt: skip


GRAVITY = positive("gravity", "gravity", "acceleration", "9.81 m/s^2")
NUMBERS = (
    Calculator("reynolds", "Reynolds number", (DENSITY, VISCOSITY, SPEED, WIDTH), "Re = ρ U D/μ", "Reynolds 1883; ducts: White, Fluid Mechanics, ch. 6", _reynolds),
    Calculator("mach", "Mach number", (SPEED, positive("sound", "speed of sound", "speed", "343 m/s", "sound")), "Ma = U/a", "White, Fluid Mechanics, ch. 9", _mach),
    Calculator(
        "rayleigh", "Grashof and Rayleigh numbers",
        (DENSITY, VISCOSITY, CAPACITY, CONDUCTIVITY, positive("expansion", "expansion", "expansion", "2.1e-4 K^-1", "expansion"),
         STEP, positive("height", "height", "length", "0.2 m"), GRAVITY),
        "Gr = g β ΔT H³/ν², Ra = Gr Pr", "Incropera & DeWitt, Heat and Mass Transfer, ch. 9", _rayleigh,
    ),
    Calculator("peclet", "Péclet number", (DENSITY, CAPACITY, CONDUCTIVITY, SPEED, WIDTH), "Pe = ρ c U D/k", "Incropera & DeWitt, ch. 6", _peclet),
    Calculator("womersley", "Womersley number", (DENSITY, VISCOSITY, WIDTH, positive("frequency", "frequency", "rate", "1 Hz")), "Wo = D/2 √(2π f/ν)", "Womersley 1955", _womersley),
)  # fmt: skip
