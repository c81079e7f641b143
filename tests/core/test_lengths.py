"""Lengths and evenness that are read by a word: where a flow turns back and comes forward again, layers, places of extremes."""

from functools import partial

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.editing import EditRefused, set_value
from brook.core.formulas import FormulaError
from brook.core.results.places import Samples
from brook.core.results.readings import read_value, words_of
from brook.core.results.statistics import STATISTICS
from brook.core.results.statistics.turning import backward, course
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import expected_words, read_all
from brook.core.stages.running import solve
from brook.core.study.document import study_from

STEP, HEIGHT = 0.01, 0.02  # m: half of the channel behind it


def step():
    """A laminar flow at Re = 100 by the height of the inlet, over a step of half of the channel."""
    outer = {"name": "duct", "left": "-40 mm", "bottom": "0 mm", "width": "240 mm", "height": "20 mm",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "floor", "top": "lid"}}  # fmt: skip
    block = {
        "name": "step",
        "action": "take",
        "left": "-40 mm",
        "bottom": "0 mm",
        "width": "40 mm",
        "height": "10 mm",
        "patches": dict.fromkeys(("left", "right", "bottom", "top"), "step"),
    }
    reads = {
        "again": "floor.friction_x.reattaches", "leaves": "lid.friction_x.separates", "length": "low.velocity_x.reattaches",
        "even": "outlet.velocity_x.uniformity", "apart": "outlet.speed.deviation", "fastest": "outlet.speed.y_of_max",
    }  # fmt: skip
    low = {"kind": "line", "start_x": "0 mm", "start_y": "0.25 mm", "end_x": "200 mm", "end_y": "0.25 mm"}
    return study_from({
        "format": "brook-study", "version": 1, "title": "Step", "mesh_plan": {"bulk": "1 mm", "wall": "1 mm"},
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": [block]}}], "places": {"low": low},
        "requirements": [{"name": name, "title": name.title(), "reading": text, "limit": {"kind": "smallest"}} for name, text in reads.items()],
        "set_up": {"fluid": {"kind": "own", "density": "1000 kg/m^3", "viscosity": "1 mPa s"},
                   "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": "10 mm/s", "profile": "developed"}, {"kind": "pressure", "patch": "outlet"}]},
        "run_rules": {"residual": "1e-6"},
    })  # fmt: skip


@pytest.fixture(scope="module")
def stepped():
    study = step()
    prepared = prepare(study, study.variants[0])
    assert not check(study)
    outcome = solve(study, prepared, make_mesh(prepared))
    return study, prepared, outcome


def test_a_run_ends_though_one_of_its_readings_has_no_value(stepped):
    """Nothing leaves the lid at such a Reynolds number."""
    study, prepared, outcome = stepped
    assert outcome.state == "converged", outcome.message
    found = {r.name: r for r in read_all(study, prepared, outcome.fields, outcome.history)}
    assert found["leaves"].value is None
    assert found["leaves"].problem == "nothing goes backward there"


def test_the_flow_behind_a_step_comes_back_where_its_friction_says(stepped):
    """Armaly, Durst, Pereira & Schönung (1983) have x/s near 3 at Re = 100 by their diameter of twice the inlet, 50 by ours; it grows nearly with Re."""
    study, prepared, outcome = stepped
    found = {r.name: r.value for r in read_all(study, prepared, outcome.fields, outcome.history)}
    faces = outcome.fields.mesh.patch("floor").faces
    friction = prepared.places.view(outcome.fields).values("friction_x")[1][
        outcome.fields.stencil.boundary_faces(outcome.fields.mesh.patch("floor"))
    ]
    x = outcome.fields.mesh.face_centres(faces)[:, 0]
    order = np.argsort(x)
    last = np.nonzero(friction[order] < 0)[0][-1]
    assert x[order][last] < found["again"] < x[order][last + 1]
    assert 3.5 < found["again"] / STEP < 6.5
    assert found["length"] == pytest.approx(found["again"], rel=0.05)
    # developed again at the end: u = 6 U s (1 - s) differs from its mean by 0.3849 of it in the mean
    assert found["even"] == pytest.approx(1 - 0.3849 / 2, abs=0.01)
    assert found["apart"] == pytest.approx(0.005 / 5**0.5, rel=0.02)
    assert found["fastest"] == pytest.approx(HEIGHT / 2, abs=0.001)


