"""Coefficients by a word: over reference values that are said, or worked out from what a patch shows to the stream."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import set_value
from brook.core.results.frontal import _shadow, shadow_of_edges
from brook.core.results.loads import load_on, spread_along
from brook.core.results.readings import read_value
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from

DIAMETER, SPEED, DENSITY, DEPTH = 0.02, 0.05, 1000.0, 0.5


def bar():
    """A round bar in a slow stream, whose drag is a requirement."""
    outer = {"name": "stream", "left": "-60 mm", "bottom": "-50 mm", "width": "180 mm", "height": "100 mm",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "side", "top": "side"}}  # fmt: skip
    round_bar = {"kind": "circle", "name": "bar", "action": "take", "centre_x": "0 mm", "centre_y": "4 mm", "diameter": f"{DIAMETER} m", "patch": "bar"}  # fmt: skip
    reads = {"drag": "bar.drag_coefficient.total", "lift": "bar.lift_coefficient.total", "turn": "bar.moment_coefficient.total", "force": "bar.force_x.total"}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Bar", "mesh_plan": {"bulk": "6 mm", "wall": "2 mm"},
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": [round_bar], "depth": f"{DEPTH} m"}}],
        "requirements": [{"name": name, "title": name.title(), "reading": text, "limit": {"kind": "smallest"}} for name, text in reads.items()],
        "set_up": {"fluid": {"kind": "own", "density": f"{DENSITY} kg/m^3", "viscosity": "0.05 Pa s"},
                   "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": f"{SPEED} m/s"}, {"kind": "pressure", "patch": "outlet"}, {"kind": "slip", "patch": "side"}]},
    })  # fmt: skip


@pytest.fixture(scope="module")
def fields():
    study = bar()
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared)).fields


def values(study, fields):
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return {r.name: read_value(r.reading, prepared.places, prepared.scope, fields) for r in study.requirements}


def test_drag_is_over_what_the_bar_shows_to_the_stream(fields):
    found = values(bar(), fields)
    dynamic = DENSITY * SPEED**2 / 2
    assert found["drag"] == pytest.approx(found["force"] / (dynamic * DIAMETER * DEPTH), rel=0.02)
    assert 2 < found["drag"] < 8  # Re = 20, in a narrow stream
    assert abs(found["lift"]) < found["drag"] / 5


def test_reference_values_that_are_said_take_the_place_of_those_worked_out(fields):
    plain = values(bar(), fields)
    said = bar()
    for name, text in (("speed", "0.1 m/s"), ("density", "500 kg/m^3"), ("area", "0.02 m^2")):
        said = set_value(said, f"/set_up/reference/{name}", text)
    assert values(said, fields)["drag"] == pytest.approx(plain["force"] / (0.5 * 500 * 0.01 * 0.02))
    turned = set_value(set_value(bar(), "/set_up/reference/up", "-x"), "/set_up/reference/along", "y")
    other = values(turned, fields)
    assert other["lift"] == pytest.approx(-plain["drag"], rel=0.02)


def test_a_moment_is_about_the_place_that_is_said(fields):
    plain = values(bar(), fields)
    about = set_value(bar(), "/set_up/reference/y", "4 mm")
    moved = values(about, fields)
    arm = 0.004 / DIAMETER
    assert plain["turn"] - moved["turn"] == pytest.approx(-arm * plain["drag"], rel=0.05)


def test_readings_go_out_of_date_with_their_reference_values_and_no_others():
    study = bar()
    before, after = (stage_keys(s, prepare(s, s.variants[0])) for s in (study, set_value(study, "/set_up/reference/area", "1 m^2")))  # fmt: skip
    assert before.run == after.run
    assert before.readings["force"] == after.readings["force"]
    assert before.readings["drag"] != after.readings["drag"]
    wrong = set_value(study, "/set_up/reference/up", "-x")
    assert "lift goes across the stream" in prepare(wrong, wrong.variants[0]).problems[0].message


def test_shadows_count_once_what_lies_behind():
    x = np.array([1.0, 0.0])
    edges = np.array([[[0, 0], [0, 1]], [[3, 0.5], [3, 2]], [[5, 4], [5, 5]], [[5, 4], [6, 4]]], float)
    assert shadow_of_edges(edges, x) == pytest.approx(3.0)
    assert shadow_of_edges(edges, np.array([0.0, 1.0])) == pytest.approx(1.0)


def test_shadows_in_space():
    side = np.array([[0, 0, 0], [0, 2, 0], [0, 2, 1], [0, 0, 1]], float)
    behind = side * 0.5 + np.array([3.0, 0.2, 0.2])
    along = np.array([1.0, 0.0, 0.0])
    assert _shadow([side, behind], along) == pytest.approx(2.0, rel=2e-3)
    assert _shadow([side, side + np.array([1.0, 2.0, 0.0])], along) == pytest.approx(4.0, rel=2e-3)
    assert _shadow([side], np.array([0.0, 0.0, 1.0])) == pytest.approx(0.0, abs=2e-3)
    turns = np.linspace(0, 2 * np.pi, 120, endpoint=False)
    disc = np.stack([np.zeros(120), np.cos(turns), np.sin(turns)], axis=1)
    assert _shadow([disc], along) == pytest.approx(np.pi, rel=3e-3)
    assert _shadow([disc], np.array([1.0, 1.0, 0.0]) / 2**0.5) == pytest.approx(np.pi / 2**0.5, rel=4e-3)


def test_a_load_on_several_patches_is_one_force_at_one_place(fields):
    """The moment about any place is that of the whole force where it acts; pieces along an axis add up to it."""
    prepared = prepare(bar(), bar().variants[0])
    view = prepared.places.view(fields)
    load = load_on(view, ["bar"])
    np.testing.assert_allclose(np.cross(load.centre, load.total), load.moment, atol=1e-9 * np.abs(load.moment).max())
    assert abs(load.centre[1] - 0.004) < 1e-4  # drag goes through its middle
    assert load.coefficients == pytest.approx([values(bar(), fields)[n] for n in ("drag", "lift", "turn")], rel=1e-9)
    both = load_on(view, ["bar", "side"])
    np.testing.assert_allclose(both.total, load.total + load_on(view, ["side"]).total, rtol=1e-12)
    for axis in (0, 1):
        spread = spread_along(view, ["bar"], axis)
        wide = spread.at[1] - spread.at[0]
        np.testing.assert_allclose(
            (spread.pressure + spread.friction).sum(axis=0) * wide, load.total, rtol=1e-9, atol=1e-12
        )
        np.testing.assert_allclose(spread.so_far[-1], load.total, rtol=1e-9, atol=1e-12)
        assert wide * len(spread.at) == pytest.approx(DIAMETER, rel=0.01)
    front = spread_along(view, ["bar"], 0)
    assert front.pressure[0, 0] > front.pressure[20, 0]  # the front takes most
    nothing = load_on(view, [])
    assert nothing.centre is None
    assert not nothing.total.any()
