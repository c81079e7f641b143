import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brook.core.units import (
    DIMENSIONS,
    SYMBOLS,
    UnitError,
    dimension_of,
    from_si,
    round_text,
    scale_of,
    sensible_unit,
    show,
    to_si,
    unit_factor,
)


@pytest.mark.parametrize(
    ("value", "unit", "si"),
    [(8, "mm/s", 0.008), (10, "degC", 283.15), (2, "L/min", 2e-3 / 60), (1.3, "mPa s", 1.3e-3), (1, "bar", 1e5),
     (20, "%", 0.2), (3, "W/(m K)", 3.0), (1000, "kg/m^3", 1000.0), (60, "rpm", 2 * math.pi)],
)  # fmt: skip
def test_known_conversions(value, unit, si):
    assert to_si(value, unit).value == pytest.approx(si)


@given(st.sampled_from(sorted(SYMBOLS)), st.floats(-1e6, 1e6))
def test_conversion_and_back(unit, value):
    assert from_si(to_si(value, unit).value, unit) == pytest.approx(value, rel=1e-9, abs=1e-6)


@given(st.sampled_from(sorted(SYMBOLS)), st.floats(-1e6, 1e6))
def test_a_scale_of_a_unit_is_a_factor_and_a_shift(unit, value):
    factor, shift = scale_of(unit)
    assert value * factor + shift == pytest.approx(from_si(value, unit), rel=1e-9, abs=1e-6)


@pytest.mark.parametrize("text", ["mmm", "furlong", "m/", "m//s", "__import__"])
def test_what_is_no_unit_is_said(text):
    with pytest.raises(UnitError):
        dimension_of(text)


def test_values_read_well():
    speed = DIMENSIONS["speed"]
    assert show(0.008, speed) == "8.00 mm/s"
    assert show(0.06, DIMENSIONS["length"], given=True) == "60 mm"
    assert show(283.15, DIMENSIONS["temperature"]) == "10.0 °C"
    assert show(-0.0539, DIMENSIONS["pressure"]) == "−53.9 mPa"
    assert sensible_unit(speed, 2.5) == "m/s"
    assert round_text(float("nan")) == "not finite"
    assert round_text(1.23456e-9) == "1.23e-09"


PINT = {"h": "hour", "%": "percent", "degC": "K"}


@pytest.mark.parametrize("left", sorted(SYMBOLS))
def test_factors_and_dimensions_are_those_of_an_independent_library(left):
    pint = pytest.importorskip("pint")
    registry = pint.UnitRegistry()
    base = ("[length]", "[mass]", "[time]", "[temperature]", "[current]", "[substance]", "[luminosity]")
    for right in ("m", "ms", "kg", "K", "kPa", "L", "W", "mol", "deg"):
        for form in ("{}/{}^2", "{} {}", "1/({} {})", "{}^-3/{}"):
            factor, _, dimension = unit_factor(form.format(left, right))
            theirs = form.replace(" ", "*").replace("^", "**").format(PINT.get(left, left), PINT.get(right, right))
            unit = registry.parse_expression(theirs).to_base_units()
            assert factor == pytest.approx(float(unit.magnitude), rel=1e-14), theirs
            assert dimension.exponents == tuple(float(unit.dimensionality.get(b, 0)) for b in base), theirs


@pytest.mark.parametrize(
    "text", ["2 m", "m^s", "(m", "m)", "m^", "^2", "1/0", "(" * 40 + "m" + ")" * 40, "km^999999", "m/-s", "×"]
)
def test_what_is_almost_a_unit_is_refused(text):
    with pytest.raises(UnitError):
        unit_factor(text)
