"""Flows in time: laws of the steps, values that change, averages, and going on where a run stopped."""

import json
from dataclasses import replace

import meshio
import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.numerics import Stencil
from brook.core.results.files import write_vtu
from brook.core.results.readings import read_value
from brook.core.solve import Checkpoint, History, boundary_conditions, run_in_time
from brook.core.solve.time_levels import rates
from brook.core.stages.assembly import flow_of
from brook.core.stages.in_time import conditions_in_time, timing_of
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification import taylor_green


def channel(timing: dict | None = None, speed: str = "0.1 m/s", **more) -> Study:
    outer = {"name": "duct", "left": "0 m", "bottom": "0 m", "width": "0.4 m", "height": "0.1 m",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "floor", "top": "lid"}}  # fmt: skip
    timing = {"kind": "in_time", "duration": "1 s", "steps": "fixed", "step": "0.1 s", "keep_every": "0.5 s"} | (
        timing or {}
    )
    return study_from({
        "format": "brook-study", "version": 1, "title": "duct",
        "variants": [{"name": "duct", "title": "Duct", "geometry": {"outer": outer}}],
        "requirements": [{"name": "drop", "title": "Drop", "reading": "inlet.pressure.mean - outlet.pressure.mean",
                          "limit": {"kind": "smallest"}}],
        "mesh_plan": {"bulk": "20 mm", "wall": "20 mm"},
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "1e-3 Pa s"}, "timing": timing,
                   "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": speed}, {"kind": "pressure", "patch": "outlet"}]},
        **more,
    })  # fmt: skip


def ran(study: Study):
    prepared = prepare(study, study.variants[0])
    assert prepared.ready, prepared.problems
    return prepared, solve(study, prepared, make_mesh(prepared))


@pytest.mark.parametrize(("step", "before"), [(0.1, None), (0.1, 0.1), (0.1, 0.04), (0.02, 0.07)])
def test_rates_are_exact_for_lines_and_with_two_steps_for_parabolas(step, before):
    now, last, older = rates(step, before)
    times = np.array([0.0, -step, -step - (before or 0.0)])
    factors = np.array([now, last, older])
    assert factors.sum() == pytest.approx(0, abs=1e-9)
    assert factors @ times == pytest.approx(1.0)
    if before is not None:
        assert factors @ times**2 == pytest.approx(0.0, abs=1e-12)


def test_vortices_decay_as_they_should():
    velocity, stencil = taylor_green.Decay(24).after(0.2, 2)
    wanted = taylor_green.velocity(stencil.mesh.centre, taylor_green.DURATION)
    assert np.abs(velocity - wanted).max() < 0.01


def test_a_run_stops_at_its_time_and_goes_on_bit_for_bit():
    study = channel()
    prepared = prepare(study, study.variants[0])
    mesh, timing = make_mesh(prepared), timing_of(prepared)
    whole = run_in_time(flow_of(study, prepared, mesh)[0], timing, {})
    half = run_in_time(flow_of(study, prepared, mesh)[0], replace(timing, duration=0.5), {})
    assert half.history.time[-1] == pytest.approx(0.5)
    rest = run_in_time(flow_of(study, prepared, mesh)[0], timing, {}, start=half.checkpoint)
    assert len(rest.history) == len(whole.history) == 10
    assert np.array_equal(rest.fields.velocity, whole.fields.velocity)
    assert np.array_equal(rest.fields.pressure, whole.fields.pressure)
    assert np.array_equal(rest.fields.more["averaged_velocity"][0], whole.fields.more["averaged_velocity"][0])


def test_a_checkpoint_in_time_comes_back_from_its_file(tmp_path):
    _, outcome = ran(channel())
    outcome.checkpoint.save(tmp_path / "1.npz", "mesh", "run")
    again = Checkpoint.load(tmp_path / "1.npz")
    assert again is not None
    for kept, now in ((again.state, outcome.checkpoint.state), (again.time, outcome.checkpoint.time)):
        assert plain(kept) == plain(now)
    assert {"flow"} == set(again.state)
    assert {"time-clock", "time-level-0", "time-level-1", "time-averages"} == set(again.time)


def plain(state):
    return {(of, name): values.tolist() for of, arrays in state.items() for name, values in arrays.items()}


