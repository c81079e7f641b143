"""Scalars that a flow carries: exact answers, what is kept, bounds, and what is told."""

import hashlib
from dataclasses import replace

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.checks.bodies import made_shape
from brook.core.editing import EditRefused, act
from brook.core.geometry import shape_cache
from brook.core.solve import Checkpoint, run_in_time
from brook.core.solve.time_levels import TimeScheme
from brook.core.stages.assembly import flow_of
from brook.core.stages.in_time import timing_of
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.study.names import names_of
from brook.core.verification import tracer
from brook.demo import spray_header
from tests.core.test_time import channel

DYE = {"kind": "tracer", "name": "dye", "inflows": [{"patch": "inlet", "concentration": "2 g/m^3"}]}


def carrying(*scalars, **more):
    raw = channel().model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["scalars"] = list(scalars)
    raw["set_up"] |= more
    return raw


def ran(raw):
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    outcome = solve(study, prepared, make_mesh(prepared))
    return outcome, {r.name: r.value for r in read_all(study, prepared, outcome.fields, outcome.history)}


def test_exact_answers():
    for comparison in tracer.steady():
        assert comparison.passed, comparison


def test_a_square_pulse_stays_within_its_bounds_and_is_kept():
    carried = tracer.Carried(24, 0.0)
    x, y = carried.places.T
    carried.equation.value = ((np.abs(x - 0.2) < 0.12) & (np.abs(y) < 0.12)).astype(float)
    before = carried.equation.value.sum()
    turn = np.stack([-carried.faces[:, 1], carried.faces[:, 0], np.zeros(len(carried.faces))], axis=1)
    found = carried.through(2 * np.pi * turn, 0.25, 60)
    assert carried.lowest > -1e-3
    assert carried.highest < 1 + 1e-3
    assert found.sum() == pytest.approx(before, rel=1e-6)


def test_what_is_set_free_leaves_and_residuals_go_by_name():
    """A release of M kg/s in a stream of Q m³/s leaves at M / Q."""
    raw = carrying(
        DYE | {"inflows": [], "releases": [{"body": "fluid", "rate": "3 mg/s"}]}, {"kind": "age", "name": "age"}
    )
    raw["requirements"] = [
        {"name": "out", "title": "Out", "reading": "outlet.dye.mixed", "limit": {"kind": "smallest"}},
        {"name": "flow", "title": "Flow", "reading": "outlet.flow.total", "limit": {"kind": "largest"}},
        {"name": "old", "title": "Old", "reading": "fluid.age.max", "limit": {"kind": "smallest"}},
    ]  # fmt: skip
    outcome, values = ran(raw)
    assert outcome.state == "converged"
    assert set(outcome.history.residuals) == {"momentum", "mass", "dye", "age"}
    assert values["out"] * values["flow"] == pytest.approx(3e-6, rel=1e-6)
    assert values["old"] > 0


def test_scalars_in_time_go_on_bit_for_bit():
    raw = channel().model_dump(mode="json")
    raw["set_up"]["scalars"] = [DYE]
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    mesh, timing = make_mesh(prepared), timing_of(prepared)
    whole = run_in_time(flow_of(study, prepared, mesh)[0], timing, {})
    half = run_in_time(flow_of(study, prepared, mesh)[0], replace(timing, duration=0.5), {})
    rest = run_in_time(flow_of(study, prepared, mesh)[0], timing, {}, start=half.checkpoint)
    assert np.array_equal(rest.fields.more["dye"][0], whole.fields.more["dye"][0])
    assert -1e-9 <= whole.fields.more["dye"][0].min() < whole.fields.more["dye"][0].max()
    assert whole.fields.more["dye"][0].max() <= 2e-3 * (1 + 1e-6)
    assert "dye was followed to first order in" in whole.message
    assert rest.message.partition("; dye")[2] == whole.message.partition("; dye")[2]  # steps before the pause count too
    assert isinstance(half.checkpoint, Checkpoint)


