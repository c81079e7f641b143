"""A steady run that stands without converging is told from one that still comes home, drifts or grows."""

from __future__ import annotations

import numpy as np
import pytest

from brook.core.results.readings import show_swing
from brook.core.solve.history import History, Rules
from brook.core.solve.swinging import swing_of
from brook.core.units import DIMENSIONS, NONE

RULES = Rules(residual=1e-5)


def history(residual: np.ndarray, monitor: np.ndarray) -> History:
    return History(
        ("loss",), {"momentum": residual.tolist()}, {"loss": monitor.tolist()}, [0.1] * len(residual)
    )  # fmt: skip


N = np.arange(400.0)
STANDS = 1e-3 * (1.3 + np.sin(N / 7))
SWINGS = 40 + 2 * np.sin(N / 9)


def test_one_that_swings_about_a_mean_is_told_with_mean_and_swing():
    found = swing_of(history(STANDS, SWINGS), RULES)
    assert found is not None
    mean, half = found.monitors["loss"]
    assert mean == pytest.approx(40, abs=0.3)
    assert half == pytest.approx(2, rel=0.02)
    assert f"{found.over} iterations" in found.words
    assert "in time" in found.words


def test_a_monitor_that_stands_still_while_residuals_do_swings_by_nothing():
    found = swing_of(history(STANDS, np.full(400, 40.0)), RULES)
    assert found is not None
    assert found.monitors["loss"] == (40.0, 0.0)


def test_what_swings_slowly_is_told_over_a_longer_part_of_the_run():
    slow = 40 + 2 * np.sin(2 * np.pi * N / 180)  # three quarters of a turn in the last third
    found = swing_of(history(STANDS, slow), RULES)
    assert found is not None
    assert found.over > 400 // 3
    assert found.monitors["loss"][1] == pytest.approx(2, rel=0.05)


@pytest.mark.parametrize(
    ("residual", "monitor"),
    [
        (10 ** (-N / 100), SWINGS),  # comes home
        (10 ** (-6 + N / 200), SWINGS),  # grows
        (STANDS, SWINGS + 0.05 * N),  # drifts
        (np.full(400, 1e-6), SWINGS),  # is home, as far as residuals go
        (STANDS[:150], SWINGS[:150]),  # too short to tell
        (STANDS, np.full(400, np.nan)),  # reads nothing
    ],
)
def test_others_are_not(residual: np.ndarray, monitor: np.ndarray):
    assert swing_of(history(residual, monitor), RULES) is None


def test_iterations_before_it_went_on_do_not_count():
    assert swing_of(history(STANDS, SWINGS), RULES, began_at=300) is None


def test_mean_and_swing_stand_in_one_unit_to_two_digits_of_the_swing():
    assert show_swing(3.8164, 0.0378, DIMENSIONS["pressure"]) == "3.816 ± 0.038 Pa"
    assert show_swing(3816.4, 37.8, DIMENSIONS["pressure"], "kPa") == "3.816 ± 0.038 kPa"
    assert show_swing(300.15, 1.5, DIMENSIONS["temperature"]) == "27.0 ± 1.5 °C"
    assert show_swing(0.5, 0.02, NONE) == "50.0 ± 2.0 %"
    assert show_swing(-40.0, 0.0, DIMENSIONS["pressure"], "Pa") == "−40.000 ± 0.000 Pa"