def test_ends_of_a_stretch_are_those_of_its_line():
    x = np.linspace(0, 10, 101)
    assert backward(x, (x - 2.03) * (x - 7.01)) == pytest.approx((2.03, 7.01), abs=2e-3)
    assert backward(x, x - 3.05) == (None, pytest.approx(3.05))
    assert backward(x, np.ones(101)) is None
    rows = Samples(
        np.r_[-np.ones(4), np.ones(4)],
        np.ones(8),
        place_of=lambda: np.c_[np.tile([1.0, 2.0], 4), np.zeros((8, 2))][np.r_[0, 2, 4, 6, 1, 3, 5, 7]],
    )
    assert [v.tolist() for v in course(rows)] == [[1, 2], [-1, 1]]
    other_way = Samples(rows.values, rows.weights, place_of=lambda: -rows.at, onward=-1.0)
    assert STATISTICS["separates"].evaluate(other_way) == pytest.approx(-1.5)


def test_a_boundary_layer_is_as_thick_as_its_law():
    """u/U = tanh(y): δ₁ = ln 2, δ₂ = 1 − ln 2 of an endless one."""
    y = (np.arange(4000) + 0.5) * 0.005
    line = Samples(np.tanh(y), np.full(4000, 0.005), place_of=lambda: np.c_[y, y, y], is_line=True)
    assert STATISTICS["layer_99"].evaluate(line) == pytest.approx(np.arctanh(0.99), rel=1e-3)
    assert STATISTICS["displacement_thickness"].evaluate(line) == pytest.approx(np.log(2), rel=1e-3)
    assert STATISTICS["momentum_thickness"].evaluate(line) == pytest.approx(1 - np.log(2), rel=1e-3)
    with pytest.raises(FormulaError, match="along a line that begins at a wall"):
        STATISTICS["layer_99"].evaluate(Samples(np.ones(50), np.ones(50)))


@pytest.mark.parametrize(("text", "words"), [
    ("floor.pressure.reattaches", "'reattaches' of pressure is not known"), ("floor.speed.layer_99", "'layer_99' of speed is not known"),
])  # fmt: skip
def test_words_that_mean_nothing_there_are_refused(text, words, stepped):
    _, prepared, outcome = stepped
    with pytest.raises(FormulaError, match=words):
        read_value(text, prepared.places, prepared.scope, outcome.fields)


def test_they_are_said_in_words():
    assert words_of("floor.friction_x.reattaches") == "where the friction along x of floor goes forward again"
    assert words_of("bar.pressure.x_of_max") == "x where pressure of bar is largest"


def test_what_is_expected_stands_beside_what_was_found():
    raw = step().model_dump(mode="json")
    raw["requirements"] = [
        {
            "name": "apart",
            "title": "Apart",
            "reading": "outlet.speed.deviation",
            "limit": {"kind": "smallest"},
            "expected": "2 mm/s",
            "expected_from": "by hand",
        }
    ]
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    told = partial(expected_words, study.requirements[0], prepared)
    assert told(2.1e-3) == "by hand 2 mm/s: 5.0 % above that"
    assert told(1.5e-3) == "by hand 2 mm/s: 25 % under that"
    assert told(2e-3) == "by hand 2 mm/s: just that"
    keys = [stage_keys(s, prepare(s, s.variants[0])) for s in (study, set_value(study, "/requirements/0/expected", ""))]
    assert keys[0] == keys[1]  # it changes nothing that was computed
    with pytest.raises(EditRefused, match="this is a length"):
        set_value(study, "/requirements/0/expected", "2 mm")
