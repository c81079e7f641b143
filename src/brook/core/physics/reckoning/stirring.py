"""Turbulence: what comes in, and how fine it gets."""

from __future__ import annotations

from brook.core.physics.reckoning.calculator import DENSITY, SPEED, VISCOSITY, WIDTH, Calculator, Result, positive

C_MU = 0.09
OF_WIDTH = 0.07  # of a duct: the length of its eddies


def _incoming(v: dict[str, float]) -> list[Result]:
    length = OF_WIDTH * v["width"]
    energy = 1.5 * (v["intensity"] * v["speed"]) ** 2
    rate = C_MU**0.75 * energy**1.5 / length
    omega = energy**0.5 / (C_MU**0.25 * length)
    ratio = energy / omega * v["density"] / v["viscosity"]
    duct = 0.16 * (v["density"] * v["speed"] * v["width"] / v["viscosity"]) ** (-1 / 8)
    return [
        Result("length of eddies", length, "length", "0.07 D", "eddy_length"),
        Result("k in m²/s²", energy),
        Result("ε in m²/s³", rate),
        Result("ω", omega, "rate"),
        Result("viscosity of eddies over the fluid's", ratio),
        Result("intensity of developed flow", duct, words="0.16 Re^(−1/8)"),
    ]


def _smallest(v: dict[str, float]) -> list[Result]:
    nu = v["viscosity"] / v["density"]
    swing, length = v["intensity"] * v["speed"], OF_WIDTH * v["width"]
    rate = swing**3 / length
    return [
        Result("smallest eddies", (nu**3 / rate) ** 0.25, "length", "Kolmogorov", "smallest_eddies"),
        Result("their time", (nu / rate) ** 0.5, "time"),
        Result("eddies that carry the energy", length, "length"),
    ]


INTENSITY = positive("intensity", "turbulence intensity", "number", "5 %")
STIRRING = (
    Calculator(
        "incoming", "Turbulence of what comes in", (DENSITY, VISCOSITY, SPEED, WIDTH, INTENSITY),
        "k = 1.5 (I U)², ε = C_μ^(3/4) k^(3/2)/l, ω = √k/(C_μ^(1/4) l)", "Launder & Spalding 1974; Wilcox, Turbulence Modeling for CFD", _incoming,
    ),
    Calculator(
        "smallest", "Smallest eddies", (DENSITY, VISCOSITY, SPEED, WIDTH, INTENSITY), "η = (ν³/ε)^(1/4), ε = (I U)³/l", "Kolmogorov 1941; Pope, Turbulent Flows, ch. 6", _smallest,
    ),
)  # fmt: skip