def test_a_checkpoint_that_was_kept_flat_is_lifted_and_goes_on_bit_for_bit(tmp_path):
    """As it was before states went by equation: one name for each array, and no volumes at earlier moments."""
    study = channel()
    prepared = prepare(study, study.variants[0])
    mesh, timing = make_mesh(prepared), timing_of(prepared)
    half = run_in_time(flow_of(study, prepared, mesh)[0], replace(timing, duration=0.5), {})
    flat = {name: values for name, values in half.checkpoint.state["flow"].items() if name != "version"}
    flat |= {"clock": half.checkpoint.time["time-clock"]["clock"], **half.checkpoint.time["time-averages"]}
    for k in range(2):
        level = half.checkpoint.time[f"time-level-{k}"]
        flat |= {f"moment-{k}-{name}": level[name] for name in ("velocity", "pressure", "flux", "off")}
    about = json.dumps({"gentle": False, "began_at": 0, "mesh": "m", "run": "r"})
    np.savez(tmp_path / "old.npz", about=np.array(about), history=np.array(half.checkpoint.history), **flat)
    whole = run_in_time(flow_of(study, prepared, mesh)[0], timing, {})
    rest = run_in_time(flow_of(study, prepared, mesh)[0], timing, {}, start=Checkpoint.load(tmp_path / "old.npz"))
    assert np.array_equal(rest.fields.velocity, whole.fields.velocity)
    assert np.array_equal(rest.fields.more["averaged_velocity"][0], whole.fields.more["averaged_velocity"][0])


def test_a_state_of_another_kind_or_version_is_refused_and_what_is_left_out_is_marked():
    study = channel()
    prepared = prepare(study, study.variants[0])
    mesh = make_mesh(prepared)
    flow, _ = flow_of(study, prepared, mesh)
    state = flow.state()
    with pytest.raises(ValueError, match="that of solids alone, not of a flow; begin anew"):
        flow.restore({"heat": {}})
    with pytest.raises(ValueError, match=r"keeps flow as version 99 .* this is 1; begin anew"):
        flow.restore({"flow": state["flow"] | {"version": np.array(99)}})
    start = Checkpoint(state | {"heat": {}}, False, json.dumps(History(()).since(0)), 0)
    outcome = run_in_time(flow, replace(timing_of(prepared), duration=0.2), {}, start=start)
    assert (0, "heat of the state before was left out") in outcome.history.marks


def test_what_enters_may_change_with_time():
    """A stream that swells evenly is pushed by the mass in the duct: Δp = ρ L du/dt when friction is small."""
    study = channel({"reads": "end", "duration": "2 s"}, "0.1 m/s + 0.05 m/s^2 * t")
    slip = [{"kind": "slip", "patch": p} for p in ("floor", "lid")]
    raw = study.model_dump(mode="json")
    raw["set_up"]["boundaries"] += slip
    study = study_from(raw)
    prepared, outcome = ran(study)
    assert outcome.fields.flow("outlet") / (0.1 * outcome.fields.mesh.points[:, 2].max()) == pytest.approx(
        0.2, rel=1e-6
    )
    (drop,) = read_all(study, prepared, outcome.fields, outcome.history)
    assert drop.value == pytest.approx(1 * 0.4 * 0.05, rel=1e-3)


def test_a_long_run_comes_to_the_steady_answer():
    steady = channel()
    raw = steady.model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["run_rules"]["residual"] = "1e-9"
    _, wanted = ran(study_from(raw))
    for step in ("0.5 s", "2 s"):  # the step leaves no trace, though the flux is interpolated
        _, outcome = ran(
            channel({"duration": "60 s", "step": step, "keep_every": "60 s", "residual": "1e-7", "repeats": 40})
        )
        assert np.abs(outcome.fields.velocity - wanted.fields.velocity).max() < 1e-6 * 0.1
        assert np.abs(outcome.fields.pressure - wanted.fields.pressure).max() < 1e-4 * np.ptp(wanted.fields.pressure)


def test_steps_follow_the_courant_number_and_meet_kept_times():
    kept = []
    study = channel({"steps": "courant", "courant": "0.8", "step": "1 s", "duration": "3 s", "keep_every": "0.7 s"})
    prepared = prepare(study, study.variants[0])
    flow, _ = flow_of(study, prepared, make_mesh(prepared))
    from brook.core.solve import Watch

    class Keeper(Watch):
        def save_moment(self, time, fields):
            kept.append(time)

    outcome = run_in_time(flow, timing_of(prepared), {}, Keeper())
    assert kept == pytest.approx([0.7, 1.4, 2.1, 2.8])
    steps = np.diff(outcome.history.time)
    assert (steps[1:] <= 1.1 * steps[:-1] * (1 + 1e-9)).sum() >= len(steps) - 1 - 2 * len(kept)
    assert max(flow.courant(s) for s in steps[-3:]) < 0.9


def test_averages_are_in_the_file_of_fields(tmp_path):
    _, outcome = ran(channel())
    write_vtu(tmp_path / "fields.vtu", outcome.fields)
    found = meshio.read(tmp_path / "fields.vtu").cell_data
    assert {"averaged_velocity", "averaged_pressure", "fluctuation"} <= set(found)
    assert found["averaged_pressure"][0] == pytest.approx(outcome.fields.more["averaged_pressure"][0])


