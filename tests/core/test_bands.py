"""Bands: series that are known, steps that swing or grow, what iterations and windows leave open, and meshes of a series that are similar."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import set_value
from brook.core.mesh import lines
from brook.core.results.bands import mesh_band
from brook.core.results.readings import judge
from brook.core.solve.history import History, Rules
from brook.core.solve.leftover import still_to_come, stopping_error, window_error
from brook.core.stages.batch import solve_variant
from brook.core.stages.certainty import certainty, in_series
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh, space_layers, space_sizes
from brook.core.stages.running import solve
from brook.core.study import Resolved, sized_name, told_size
from brook.core.study.document import study_from
from brook.core.units import DIMENSIONS, NONE
from tests.core.studies import tray


@pytest.mark.parametrize("order", [0.7, 1.0, 1.5, 2.0])
def test_a_series_of_one_order_gives_the_order_and_a_band_that_holds_its_limit(order):
    h = np.array([1.0, 2.0, 4.0])
    band = mesh_band(h, 5 + 0.3 * h**order)
    assert band.order == pytest.approx(order, rel=1e-6)
    assert band.extrapolated == pytest.approx(5.0)
    assert 1.25 * 0.3 * (1 - 1e-9) <= band.half <= 0.6


def test_series_that_mix_orders_or_scatter_hold_the_true_value_nearly_always():
    """And bands are not much wider than the error: of series of two orders with scatter, at sizes 1, 2 and 4."""
    random = np.random.default_rng(5)
    inside, wider = [], []
    for _ in range(400):
        h = np.array([1.0, 2.0, 4.0])
        bend = random.normal(size=2) * [0.05, 0.02]
        v = 1 + bend[0] * h + bend[1] * h**2 + random.normal(size=3) * 1e-4 * h
        band = mesh_band(h, v)
        off = abs(v[0] - 1)
        inside.append(band.half is not None and off <= band.half)
        if band.half is not None:
            wider.append(band.half / off)
    assert np.mean(inside) > 0.85
    assert np.median(wider) < 4


def test_series_that_do_not_behave_have_no_band_and_say_so():
    grows = mesh_band([1, 2, 4], [1.0, 0.8, 0.75])
    swings = mesh_band([1, 2, 4], [1.0, 1.3, 1.2])
    assert (grows.half, swings.half) == (None, None)
    assert "more than the one before" in grows.words
    assert "does not settle" in swings.words
    assert "needs 3 sizes" in mesh_band([1, 2], [1.0, 1.1]).words
    assert "no value" in mesh_band([1, 2, 4], [1.0, np.nan, 1.1]).words
    same = mesh_band([1, 2, 4], [0.0, 0.0, 0.0])
    assert (same.half, same.words) == (0.0, "the same on all meshes")


def test_what_swings_ever_less_and_what_falls_too_fast_have_a_wide_band():
    swings = mesh_band([1, 2, 4], [1.0, 1.02, 0.95])
    assert swings.half == pytest.approx(0.07)
    fast = mesh_band([1, 2, 4], [1.0, 1.001, 0.95])  # the two finest agree by chance
    assert fast.half is not None
    assert fast.half > 0.01


def test_of_more_meshes_that_swing_the_finer_ones_tell_more_than_the_whole_spread():
    sizes, off = [0.5, 1, 1.414, 2], [14.45, 15.05, 14.04, 8.33]  # the coarsest is far off, the others scatter
    band = mesh_band(sizes, off)
    assert "fitted" in band.words
    assert 1.0 < band.half < np.ptp(off) - 1

    rng, held = np.random.default_rng(3), []
    h = np.array([1, 1.414, 2, 4])
    for a, b, *noise in rng.normal(size=(400, 6)):
        band = mesh_band(h, 1 + 0.1 * a * h + 0.1 * b * h**2 + 0.02 * np.array(noise) * h)
        if "fitted" in band.words:
            held.append(abs(band.value - 1) <= band.half)
    assert len(held) > 20
    assert np.mean(held) > 0.9


def test_meshes_in_between_that_scatter_make_a_band_wider():
    smooth = mesh_band([1, 2, 4], [1.1, 1.2, 1.4])
    between = mesh_band([1, 1.41, 2, 2.83, 4], [1.1, 1.141, 1.2, 1.283, 1.4])
    off = mesh_band([1, 1.41, 2, 2.83, 4], [1.1, 1.541, 1.2, 1.283, 1.4])
    assert between.half == pytest.approx(smooth.half)
    assert off.half > 0.25
    assert "scatter" in off.words


def test_where_the_coarsest_mesh_is_too_coarse_the_three_finest_may_tell():
    whole = mesh_band([1, 1.414, 2, 4], [1.1, 1.15, 1.25, 1.3])
    assert mesh_band([1, 2, 4], [1.1, 1.25, 1.3]).half is None
    assert whole.half is not None
    assert "three finest alone" in whole.words
    assert mesh_band([1, 1.414, 2], [1.1, 1.15, 1.25]).half == pytest.approx(
        whole.half
    )  # as wide: they lie close together


def test_four_meshes_that_lie_close_together_are_fitted():
    h = np.array([1.0, 1.2, 1.4, 1.6])
    band = mesh_band(h, 2 + 0.1 * h**1.5)
    assert band.half is not None
    assert abs(band.value - 2) <= band.half <= 4 * abs(band.value - 2)


def test_what_is_left_when_iterations_stop_is_about_what_was_still_to_come():
    for rate in (0.9, 0.97):
        values = [1 - rate**n for n in range(120)]
        left = stopping_error(values)
        assert left == pytest.approx(rate**119, rel=1.0)
    assert stopping_error([1.0] * 50) == 0.0
    assert stopping_error([1.0] * 5) is None
    swings = [1 + 0.1 * np.sin(n) for n in range(200)]
    assert stopping_error(swings) == pytest.approx(0.2, rel=0.1)


def test_the_mean_of_a_window_lies_off_that_of_an_endless_one_by_about_its_error():
    """Of a course that follows on itself, as eddies do; nineteen times of twenty within it."""
    random = np.random.default_rng(2)
    time = np.arange(1, 2001) * 0.1
    off, said = [], []
    for _ in range(80):
        value = np.zeros(2000)
        for n in range(1, 2000):
            value[n] = 0.95 * value[n - 1] + random.normal() * 0.1
        off.append(abs(value.mean()))
        said.append(window_error(time, value, 0.0))
    assert np.mean(np.array(off) <= np.array(said)) > 0.9
    assert np.median(said) < 4 * np.sqrt(np.mean(np.square(off)))
    assert window_error(time[:10], np.ones(10), 0.0) is None


def test_a_band_that_crosses_its_limit_leaves_it_undecided():
    limit = Resolved(kind="at_most", value=6.0)
    assert judge(5.5, limit, NONE, half=0.4).verdict == "pass"
    assert judge(5.5, limit, NONE, half=0.6).verdict == "undecided"
    assert judge(6.5, limit, NONE, half=0.6).verdict == "undecided"
    assert judge(7.5, limit, NONE, half=0.6).verdict == "fail"


def test_bands_add_up_what_cells_iterations_and_windows_leave_open():
    kept = [(1.0, {"value": 1.3, "stopped": 0.01}), (2.0, {"value": 1.6, "stopped": 0.02}), (4.0, {"value": 2.2})]
    sure = certainty(kept, unsteady=False)
    assert sure.half == pytest.approx(1.25 * 0.3 + 0.03)
    assert [name for name, _ in sure.made_of(DIMENSIONS["length"], "m")] == ["cells", "iterations that stopped"]
    assert "of 3 meshes" in sure.words


def test_meshes_of_a_series_have_cells_so_many_times_as_large_at_the_same_places():
    study = tray()
    name = study.variants[0].name
    counts = []
    for coarser in (0, 2, 4):
        prepared = prepare(study, study.variant(sized_name(name, coarser)))
        assert not prepared.problems
        mesh = lines.build(prepared.shape, prepared.plan)
        counts.append(mesh.cell_count)
    assert counts[0] / counts[1] == pytest.approx(4, rel=0.1)
    assert counts[1] / counts[2] == pytest.approx(4, rel=0.25)
    with pytest.raises(KeyError):
        study.variant("nobody-coarser-2")
    assert told_size("even-at-summer-coarser-2") == ("even-at-summer", 2)
    assert told_size("even-finer-9") == ("even-finer-9", 0)


def test_layers_zones_and_steps_in_time_go_along():
    study = tray()
    plan = {"way": "boxes", "bulk": "4 mm", "wall": "2 mm", "per_turn": 40, "zones": [{"kind": "ball", "size": "1 mm"}],
            "layers": {"number": 8, "height": "0.2 mm", "growth": "1.2"}}  # fmt: skip
    raw = study.model_dump(mode="json") | {"mesh_plan": plan}
    raw["set_up"]["timing"] = {"kind": "in_time", "duration": "10 s", "steps": "fixed", "step": "0.1 s"}
    study = study_from(raw)
    name = study.variants[0].name
    as_planned, coarse = (prepare(study, study.variant(sized_name(name, k))) for k in (0, 2))
    one, two = (space_sizes(p, p.shape.patches) for p in (as_planned, coarse))
    assert two.bulk == pytest.approx(2 * one.bulk)
    assert two.zones[0][0] == pytest.approx(2 * one.zones[0][0])
    assert two.per_turn == pytest.approx(one.per_turn / 2)
    thin, thick = (space_layers(p, p.shape.patches)[0] for p in (as_planned, coarse))
    assert thick.count == 4
    whole = [g.heights.sum() for g in (thin, thick)]
    assert whole[0] == pytest.approx(whole[1])
    assert coarse.timing.step == pytest.approx(0.2)
    keys = [stage_keys(study, p) for p in (as_planned, coarse)]
    assert keys[0].geometry == keys[1].geometry
    assert keys[0].mesh != keys[1].mesh
    assert keys[0].run != keys[1].run


def test_a_run_ends_once_what_is_still_to_come_is_small_enough():
    """With values that are as near to those of the whole run as it was let off."""
    study = set_value(tray(), "/mesh_plan/bulk", "6 mm")
    study = set_value(study, "/mesh_plan/wall", "3 mm")
    name = study.variants[0].name
    prepared, whole = solve_variant(study, name)
    enough = {r.name: 0.02 * abs(whole.history.monitors[r.name][-1]) for r in study.requirements}

    early = solve(study, prepared, make_mesh(prepared), enough=enough)
    assert early.state == "enough"
    assert early.iterations < 0.6 * whole.iterations
    for r in study.requirements:
        apart = abs(early.history.monitors[r.name][-1] - whole.history.monitors[r.name][-1])
        assert apart <= 2 * enough[r.name]


STRICT = Rules(monitor_change=1e-9)


def slow(rate, count=600):
    """A run whose residuals and monitor come home by a factor `rate` an iteration, with no time left."""
    left = rate ** np.arange(count)
    return History(("drop",), {"momentum": (1e-2 * left).tolist()}, {"drop": (5 - left).tolist()}, [0.1] * count)


def test_what_was_still_to_come_when_iterations_were_over_is_told_and_what_does_not_come_home_is_not():
    for rate in (0.99, 0.997):
        left = still_to_come(slow(rate), STRICT)
        assert left is not None
        assert left["drop"] > 0.95 * rate**599
        assert left["drop"] == pytest.approx(rate**599, rel=1.0)
    assert still_to_come(slow(1 - 1e-5), STRICT) is None  # as good as a straight line
    assert still_to_come(slow(0.99, 200), STRICT) is None  # too short to tell
    assert still_to_come(slow(0.99), STRICT, began_at=500) is None
    trembles = slow(0.999)
    trembles.monitors["drop"][:] = (5 + 1e-4 * np.sin(np.arange(600.0))).tolist()
    assert still_to_come(trembles, STRICT) is None
    assert still_to_come(trembles, Rules(monitor_change=1e-3))["drop"] == pytest.approx(
        2e-4, rel=0.01
    )  # it stands still
    silent = slow(0.99)
    silent.monitors["drop"][:] = [np.nan] * 600
    assert still_to_come(silent, STRICT) == {}
    silent.monitors["drop"][-5:] = [1.0] * 5
    assert still_to_come(silent, STRICT) is None
    grows = slow(0.99)
    grows.residuals["momentum"].reverse()
    assert still_to_come(grows, STRICT) is None


def test_a_run_that_was_over_too_soon_has_its_band_with_what_was_still_to_come():
    kept = {"value": 5.0, "stopped": 1e-9}
    assert in_series(kept, "drop", None, {"drop": 0.02}) == {"value": 5.0, "stopped": 0.02}
    assert in_series(kept, "drop", {"drop": (4.0, 0.5)}, None) == {"value": 4.0, "stopped": 0.5}
    assert in_series(kept, "drop", None, None) == kept
