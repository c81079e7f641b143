"""Pipes: how much a run of pipe takes, where a flow is developed, how wide a duct is."""

from __future__ import annotations

from math import log10

from brook.core.physics.reckoning.calculator import (
    DENSITY,
    SPEED,
    VISCOSITY,
    WIDTH,
    Calculator,
    Input,
    Result,
    positive,
)
from brook.core.physics.reckoning.numbers import LAMINAR
from brook.core.study import Value
from brook.core.units import powered

BEND, TEE, ENTRY, EXIT = 0.3, 1.0, 0.5, 1.0  # of the dynamic pressure: White, Fluid Mechanics, table 6.5


def friction(reynolds: float, rough: float) -> float:
    """Darcy's friction factor: 64/Re, and Haaland (1983, J. Fluids Eng. 105) with the height of grains over the diameter."""
    if reynolds < LAMINAR:
        return 64 / reynolds
    return float((-1.8 * log10(6.9 / reynolds + (rough / 3.7) ** 1.11)) ** -2)


def _pipe(v: dict[str, float]) -> list[Result]:
    reynolds = v["density"] * v["speed"] * v["width"] / v["viscosity"]
    factor = friction(reynolds, v["rough"] / v["width"])
    fittings = BEND * v["bends"] + TEE * v["tees"] + ENTRY * v["entries"] + EXIT * v["exits"]
    dynamic = v["density"] * v["speed"] ** 2 / 2
    along = factor * v["length"] / v["width"]
    return [
        Result("friction factor", factor, words=f"Re = {powered(reynolds)}"),
        Result("by friction", along * dynamic, "pressure"),
        Result("by fittings", fittings * dynamic, "pressure", f"Σζ = {fittings:g}"),
        Result("in all", (along + fittings) * dynamic, "pressure", name="loss"),
        Result("as a loss ζ of ρ U²/2", along + fittings, name="loss_number"),
    ]


def _development(v: dict[str, float]) -> list[Result]:
    reynolds = v["density"] * v["speed"] * v["width"] / v["viscosity"]
    laminar = reynolds < LAMINAR
    length = (0.06 * reynolds if laminar else 4.4 * reynolds ** (1 / 6)) * v["width"]
    return [Result("until it is developed", length, "length", f"{'laminar' if laminar else 'turbulent'}, Re = {powered(reynolds)}", "development")]  # fmt: skip


def _hydraulic(v: dict[str, float]) -> list[Result]:
    return [Result("hydraulic diameter", 4 * v["area"] / v["rim"], "length", name="hydraulic_diameter")]


def _count(name: str, title: str, usual: str) -> Input:
    return Input(name, title, Value("number", "not_negative"), usual)


LOSSES = (
    Calculator(
        "hydraulic", "Hydraulic diameter", (positive("area", "area", "area", "25 cm^2", "area"), positive("rim", "wetted rim", "length", "200 mm", "rim")),
        "D = 4 A/P", "White, Fluid Mechanics, ch. 6", _hydraulic,
    ),
    Calculator(
        "development", "Development length", (DENSITY, VISCOSITY, SPEED, WIDTH), "L = 0.06 Re D laminar, 4.4 Re^(1/6) D turbulent", "White, Fluid Mechanics, ch. 6", _development,
    ),
    Calculator(
        "pipe", "Loss of a run of pipe",
        (DENSITY, VISCOSITY, SPEED, WIDTH, positive("length", "length", "length", "10 m"), Input("rough", "height of grains", Value("length", "not_negative"), "0.05 mm"),
         _count("bends", "bends of 90°", "2"), _count("tees", "tees", "0"), _count("entries", "sharp entries", "1"), _count("exits", "exits", "1")),
        "Δp = (f L/D + Σζ) ρ U²/2", f"f: Haaland 1983; ζ of bends {BEND:g}, tees {TEE:g}, entries {ENTRY:g}, exits {EXIT:g}: White, table 6.5", _pipe,
    ),
)  # fmt: skip
