"""The library: published figures, states, and what is not known."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.checks.advice import speed_of_sound
from brook.core.materials import fluid_of, library
from brook.core.materials.catalogue import SUBSTANCES
from brook.core.materials.library import State, moisture_of
from brook.core.study import Resolved
from brook.core.study.document import study_from
from tests.core.studies import raw_tray


def fluid(substance, celsius, pressure=101325.0, humidity=0.5, problems=None):
    said = Resolved(
        kind="library", substance=substance, temperature=celsius + 273.15, pressure=pressure, humidity=humidity
    )
    return fluid_of(said, "/fluid", [] if problems is None else problems)


# density, viscosity, heat capacity and conductivity; Incropera et al. (2007), tables A.4 and A.6, unless said
AT_A_BAR = ("nitrogen", "oxygen", "hydrogen", "carbon_dioxide", "ammonia")  # their densities there are those at 1 bar
FIGURES = {
    ("water", 10.0): (999.7, 1.306e-3, None, None),  # Wagner & Pruß (2002), Huber et al. (2009)
    ("water", 60.0): (983.2, 0.466e-3, 4185.0, 0.654),
    ("seawater", 20.0): (1024.8, 1.08e-3, 3993.0, 0.600),  # Sharqawy et al. (2010)
    ("ethanol", 25.0): (785.2, 1.074e-3, 2440.0, 0.164),  # CRC Handbook
    ("methanol", 25.0): (786.6, 0.544e-3, 2530.0, 0.200),  # CRC Handbook
    ("toluene", 25.0): (862.2, 0.560e-3, 1707.0, 0.1311),  # CRC Handbook
    ("air", 20.0): (1.204, 1.82e-5, 1006.0, 0.0257),  # Lemmon & Jacobsen (2004)
    ("nitrogen", 26.85): (1.1233, 178.2e-7, 1041.0, 25.9e-3),
    ("oxygen", 26.85): (1.284, 207.2e-7, 920.0, 26.8e-3),
    ("helium", 26.85): (0.1625, 199e-7, 5193.0, 152e-3),
    ("hydrogen", 26.85): (0.08078, 89.6e-7, 14310.0, 183e-3),
    ("carbon_dioxide", 26.85): (1.7730, 149e-7, 851.0, 16.55e-3),
    ("ammonia", 26.85): (0.6894, 101.5e-7, 2158.0, 24.7e-3),
    ("steam", 126.85): (0.5542, 134.4e-7, 2014.0, 26.1e-3),
}


@pytest.mark.parametrize(("substance", "celsius"), FIGURES)
def test_published_figures(substance, celsius):
    found = fluid(substance, celsius, 1e5 if substance in AT_A_BAR else 101325.0)
    measured = (found.density, found.viscosity, found.heat_capacity, found.conductivity)
    for one, published, within in zip(measured, FIGURES[substance, celsius], (0.006, 0.03, 0.02, 0.05), strict=True):
        assert published is None or one == pytest.approx(published, rel=within)


def test_every_substance_is_told_over_its_range():
    for name, known in SUBSTANCES.items():
        called = State(name, moisture=0.005).called
        low, high = library.range_of(called)
        assert 20 <= low < high <= 1500
        assert known.source
        temperatures, values = library.table(called)
        assert (temperatures[0], temperatures[-1]) == (low, high)
        assert all(np.isfinite(v).all() and (v > 0).all() for v in values.values())
        between = library.at(called, (low + high) / 2)
        assert between[0] == pytest.approx(np.interp((low + high) / 2, temperatures, values["density"]), rel=0.02)


def test_pressure_moves_the_end_of_what_is_liquid():
    """At 5 bar water boils at 151.8 °C (Wagner & Pruß 2002)."""
    hot = fluid("water", 120.0, 5e5)
    assert hot.density == pytest.approx(943.3, rel=1e-3)
    assert hot.at("density", np.array([300.0, 393.15])) == pytest.approx([996.7, 943.3], rel=1e-3)
    for celsius, pressure, words in (
        (120.0, 101325.0, "water is known here as a liquid from 0.01 °C to 99.85 °C"),
        (155.0, 5e5, "to 151.63 °C at 500 kPa"),
        (-10.0, 101325.0, "from 0.01 °C"),
    ):
        problems = []
        assert fluid("water", celsius, pressure, problems=problems) is None
        assert words in problems[0].message
    double = fluid("air", 20.0, 2 * 101325.0)
    assert double.density == pytest.approx(2 * fluid("air", 20.0).density, rel=1e-3)


def test_humid_air_keeps_its_moisture_as_it_is_warmed():
    """7.26 g of water a kg at 20 °C and 50 % (ASHRAE); lighter than dry air."""
    assert moisture_of(293.15, 101325.0, 0.5) == pytest.approx(7.26e-3, rel=0.01)
    half, dry = fluid("humid_air", 20.0), fluid("humid_air", 20.0, humidity=0.0)
    assert half.density == pytest.approx(1.199, rel=1e-3)
    assert dry.density == pytest.approx(fluid("air", 20.0).density, rel=1e-3)
    warmed = half.at("density", np.array([293.15, 323.15]))
    assert warmed[0] / warmed[1] == pytest.approx(323.15 / 293.15, rel=2e-3)
    problems = []
    assert fluid("humid_air", 20.0, humidity=1.2, problems=problems) is None
    assert problems[0].path == "/fluid/humidity"


def test_sound_in_gases():
    """343.2 m/s in air, 1007 in helium at 20 °C, 478 in steam at 400 K (CRC Handbook); none is told of liquids."""
    for substance, celsius, speed in (("air", 20.0, 343.2), ("helium", 20.0, 1007.0), ("steam", 126.85, 490.0)):
        assert speed_of_sound(fluid(substance, celsius)) == pytest.approx(speed, rel=0.02)
    assert speed_of_sound(fluid("ethanol", 20.0)) == 0.0


def test_an_unknown_substance_is_told():
    raw = raw_tray()
    raw["set_up"]["fluid"] = {"kind": "library", "substance": "etanol"}
    study = study_from(raw)
    problems = {p.path: p.message for p in prepare(study, study.variants[0]).problems}
    assert (
        problems["/set_up/fluid/substance"]
        == "'etanol' is no liquid or gas of the library: did you mean ethanol or methanol or ethane?"
    )
