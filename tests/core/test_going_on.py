"""Pausing, checkpoints, and going on; and when a run will likely end."""

import json

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import set_value
from brook.core.solve import Checkpoint, History, Rules, forecast
from brook.core.solve.history import lifted
from brook.core.solve.residuals import Residuals
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from tests.core.studies import Wishing, tray


@pytest.fixture(scope="module")
def case():
    study = tray(run_rules={"residual": "1e-7", "monitor_window": 20, "iterations": 800})
    prepared = prepare(study, study.variant("hanging"))
    mesh = make_mesh(prepared)
    return study, prepared, mesh, solve(study, prepared, mesh)


def paused(case, after):
    study, prepared, mesh, _ = case
    outcome = solve(study, prepared, mesh, Wishing("pause", after))
    assert outcome.state == "paused"
    return outcome


def test_a_paused_run_that_goes_on_comes_to_the_same_answer(case, tmp_path):
    study, prepared, mesh, whole = case
    first = paused(case, 30)
    assert first.iterations == 30
    first.checkpoint.save(tmp_path / "1.npz", "mesh", "run")
    kept = Checkpoint.load(tmp_path / "1.npz")
    assert (kept.mesh, kept.run, kept.iterations) == ("mesh", "run", 30)
    second = solve(study, prepared, mesh, start=kept.going_on("went on", anew=False))
    assert second.state == "converged"
    # the very same steps up to the pause; the same answer to the residuals' limit after it
    assert second.history.residuals["momentum"][:30] == whole.history.residuals["momentum"][:30]
    assert second.history.marks == [(30, "went on")]
    assert second.iterations <= whole.iterations + 25  # the states that were mixed are not kept over a pause
    scale = np.abs(whole.fields.velocity).max()
    np.testing.assert_allclose(second.fields.velocity, whole.fields.velocity, atol=1e-4 * scale)
    assert second.history.seconds == sorted(second.history.seconds)


def test_other_settings_take_over_in_mid_run(case):
    """Going on from a pause with a faster supply ends where a run from the start does."""
    study, _, mesh, _ = case
    faster = set_value(study, "/named_values/supply", "5 mm/s")
    prepared = prepare(faster, faster.variant("hanging"))
    start = paused(case, 40).checkpoint.going_on("went on with other settings", anew=True)
    changed, fresh = solve(faster, prepared, mesh, start=start), solve(faster, prepared, mesh)
    assert changed.state == fresh.state == "converged"
    assert changed.fields.inflow() == pytest.approx(fresh.fields.inflow(), rel=1e-12)
    scale = np.abs(fresh.fields.velocity).max()
    np.testing.assert_allclose(changed.fields.velocity, fresh.fields.velocity, atol=2e-4 * scale)


def test_the_limit_of_iterations_counts_anew_when_asked(case):
    study, _, mesh, _ = case
    few = set_value(study, "/run_rules/iterations", "10")
    prepared = prepare(few, few.variant("hanging"))
    once = solve(few, prepared, mesh)
    assert (once.state, once.iterations) == ("not converged", 10)
    assert solve(few, prepared, mesh, start=once.checkpoint.going_on("went on", anew=True)).iterations == 20
    assert solve(few, prepared, mesh, start=once.checkpoint.going_on("crash", anew=False)).iterations == 10


def test_a_monitor_that_is_new_begins_where_the_run_goes_on(case):
    history = History(("still",), {"momentum": [1.0, 0.5]}, {"still": [0.3, 0.4]}, [0.1, 0.2])
    again = History.read(json.dumps(history.since(0)), ("still", "fastest"))
    again.add(Residuals({"momentum": 0.2, "heat": 0.1}), 0.3, {"still": 0.5, "fastest": 2.0})
    assert again.since(0)["monitors"] == {"still": [0.3, 0.4, 0.5], "fastest": [None, None, 2.0]}
    assert again.since(0)["residuals"] == {"momentum": [1.0, 0.5, 0.2], "heat": [None, None, 0.1]}
    assert again.worst.tolist() == [1.0, 0.5, 0.2]
    assert [line.rsplit(",", 1)[1] for line in again.csv().splitlines()] == ["fastest", "nan", "nan", "2.0"]


def test_a_history_that_was_kept_before_residuals_went_by_name_is_lifted():
    old = {"start": 0, "momentum": [1.0, 0.1], "mass": [0.5, 0.2], "heat": [], "seconds": [0.1, 0.2], "monitors": {"still": [1.0, None]},
           "marks": [[1, "paused"]]}  # fmt: skip
    history = History.read(json.dumps(old))
    assert history.residuals == {"momentum": [1.0, 0.1], "mass": [0.5, 0.2]}
    assert history.worst.tolist() == [1.0, 0.2]
    assert history.marks == [(1, "paused")]
    assert lifted(history.since(0)) == history.since(0)


def test_a_checkpoint_that_cannot_be_read_is_none_and_one_of_another_mesh_is_refused(case, tmp_path):
    assert Checkpoint.load(tmp_path / "none.npz") is None
    (tmp_path / "half.npz").write_bytes(b"PK\x03\x04 half")
    assert Checkpoint.load(tmp_path / "half.npz") is None
    study, _, _, _ = case
    finer = set_value(study, "/mesh_plan/bulk", "5 mm")
    prepared = prepare(finer, finer.variant("hanging"))
    with pytest.raises(ValueError, match="another mesh"):
        solve(finer, prepared, make_mesh(prepared), start=paused(case, 5).checkpoint)


def falling(factor, count):
    values = [factor**k for k in range(count)]
    return History(
        ("still",), {"momentum": values, "mass": values}, {"still": [1.0 / (k + 1) for k in range(count)]}, values
    )


@pytest.mark.parametrize(("factor", "count"), [(0.9, 40), (0.97, 150), (0.99, 400)])
def test_the_forecast_draws_out_a_straight_line(factor, count):
    rules = Rules(residual=1e-5, iterations=5000)
    exact = np.log(1e-5) / np.log(factor) - count
    ahead = forecast(falling(factor, count), rules)
    assert ahead.waits_for == "the residuals"
    assert ahead.iterations == pytest.approx(exact, rel=0.05, abs=4)


def test_the_forecast_knows_what_it_cannot_know():
    rules = Rules(residual=1e-5, iterations=500)
    assert forecast(falling(0.9, 5), rules).iterations is None
    assert forecast(falling(1.0, 100), rules).iterations is None
    assert forecast(falling(0.999, 100), rules).waits_for == "the limit of iterations"
    assert forecast(falling(0.5, 60), rules).waits_for == "monitor still"


def test_the_forecast_of_a_real_run_comes_true(case):
    """Half-way through, the end is known to a third."""
    whole = case[3]
    rules = Rules(residual=1e-7, monitor_window=20, iterations=800)
    half = whole.iterations // 2
    ahead = forecast(paused(case, half).history, rules)
    assert ahead.iterations == pytest.approx(whole.iterations - half, rel=0.34)
