"""Stages, keys, readings, and the command line on the same code."""

import csv
import json
from importlib.resources import files

import numpy as np
import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.answer import Standing, best_of, sentence
from brook.core.checks import prepare
from brook.core.editing import set_value
from brook.core.results import Judgement, judge, words_of
from brook.core.stages.batch import solve_variant
from brook.core.stages.keys import stage_keys
from brook.core.stages.readings import read_all
from brook.core.study import Resolved, study_text
from brook.core.units import DIMENSIONS, NONE
from tests.core.studies import tray


def keys(study, index=1):
    return stage_keys(study, prepare(study, study.variants[index]))


def changed_stages(before, after):
    stages = [s for s in ("geometry", "mesh", "set_up", "run") if getattr(before, s) != getattr(after, s)]
    return stages + [f"reading {n}" for n in before.readings if before.readings[n] != after.readings[n]]


EVERY_READING = ["reading still", "reading fastest", "reading drop"]


@pytest.mark.parametrize(
    ("pointer", "text", "stages"),
    [
        ("/variants/1/geometry/shapes/0/height", "20 mm", ["geometry", "mesh", "run", *EVERY_READING]),
        ("/variants/1/geometry/shapes/0/height", "2.5 cm", []),
        ("/variants/1/geometry/shapes/0/height", "depth - 35 mm", []),
        ("/variants/1/geometry/shapes/0/name", "sheet", []),
        ("/mesh_plan/bulk", "5 mm", ["mesh", "run", *EVERY_READING]),
        ("/named_values/supply", "5 mm/s", ["set_up", "run", *EVERY_READING]),
        ("/set_up/convection", "central", ["set_up", "run", *EVERY_READING]),
        ("/places/egg_layer/top", "12 mm", ["reading fastest"]),
        ("/requirements/0/reading", "tray.speed.share_below(1 mm/s)", ["reading still"]),
        ("/requirements/0/limit/value", "30 %", []),
        ("/title", "Another", []),
        ("/brief/question", "Why?", []),
    ],
)
def test_a_change_puts_out_of_date_what_depends_on_it(pointer, text, stages):
    study = tray()
    assert changed_stages(keys(study), keys(set_value(study, pointer, text))) == stages


def test_a_change_of_one_variant_leaves_the_other():
    study = tray()
    changed = set_value(study, "/variants/1/geometry/shapes/0/height", "20 mm")
    assert keys(study, 0) == keys(changed, 0)


@pytest.fixture(scope="module")
def solved():
    study = tray()
    prepared, outcome = solve_variant(study, "hanging")
    return study, prepared, outcome


def reading(solved, text):
    study, prepared, outcome = solved
    requirement = study.requirements[0].model_copy(update={"reading": text})
    (result,) = read_all(
        study.model_copy(update={"requirements": (requirement,)}), prepared, outcome.fields, outcome.history
    )
    assert not result.problem
    return result.value


def test_readings_agree_with_the_fields(solved):
    _, _, outcome = solved
    fields, mesh = outcome.fields, outcome.fields.mesh
    assert reading(solved, "tray.speed.max") == fields.speed.max()
    assert reading(solved, "tray.speed.min") == fields.speed.min()
    assert reading(solved, "tray.speed.mean") == pytest.approx(np.average(fields.speed, weights=mesh.volume))
    below = reading(solved, "tray.speed.share_below(0.5 mm/s)")
    assert below + reading(solved, "tray.speed.share_above(0.5 mm/s)") == pytest.approx(1)
    assert reading(solved, "weir.flow.total") == pytest.approx(6e-6)
    assert reading(solved, "inlet.velocity_x.mean") == pytest.approx(0.004)
    assert reading(solved, "floor.speed.max") == 0.0
    assert reading(solved, "inlet.pressure.mean - weir.pressure.mean") > 0
    assert reading(solved, "weir.flow.total / (15 mm * 100 mm)") == pytest.approx(0.004)


def test_a_box_of_all_the_tray_reads_like_the_tray(solved):
    _, prepared, outcome = solved
    whole = Resolved(left=0.0, right=0.12, bottom=0.0, top=0.06)
    prepared.places.boxes["whole"] = whole
    assert reading(solved, "whole.speed.mean") == pytest.approx(reading(solved, "tray.speed.mean"))
    prepared.places.boxes["point"] = Resolved(left=0.08, right=0.08, bottom=0.03, top=0.03)
    mesh = outcome.fields.mesh
    cell = np.argmin(np.linalg.norm(mesh.centre[:, :2] - [0.08, 0.03], axis=1))
    assert reading(solved, "point.pressure.mean") == pytest.approx(outcome.fields.pressure[cell], rel=0.1)
    del prepared.places.boxes["whole"], prepared.places.boxes["point"]


def test_readings_in_words():
    assert words_of("tray.speed.share_below(0.5 mm/s)") == "share of tray with speed under 0.5 mm/s"
    assert words_of("inlet.pressure.mean - weir.pressure.mean") == "mean pressure of inlet less mean pressure of weir"