def test_readings_over_time_and_the_table_of_steps():
    study = channel({"reads": "largest", "average_from": "0.3 s"})
    prepared, outcome = ran(study)
    values = np.array(outcome.history.monitors["drop"])
    (largest,) = read_all(study, prepared, outcome.fields, outcome.history)
    assert largest.value == values[3:].max()
    assert outcome.history.csv().splitlines()[0].startswith("step,time,momentum_residual")
    steady = channel()
    assert stage_keys(study, prepared).run != stage_keys(steady, prepare(steady, steady.variants[0])).run


def averaging(reading: str, timing: dict | None = None) -> Study:
    raw = channel(timing, "0.1 m/s * (1 + t / (1 s))").model_dump(mode="json")
    raw["fields"] = {"strayed": "fluctuation / (averaged_speed + 1 mm/s)"}
    raw["requirements"] = [
        {"name": name, "title": name, "reading": text, "limit": {"kind": "smallest"}}
        for name, text in {"asked": reading, "flow": "inlet.velocity_x.mean"}.items()
    ]
    return study_from(raw)


def test_averages_and_fluctuations_are_read_as_they_stand_at_the_end():
    study = averaging("inlet.averaged_velocity_x.mean", {"average_from": "0.5 s", "reads": "mean"})
    prepared, outcome = ran(study)
    averaged, flow = read_all(study, prepared, outcome.fields, outcome.history)
    assert averaged.value == pytest.approx(flow.value)  # 0.18 m/s; the mean of its course would be 0.17 m/s
    assert averaged.value == pytest.approx(0.1 * np.mean([1.6, 1.7, 1.8, 1.9, 2.0]))
    view = prepared.places.view(outcome.fields)
    along, spread = outcome.fields.more["averaged_velocity"][0], outcome.fields.more["fluctuation"][0]
    assert view.values("strayed")[0] == pytest.approx(spread / (np.linalg.norm(along, axis=1) + 1e-3))
    assert read_value("inlet.fluctuation.mean", prepared.places, prepared.scope, outcome.fields) == pytest.approx(
        0.1 * np.std([1.6, 1.7, 1.8, 1.9, 2.0])
    )


@pytest.mark.parametrize("timing", [{"kind": "steady"}, {"averages": False}])
def test_averages_are_not_read_where_none_are_taken(timing):
    raw = averaging("inlet.averaged_pressure.mean").model_dump(mode="json")
    raw["set_up"]["timing"] |= timing
    if "kind" in timing:
        raw["set_up"]["timing"] = timing
        raw["set_up"]["boundaries"][0]["speed"] = "0.1 m/s"
    study = study_from(raw)
    paths = {p.path for p in prepare(study, study.variants[0]).problems}
    assert paths == {"/fields/strayed", "/requirements/0/reading"}


def test_what_cannot_be_followed_is_told():
    late = prepare(s := channel({"average_from": "5 s"}), s.variants[0])
    assert [p.path for p in late.problems] == ["/set_up/timing/average_from"]
    many = prepare(s := channel({"step": "1e-9 s"}), s.variants[0])
    assert "choose longer ones" in many.problems[0].message
    raw = channel().model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["boundaries"][0]["speed"] = "0.1 m/s * t / (1 s)"
    steady = study_from(raw)
    (problem,) = prepare(steady, steady.variants[0]).problems
    assert "flow in time" in problem.message


def test_what_changes_in_time_is_what_the_document_says_then():
    """Only values that name the time are evaluated in a step; all together are those of the document at that time."""
    from brook.core.study import named_scope, resolve

    study = channel({"duration": "2 s"}, "0.1 m/s + growth * t")
    raw = study.model_dump(mode="json")
    raw["named_values"] = {"growth": "0.05 m/s^2"}
    raw["set_up"]["boundaries"][1]["pressure"] = "3 Pa + 1 Pa/m * y"
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    stencil = Stencil(make_mesh(prepared))
    at = conditions_in_time(study, prepared, stencil)
    for time in (0.0, 1.3):
        problems = []
        scope = named_scope(study, study.variants[0], time)
        said = [resolve(b, scope, "", problems) for b in study.set_up.boundaries]
        wanted = boundary_conditions(stencil, said)
        assert not problems
        assert np.array_equal(at(time).velocity, wanted.velocity)
        assert np.array_equal(at(time).pressure, wanted.pressure)
    assert at(1.3).velocity.max() == pytest.approx(0.165)


def test_what_a_plot_follows_is_watched_at_every_step_of_a_run_in_time():
    """Though no requirement asks for it, and without a say in anything."""
    study = act(channel({"duration": "0.2 s", "step": "0.05 s"}), "add_course", written="outlet.speed.mean")
    prepared = prepare(study, study.variants[0])
    plain = channel({"duration": "0.2 s", "step": "0.05 s"})
    assert stage_keys(study, prepared).run == stage_keys(plain, prepare(plain, plain.variants[0])).run
    history = solve(study, prepared, make_mesh(prepared)).history
    assert len(history.monitors["outlet.speed.mean"]) == len(history.time) == 4