@pytest.mark.parametrize(
    ("scalars", "path", "words"),
    [
        ([DYE | {"name": "speed"}], "/set_up/scalars/0/name", "already has a meaning"),
        ([DYE, DYE], "/set_up/scalars/1/name", "already has a meaning"),
        ([DYE | {"inflows": [{"patch": "inlt"}]}], "/set_up/scalars/0/inflows/0/patch", "did you mean"),
        ([DYE | {"inflows": [{"patch": "floor"}]}], "/set_up/scalars/0/inflows/0/patch", "nothing flows in through 'floor'"),
        ([DYE | {"releases": [{"body": "tank"}]}], "/set_up/scalars/0/releases/0/body", "there is no body 'tank'"),
        ([DYE | {"decay": "1 s"}], "/set_up/scalars/0/decay", "this is a rate"),
    ],
)  # fmt: skip
def test_what_cannot_be_carried_is_told_at_its_place(scalars, path, words):
    problems = {p.path: p.message for p in check(study_from(carrying(*scalars)))}
    assert words in problems[path]


def test_the_age_of_a_closed_fluid_asks_for_time():
    raw = carrying({"kind": "age", "name": "age"}, boundaries=[{"kind": "sliding", "patch": "lid"}])
    assert any("gets older for ever" in p.message for p in check(study_from(raw)))


def test_a_study_without_scalars_keeps_its_keys_and_one_with_them_gets_others():
    reading = {"name": "out", "title": "Out", "reading": "outlet.dye.mixed", "limit": {"kind": "smallest"}}
    plain, with_dye = study_from(carrying()), study_from(carrying(DYE) | {"requirements": [reading]})
    one, two = (stage_keys(s, prepare(s, s.variants[0])) for s in (plain, with_dye))
    assert one.mesh == two.mesh
    assert one.run != two.run
    assert set(two.readings) == {"out"}


def test_patches_are_renamed_wherever_they_are_named():
    study = study_from(carrying(DYE) | {"mesh_plan": {"patches": {"inlet": "2 mm"}, "bulk": "10 mm", "wall": "10 mm"}})
    renamed = act(study, "rename_patch", patch="inlet", to="mouth")
    assert renamed.set_up.scalars[0].inflows[0].patch == "mouth"
    assert list(renamed.mesh_plan.patches) == ["mouth"]
    assert not [place for place in names_of(renamed, "patch") if place.name == "inlet"]


def test_a_size_for_a_patch_that_is_not_there_is_told():
    """It was left out without a word."""
    study = study_from(carrying() | {"mesh_plan": {"way": "boxes", "patches": {"flor": "2 mm"}}})
    assert ("/mesh_plan/patches/flor", "'flor' is not a patch: did you mean floor?") in {
        (p.path, p.message) for p in check(study)
    }


def test_actions_on_what_a_flow_carries():
    study = act(act(study_from(carrying()), "add_scalar", kind="tracer"), "add_scalar", kind="tracer")
    assert [s.name for s in study.set_up.scalars] == ["tracer", "tracer_2"]
    study = act(study, "set_inflow", scalar="tracer_2", patch="inlet")
    study = act(study, "add_release", scalar="tracer", body="fluid")
    assert study.set_up.scalars[1].inflows[0].patch == "inlet"
    assert study.set_up.scalars[0].releases[0].body == "fluid"
    with pytest.raises((EditRefused, KeyError)):
        act(study, "set_inflow", scalar="nothing", patch="inlet")


def test_water_that_circles_without_loss_has_an_answer():
    """Equations of a closed eddy without diffusion have no single one; the run ended in an error of the library."""
    from tests.core.studies import raw_tray

    raw = raw_tray()
    raw["set_up"]["scalars"] = [
        {
            "kind": "tracer",
            "name": "dye",
            "diffusivity": "0 m^2/s",
            "inflows": [{"patch": "inlet", "concentration": "2 g/m^3"}],
        }
    ]
    study = study_from(raw)
    prepared = prepare(study, study.variant("plain"))
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    dye = outcome.fields.more["dye"][0]
    assert dye.min() >= -1e-9
    assert dye.max() <= 2e-3 * (1 + 1e-6)


def test_a_name_of_a_variant_is_no_name_of_a_scalar():
    raw = carrying(DYE)
    raw["variants"][0]["named_values"] = {"dye": "3 mm"}
    assert ("/set_up/scalars/0/name", "'dye' already has a meaning; choose another name") in {
        (p.path, p.message) for p in check(study_from(raw))
    }


