"""The liquids and gases of the library, by name: what CoolProp calls each, and between which temperatures it is told."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Phase = Literal["liquid", "gas"]


@dataclass(frozen=True)
class Substance:
    """`words` are CoolProp's. It is told from `low` to `high` in K, and of a pure one only as long as it is in its phase at its pressure."""

    title: str
    phase: Phase
    words: str
    low: float
    high: float
    mixed: bool = False  # a liquid mixture, whose properties do not depend on pressure
    source: str = ""


REFERENCE = "CoolProp (Bell et al. 2014): reference equations of state and transport models of each substance"
BRINES = "CoolProp: incompressible mixtures, after Melinder (2010)"
SEA = "CoolProp: seawater after Sharqawy, Lienhard and Zubair (2010)"
HUMID = "CoolProp: humid air after ASHRAE RP-1485 (Herrmann, Kretzschmar and Gatley 2009)"


def _pure(title: str, phase: Phase, words: str, low: float, high: float) -> Substance:
    return Substance(title, phase, words, low, high, source=REFERENCE)


SUBSTANCES: dict[str, Substance] = {
    "water": _pure("Water", "liquid", "Water", 273.16, 640.0),
    "seawater": Substance("Seawater, 35 g of salt a kg", "liquid", "INCOMP::MITSW[0.035]", 275.0, 370.0, True, SEA),
    "glycol_30": Substance("Water with 30 % ethylene glycol", "liquid", "INCOMP::MEG[0.3]", 259.0, 370.0, True, BRINES),
    "glycol_50": Substance("Water with 50 % ethylene glycol", "liquid", "INCOMP::MEG[0.5]", 240.0, 370.0, True, BRINES),
    "propylene_30": Substance("Water with 30 % propylene glycol", "liquid", "INCOMP::MPG[0.3]", 262.0, 370.0, True, BRINES),
    "salt_brine": Substance("Brine of 20 % sodium chloride", "liquid", "INCOMP::MNA[0.2]", 258.0, 310.0, True, BRINES),
    "methanol": _pure("Methanol", "liquid", "Methanol", 200.0, 500.0),
    "ethanol": _pure("Ethanol", "liquid", "Ethanol", 200.0, 500.0),
    "pentane": _pure("Pentane", "liquid", "n-Pentane", 180.0, 460.0),
    "hexane": _pure("Hexane", "liquid", "n-Hexane", 200.0, 500.0),
    "heptane": _pure("Heptane", "liquid", "n-Heptane", 200.0, 530.0),
    "octane": _pure("Octane", "liquid", "n-Octane", 230.0, 560.0),
    "decane": _pure("Decane", "liquid", "n-Decane", 260.0, 600.0),
    "dodecane": _pure("Dodecane", "liquid", "n-Dodecane", 275.0, 640.0),
    "benzene": _pure("Benzene", "liquid", "Benzene", 285.0, 550.0),
    "toluene": _pure("Toluene", "liquid", "Toluene", 220.0, 580.0),
    "liquid_ammonia": _pure("Liquid ammonia", "liquid", "Ammonia", 200.0, 400.0),
    "liquid_propane": _pure("Liquid propane", "liquid", "Propane", 150.0, 365.0),
    "liquid_nitrogen": _pure("Liquid nitrogen", "liquid", "Nitrogen", 65.0, 125.0),
    "air": _pure("Air", "gas", "Air", 90.0, 1500.0),
    "humid_air": Substance("Humid air", "gas", "humid", 263.15, 363.15, source=HUMID),
    "steam": _pure("Steam", "gas", "Water", 290.0, 1200.0),
    "nitrogen": _pure("Nitrogen", "gas", "Nitrogen", 80.0, 1500.0),
    "oxygen": _pure("Oxygen", "gas", "Oxygen", 95.0, 1000.0),
    "argon": _pure("Argon", "gas", "Argon", 90.0, 1000.0),
    "helium": _pure("Helium", "gas", "Helium", 20.0, 1500.0),
    "hydrogen": _pure("Hydrogen", "gas", "Hydrogen", 30.0, 1000.0),
    "carbon_dioxide": _pure("Carbon dioxide", "gas", "CarbonDioxide", 220.0, 1200.0),
    "methane": _pure("Methane", "gas", "Methane", 115.0, 620.0),
    "ethane": _pure("Ethane", "gas", "Ethane", 190.0, 600.0),
    "propane": _pure("Propane", "gas", "Propane", 235.0, 600.0),
    "butane": _pure("Butane", "gas", "n-Butane", 275.0, 570.0),
    "isobutane": _pure("Isobutane", "gas", "IsoButane", 265.0, 570.0),
    "ammonia": _pure("Ammonia", "gas", "Ammonia", 245.0, 700.0),
    "sulphur_hexafluoride": _pure("Sulphur hexafluoride", "gas", "SulfurHexafluoride", 230.0, 600.0),
    "r134a": _pure("Refrigerant R134a", "gas", "R134a", 250.0, 450.0),
    "r1234yf": _pure("Refrigerant R1234yf", "gas", "R1234yf", 247.0, 405.0),
    "r32": _pure("Refrigerant R32", "gas", "R32", 250.0, 430.0),
}  # fmt: skip
