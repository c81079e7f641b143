"""Calculators against figures that are printed elsewhere, and against each other."""

import pytest

from brook.core.formulas import evaluate, parse
from brook.core.physics.reckoning import CALCULATORS
from brook.core.physics.reckoning.losses import friction

WATER = {"density": 1000.0, "viscosity": 1e-3, "capacity": 4180.0, "conductivity": 0.6, "expansion": 2.1e-4, "gravity": 9.81}  # fmt: skip
AIR = {"density": 1.1614, "viscosity": 1.846e-5, "capacity": 1007.0, "conductivity": 0.0263, "expansion": 1 / 300, "gravity": 9.81}  # fmt: skip


def found(name, **values):
    return {r.title: r for r in CALCULATORS[name].reckon(values)}


def test_every_calculator_reckons_with_what_stands_there_at_first():
    for calculator in CALCULATORS.values():
        values = {i.name: float(evaluate(parse(i.usual), lambda _: None).value) for i in calculator.inputs}
        results = calculator.reckon(values)
        assert results, calculator.name
        assert all(abs(r.value) < 1e12 for r in results), calculator.name
        assert calculator.formula, calculator.name
        assert calculator.source, calculator.name


def test_numbers_and_the_regime_they_suggest():
    assert found("reynolds", speed=0.1, width=0.05, **WATER)["Re"].value == pytest.approx(5000)
    assert "turbulent" in found("reynolds", speed=0.1, width=0.05, **WATER)["Re"].words
    assert "laminar" in found("reynolds", speed=0.01, width=0.05, **WATER)["Re"].words
    assert "changes with the speed" in found("mach", speed=200.0, sound=343.0)["Ma"].words
    upright = found("rayleigh", step=10.0, height=0.2, **AIR)
    assert upright["Ra"].value == pytest.approx(upright["Gr"].value * upright["Pr"].value)
    assert upright["Pr"].value == pytest.approx(0.707, rel=2e-3)
    assert found("womersley", width=0.024, frequency=1.2, density=1060.0, viscosity=3.5e-3)["Wo"].value == pytest.approx(18.1, rel=0.01)  # fmt: skip
    assert found("peclet", speed=0.1, width=0.05, **WATER)["Pe"].value == pytest.approx(5000 * 1e-3 * 4180 / 0.6)


@pytest.mark.parametrize(("reynolds", "rough", "known"), [(1e5, 0.0, 0.0180), (1e6, 0.001, 0.0199), (1e5, 0.01, 0.0385), (1000, 0.01, 0.064)])  # fmt: skip
def test_friction_is_that_of_moodys_chart(reynolds, rough, known):
    assert friction(reynolds, rough) == pytest.approx(known, rel=0.02)


def test_a_run_of_pipe_adds_its_fittings():
    said = {"speed": 1.0, "width": 0.05, "length": 10.0, "rough": 0.0, "bends": 2, "tees": 1, "entries": 1, "exits": 1}
    run = found("pipe", **said, **WATER)
    assert run["by fittings"].value == pytest.approx((2 * 0.3 + 1 + 0.5 + 1) * 500)
    assert run["in all"].value == pytest.approx(run["by friction"].value + run["by fittings"].value)
    assert run["by friction"].value == pytest.approx(0.0209 * 200 * 500, rel=0.02)


def test_turbulence_that_comes_in_fits_together():
    came = found("incoming", speed=10.0, width=0.1, intensity=0.05, **AIR)
    k, eps, omega = (came[t].value for t in ("k in m²/s²", "ε in m²/s³", "ω"))
    assert k == pytest.approx(0.375)
    assert eps == pytest.approx(0.09 * k * omega)
    assert found("smallest", speed=10.0, width=0.1, intensity=0.05, **AIR)["smallest eddies"].value < 1e-3


def test_heights_near_walls():
    first = found("first_height", speed=10.0, long=0.5, y_plus=1.0, **AIR)
    u_tau = first["friction velocity"].value
    assert first["height of the first cells"].value * u_tau * AIR["density"] / AIR["viscosity"] / 2 == pytest.approx(1)
    assert found("layer", speed=1.0, long=0.1, **AIR)["boundary layer at its end"].value == pytest.approx(5 * 0.1 / 6291**0.5, rel=1e-3)  # fmt: skip
    assert found("step", speed=2.0, cell=1e-3, courant=0.5)["step in time"].value == pytest.approx(2.5e-4)


def test_films_that_textbooks_work_out():
    # Incropera & DeWitt, example 7.4: a rod of 12.7 mm in air at 10 m/s, ν = 20.92e-6 m²/s, k = 0.030 W/(m K), Pr = 0.70
    rod = {"density": 1.0, "viscosity": 20.92e-6, "capacity": 0.7 * 0.03 / 20.92e-6, "conductivity": 0.03}
    across = found("film_rod", speed=10.0, width=0.0127, **rod)
    assert across["Nu"].value == pytest.approx(40.6, rel=5e-3)
    assert across["film coefficient"].value == pytest.approx(96, rel=5e-3)
    laminar = found("film_pipe", speed=0.01, width=0.05, **WATER)
    assert laminar["Nu"].value == 3.66
    turbulent = found("film_pipe", speed=1.0, width=0.05, **WATER)["Nu"].value
    assert turbulent == pytest.approx(
        0.023 * 5e4**0.8 * 6.967**0.4, rel=0.25
    )  # Dittus & Boelter, which is as sure as that
    upright = found("film_upright", step=10.0, height=0.2, **AIR)
    assert upright["film coefficient"].value == pytest.approx(4.0, abs=1.0)
    with pytest.raises(ValueError, match="Re Pr"):
        found("film_rod", speed=1e-9, width=0.01, **AIR)