def test_a_step_that_is_halved_is_halved_for_scalars_too():
    """Its time levels are those of the step that ran away; what was kept of that was its length."""
    raw = channel().model_dump(mode="json")
    raw["set_up"]["scalars"] = [DYE]
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    found = []
    for lengths in ((0.1, 0.05), (0.05,)):
        flow, _ = flow_of(study, prepared, make_mesh(prepared))
        (dye,) = flow.model.equations
        levels, start = (flow.time_level(),), flow.state()
        for length in lengths:
            flow.restore(start)
            flow.time_scheme = TimeScheme.of(levels, length, None)
            for _ in range(20):
                dye.follow(flow, 0.0)
        found.append(dye.equation.value)
    assert found[0] == pytest.approx(found[1], abs=1e-9)
    assert found[0].max() > 1e-7


def test_a_gentler_start_begins_with_what_is_carried_at_its_start():
    study = study_from(carrying({**DYE, "start": "0.5 g/m^3"}))
    prepared = prepare(study, study.variants[0])
    flow, _ = flow_of(study, prepared, make_mesh(prepared))
    (equation,) = flow.model.equations
    begun = equation.equation.value.copy()
    for _ in range(10):
        flow.iterate()
    assert not np.allclose(equation.equation.value, begun)
    equation.equation.value[0] = np.nan  # as where it ran away
    again = flow.gentler()
    assert np.array_equal(again.model.equations[0].equation.value, begun)


def test_a_patch_that_only_another_shape_brings_stops_no_variant():
    """The vane of one header is no reason not to mesh another, in a process that has made only that one."""
    contents = {
        name: (file, hashlib.sha256(data).hexdigest()[:20]) for name, (file, data) in spray_header.files().items()
    }
    study = spray_header.study(contents)
    even = study.variant("even")
    shape = made_shape(study, even)
    assert shape is not None
    branches = [f"branch_{k}" for k in range(1, 7)] + [f"outlet_{k}" for k in range(1, 7)]
    shape_cache.note(shape.bodies_key, ("inlet", "header", "end", *branches), ())
    assert study.mesh_plan.patches["vane"] == "4 mm"
    assert not [p for p in prepare(study, even).problems if "vane" in p.message]


def pooled(**where):
    """A pool of dye in still water, in time: nothing carries it away."""
    dye = DYE | {"inflows": [], "start": "1 g/m^3", "begins": [{"where": where, "concentration": "5 g/m^3"}]}
    raw = channel(speed="1e-9 m/s").model_dump(mode="json")
    raw["set_up"]["scalars"] = [dye]
    raw["requirements"] = [
        {"name": "held", "title": "Held", "reading": "fluid.dye.mean", "limit": {"kind": "smallest"}}
    ]
    return raw


def test_a_piece_of_the_fluid_begins_with_another_concentration():
    """A box of 50 by 37 mm, whose border cuts cells of 20 mm, in a duct of 400 by 100 mm."""
    box = {"kind": "box", "x": "100 mm", "y": "20 mm", "width": "50 mm", "depth": "37 mm"}
    outcome, found = ran(pooled(**box))
    assert found["held"] == pytest.approx(1e-3 + 4e-3 * 0.05 * 0.037 / (0.4 * 0.1), rel=0.01)
    assert outcome.fields.more["dye"][0].max() == pytest.approx(5e-3, rel=1e-3)


def test_a_pool_that_is_nowhere_is_told():
    with pytest.raises(ValueError, match=r"nothing lies in the box of what holds 0\.005 kg/m³ of dye at the start"):
        ran(pooled(kind="box", x="3 m", y="3 m"))
    study = study_from(pooled(kind="body", body="tank"))
    problem = next(p for p in check(study) if p.path.endswith("/where/body"))
    assert problem.path == "/set_up/scalars/0/begins/0/where/body"
    assert "there is no body 'tank'" in problem.message


def test_a_substance_that_begins_alike_everywhere_has_the_key_it_had():
    raw = carrying(DYE)
    plainly, made = study_from(raw), study_from(raw)
    named = act(made, "add_pool", scalar="dye")
    gone = act(named, "remove", pointer="/set_up/scalars/0/begins/0")
    keys = [stage_keys(s, prepare(s, s.variants[0])).run for s in (plainly, named, gone)]
    assert keys[0] == keys[2] != keys[1]