@pytest.mark.parametrize(
    ("limit", "value", "verdict", "margin"),
    [
        (Resolved(kind="at_most", value=0.2), 0.15, "pass", 0.25),
        (Resolved(kind="at_most", value=0.2), 0.25, "fail", -0.25),
        (Resolved(kind="at_least", value=0.2), 0.25, "pass", 0.25),
        (Resolved(kind="between", low=0.1, high=0.2), 0.19, "pass", 0.05),
        (Resolved(kind="between", low=0.1, high=0.2), 0.05, "fail", -0.25),
        (Resolved(kind="smallest"), 3.0, "open", None),
    ],
)
def test_judgements(limit, value, verdict, margin):
    judged = judge(value, limit, NONE)
    assert judged.verdict == verdict
    assert judged.margin == (None if margin is None else pytest.approx(margin))


def test_how_far_a_temperature_is_from_its_limit_is_said_in_kelvin():
    judged = judge(284.57, Resolved(kind="at_most", value=285.65), DIMENSIONS["temperature"])
    assert (judged.verdict, judged.apart) == ("pass", "1.1 K")


def test_the_answer_names_the_best_that_holds():
    good, bad = Judgement("pass", 0.1, ""), Judgement("fail", -0.1, "")
    wish = Judgement("open", None, "")
    a = Standing("a", "A", True, {"limit": (1, good), "drop": (5, wish)})
    b = Standing("b", "B", True, {"limit": (1, good), "drop": (3, wish)})
    c = Standing("c", "C", True, {"limit": (2, bad), "drop": (1, wish)})
    old = Standing("d", "D", False, {"limit": (1, good), "drop": (0, wish)})
    best = best_of([a, b, c, old], [("drop", "smallest")])
    assert best is b
    assert (
        sentence([a, b, c, old], best, {})
        == "Best so far: “B” holds every limit and does best of 2 that do. 1 of 4 are not up to date or not converged."
    )
    assert "No variant holds every limit" in sentence([c], best_of([c], []), {"limit": "Limit"})


# -- command line -----------------------------------------------------------------------------

command = CliRunner()


def write(tmp_path, study):
    path = tmp_path / "study.json"
    path.write_text(study_text(study))
    return path


def test_run_writes_its_three_files(tmp_path, solved):
    study, prepared, outcome = solved
    result = command.invoke(
        app, ["run", str(write(tmp_path, study)), "--variant", "hanging", "--out", str(tmp_path / "out")]
    )
    assert result.exit_code == 0
    found = json.loads((tmp_path / "out/readings.json").read_text())
    expected = [r.value for r in read_all(study, prepared, outcome.fields, outcome.history)]
    assert [r["value"] for r in found["readings"]] == expected
    assert found["mass_imbalance"] < 1e-8
    assert (tmp_path / "out/fields.vtu").stat().st_size > 1000
    rows = list(csv.DictReader((tmp_path / "out/histories.csv").open()))
    assert len(rows) == found["iterations"]
    assert float(rows[-1]["momentum_residual"]) <= 1e-5
    assert not list((tmp_path / "out").glob(".*"))


def test_a_run_that_does_not_converge_exits_with_2(tmp_path):
    study = set_value(tray(), "/run_rules/iterations", "5")
    result = command.invoke(
        app, ["run", str(write(tmp_path, study)), "--variant", "plain", "--out", str(tmp_path / "out")]
    )
    assert result.exit_code == 2
    assert "5 iterations were not enough" in json.loads((tmp_path / "out/readings.json").read_text())["message"]


def test_errors_exit_with_1_and_write_nothing(tmp_path):
    good = write(tmp_path, tray())
    for arguments in (
        ["run", "nowhere.json"],
        ["run", str(good), "--variant", "plan"],
        ["verify", "cavty"],
        ["bench", "x"],
    ):
        result = command.invoke(app, arguments)
        assert result.exit_code == 1, arguments
    wrong = write(tmp_path, tray(mesh_plan={"bulk": "3"}))
    result = command.invoke(app, ["run", str(wrong), "--out", str(tmp_path / "out")])
    assert result.exit_code == 1
    assert "/mesh_plan/bulk: a unit is missing" in result.stderr
    assert not (tmp_path / "out").exists()
    result = command.invoke(app, ["check", str(wrong)])
    assert result.exit_code == 1
    assert "/mesh_plan/bulk" in result.stdout


def test_check_of_a_good_study_exits_with_0(tmp_path):
    assert command.invoke(app, ["check", str(write(tmp_path, tray()))]).exit_code == 0


@pytest.mark.slow
@pytest.mark.parametrize(
    "case",
    ["channel", "pipe", "cavity-100", "convection-1e4", "composite-wall", "fin", "counterflow", "taylor-couette"],
)
def test_quick_cases_of_verification_pass_with_the_figures_that_are_shown(case, tmp_path):
    """The page Evidence shows what a file holds: those that are quick are measured anew, and have to be the same."""
    result = command.invoke(app, ["verify", case, "--json", str(tmp_path / "figures.json")])
    assert result.exit_code == 0, result.stdout
    found = json.loads((tmp_path / "figures.json").read_text())[case]["comparisons"]
    shown = json.loads((files("brook") / "evidence.json").read_text())["cases"][case]["comparisons"]
    assert [c["what"] for c in found] == [c["what"] for c in shown]
    for now, then in zip(found, shown, strict=True):
        assert now["passed"]
        assert now["measured"] == pytest.approx(
            then["measured"], rel=1e-4, abs=max(1e-14, 1e-4 * abs(then["reference"]))
        ), now["what"]
