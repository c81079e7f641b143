import contextlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brook.core.formulas import FormulaError, evaluate, nearest, parse
from brook.core.units import Quantity, dimension_of

NAMES = {"surge": Quantity(0.3, dimension_of("m/s")), "t": Quantity(2.0, dimension_of("s")), "n": Quantity(3.0)}


def scope(reading):
    if reading.text not in NAMES:
        raise FormulaError(f"unknown name '{reading.text}': {nearest(reading.text, NAMES)}", reading.position)
    return NAMES[reading.text]


def value(text):
    return evaluate(parse(text), scope)


@pytest.mark.parametrize(
    ("text", "result", "unit"),
    [
        ("25 mm + 1 cm", 0.035, "m"),
        ("surge * (1 + 0.25 * sin(1.5 rad/s * t))", 0.3 * (1 + 0.25 * np.sin(3.0)), "m/s"),
        ("2^3^2", 512, ""),
        ("-2^2", -4, ""),
        ("10 - 4 - 3", 3, ""),
        ("12 mm / 4", 0.003, "m"),
        ("if(n > 2, 1 m, 2 m)", 1, "m"),
        ("ramp(t, 0 s, 4 s)", 0.5, ""),
        ("pulse(t, 3 s, 4 s)", 0, ""),
        ("max(1 mm, 2 mm, 0.1 cm)", 0.002, "m"),
        ("sqrt(4 m^2)", 2, "m"),
        ("3 m/s^2 * t", 6, "m/s"),
        ("8 °C", 281.15, "K"),
    ],
)
def test_what_formulas_come_to(text, result, unit):
    quantity = value(text)
    assert quantity.value == pytest.approx(result)
    assert quantity.dimension == dimension_of(unit)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("5 mm + 1", "cannot be put together"),
        ("5 mmm", "'mmm' is not a unit"),
        ("srge * 2", "did you mean surge"),
        ("sine(1)", "did you mean"),
        ("sin(1 m)", "plain number"),
        ("1 / 0", "divides by zero"),
        ("(1 + 2", "not closed"),
        ("1 +", "ends too early"),
        ("", "nothing is written"),
        ("2 ^ (1 m)", "plain number"),
        ("sqrt(-1)", "negative"),
        ("ln(0)", "no value"),
        ("__import__('os')", "does not fit"),
        ("(" * 60 + "1" + ")" * 60, "nested deeper"),
        ("1" * 501, "500 characters"),
    ],
)
def test_what_is_wrong_is_said(text, words):
    with pytest.raises(FormulaError) as error:
        value(text)
    assert words in error.value.message


def test_formulas_work_on_whole_fields():
    NAMES["field"] = Quantity(np.array([1.0, 2.0]), dimension_of("m"))
    assert value("field^2 / 1 m + 1 mm").value == pytest.approx([1.001, 4.001])


@given(st.text(alphabet="0123456789.+-*/^()<>=, abcmsxPa%_\n\t", max_size=40) | st.text(max_size=30))
def test_any_text_gives_a_value_or_an_explained_error(text):
    with contextlib.suppress(FormulaError):
        value(text)


@pytest.mark.parametrize(
    ("text", "kelvin"),
    [
        ("-5 degC", 268.15),
        ("−5 °C", 268.15),
        ("--5 degC", 278.15),
        ("20 degC - 5 K", 288.15),
        ("max(-40 degC, 250 K)", 250.0),
    ],
)
def test_degrees_under_freezing_are_written_as_one_says_them(text, kelvin):
    assert evaluate(parse(text), lambda reading: None).value == pytest.approx(kelvin)
