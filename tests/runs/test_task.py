"""What a worker does, without a cluster; and the queue with one."""

import json
import os
import queue
import shutil
import signal
import time

import numpy as np
import pytest

from brook.core.editing import act, set_value
from brook.core.mesh import Mesh
from brook.core.results.quantities import OwnQuantity, QuantityKind
from brook.core.solve import Checkpoint, Watch
from brook.core.stages.batch import solve_variant
from brook.core.stages.readings import read_all
from brook.core.study import Study, study_text
from brook.core.units import DIMENSIONS
from brook.core.verification import heated
from brook.runs import Request, RunQueue
from brook.runs.boxes_kept import KNOWN
from brook.runs.halting import halting
from brook.runs.keys import Keys
from brook.runs.sheets import unit_of
from brook.runs.task import Halted, bring_up_to_date
from brook.store.files import ResultFiles
from brook.web.routes.results import quantities
from tests.core.studies import raw_tray, tray
from tests.core.test_following import duct


def do(study, folder, until="readings", wish=lambda: "go on", **more):
    events = []
    ended = bring_up_to_date(Request(1, study_text(study), "hanging", str(folder), until, **more), events.append, wish)
    return ended, events


def results(events):
    return {e["stage"]: e["summary"] for e in events if e["type"] == "result"}


def test_stages_report_and_agree_with_the_core(tmp_path):
    study = tray()
    ended, events = do(study, tmp_path)
    assert ended["state"] == "converged"
    found = results(events)
    assert set(found) == {"mesh", "run", "reading:still", "reading:fastest", "reading:drop"}
    prepared, outcome = solve_variant(study, "hanging")
    for reading in read_all(study, prepared, outcome.fields, outcome.history):
        assert found[f"reading:{reading.name}"]["value"] == reading.value
    assert found["run"]["imbalance"] < 1e-8
    history = [e["history"] for e in events if e["type"] == "history"]
    assert sum(len(h["seconds"]) for h in history) == ended["iterations"]


def test_heat_of_solids_in_time_is_run_and_its_moments_are_kept(tmp_path):
    parts = [
        heated._box("inner", (0, 0, 0), (0.02, 0.03, 0.03)),
        heated._box("outer", (0.02, 0, 0), (0.01, 0.03, 0.03), "apart"),
    ]
    bodies = [
        {"name": n, "holds": "solid", "x": f"{x} mm", "y": "15 mm", "z": "15 mm"}
        for n, x in (("inner", 10), ("outer", 25))
    ]
    solid = {"kind": "solid", "substance": "brick"}
    heat = {"start": "20 degC", "patches": [{"kind": "temperature", "patch": "inner_west", "temperature": "60 degC"}]}
    timing = {
        "kind": "in_time",
        "duration": "300 s",
        "steps": "fixed",
        "step": "20 s",
        "keep_every": "100 s",
        "reads": "end",
    }
    study = heated._study("wall", parts, {"heat": heat, "materials": {"inner": solid, "outer": solid}, "timing": timing},
                          geometry={"bodies": bodies}, mesh_plan={"bulk": "5 mm", "wall": "5 mm"},
                          requirements=[{"name": "warm", "title": "Warm", "reading": "outer.temperature.mean",
                                         "limit": {"kind": "at_least", "value": "30 degC"}}])  # fmt: skip
    events = []
    ended = bring_up_to_date(Request(1, study_text(study), "a", str(tmp_path)), events.append)
    assert ended["message"].startswith("reached 300 s in 15 steps")
    found = results(events)
    assert found["run"]["moments"] == pytest.approx([100.0, 200.0, 300.0])
    assert found["run"]["heat"]["inner_west"] < 0
    assert 293.15 < found["reading:warm"]["value"] < 333.15
    folder = next((tmp_path / "run").iterdir())
    warm = [np.fromfile(folder / f"at-{k:04d}-temperature.f32", "<f4").mean() for k in range(3)]
    assert warm == sorted(warm)
    assert np.isfinite(np.fromfile(folder / "temperature.f32", "<f4")).all()
    assert not (tmp_path / "moments").exists() or not list((tmp_path / "moments").iterdir())


def test_a_shape_in_space_is_made_meshed_run_and_cut_for_its_pictures(tmp_path):
    pipe = {"kind": "cylinder", "name": "pipe", "diameter": "1 m", "length": "2 m", "axis": "x", "around": 32,
            "patches": {"start": "inlet", "end": "outlet", "side": "wall"}}  # fmt: skip
    study = Study.model_validate({
        "title": "Pipe",
        "variants": [{"name": "hanging", "title": "Pipe", "geometry": {
            "kind": "space", "parts": [pipe], "bodies": [{"name": "oil", "x": "1 m", "y": "0 m", "z": "0 m"}]}}],
        "mesh_plan": {"bulk": "0.25 m", "wall": "0.125 m", "patches": {"inlet": "0.0625 m"}},
        "requirements": [{"name": "drop", "title": "Drop", "reading": "inlet.pressure.mean - outlet.pressure.mean",
                          "limit": {"kind": "at_most", "value": "1 kPa"}}],
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.1 Pa s"},
                   "boundaries": [{"kind": "flow", "patch": "inlet", "volume_flow": "0.8 m^3/s"},
                                  {"kind": "pressure", "patch": "outlet"}]},
    })  # fmt: skip
    ended, events = do(study, tmp_path)
    assert ended["state"] == "converged"
    found = results(events)
    assert found["mesh"]["section"]["across"] == "y"
    assert found["mesh"]["axes"] == found["run"]["axes"] == "xz"
    assert found["run"]["imbalance"] < 1e-10
    assert found["reading:drop"]["value"] > 32 * 0.1 * 2 * 0.9  # more than of developed flow all the way
    folder = next((tmp_path / "run").iterdir())
    mesh = next((tmp_path / "mesh").iterdir())
    corners = np.fromfile(mesh / "corners.f32", "<f4").reshape(-1, 2)
    for quantity in ("speed", "pressure", "velocity_z"):
        values = np.fromfile(folder / f"{quantity}.f32", "<f4")
        assert len(values) == len(corners)
        assert np.isfinite(values).all()
    speed = np.fromfile(folder / "speed.f32", "<f4")
    wall = (np.abs(corners[:, 1]) > 0.98 * corners[:, 1].max()) & (corners[:, 0] > 0.1) & (corners[:, 0] < 1.9)
    assert speed[wall].max() < 0.1 * speed.max()  # walls stand still
    finer = set_value(study, "/mesh_plan/wall", "0.1 m")
    halted, events = do(finer, tmp_path, wish=lambda: "stop")
    assert halted["state"] == "stopped"
    assert "while the mesh was made" in halted["message"]
    assert not results(events)
    lost = set_value(set_value(study, "/mesh_plan/wall", "0.25 m"), "/mesh_plan/bulk", "2 m")
    with pytest.raises(ValueError, match="smaller size"):
        do(set_value(set_value(lost, "/mesh_plan/patches/inlet", "2 m"), "/mesh_plan/wall", "2 m"), tmp_path, "mesh")


def test_what_is_there_is_not_done_again(tmp_path):
    do(tray(), tmp_path)
    folder = next((tmp_path / "run").iterdir())
    made = folder.stat().st_mtime_ns
    _, events = do(set_value(tray(), "/places/egg_layer/top", "12 mm"), tmp_path)
    assert folder.stat().st_mtime_ns == made
    assert not [e for e in events if e["type"] == "history"]
    assert results(events)["reading:fastest"]["value"] > 0


def test_a_mesh_alone_needs_no_set_up(tmp_path):
    bare = act(act(tray(), "set_boundary", patch="weir", kind="wall"), "set_boundary", patch="inlet", kind="wall")
    ended, events = do(bare, tmp_path, until="mesh")
    assert ended["state"] == "meshed"
    assert list(results(events)) == ["mesh"]
    with pytest.raises(ValueError, match="nothing moves the fluid"):
        do(bare, tmp_path)


def test_a_stopped_run_is_kept_and_done_again_on_request(tmp_path):
    slow = tray(run_rules={"residual": "1e-12", "iterations": 100000})
    ended, events = do(slow, tmp_path, wish=lambda: "stop")
    assert ended["state"] == "stopped"
    assert results(events)["reading:still"]["value"] is not None
    quick = do(set_value(slow, "/run_rules/iterations", "40"), tmp_path)[0]
    assert quick["state"] == "not converged"


def wait_for(events, run, kind, seconds=60):
    end = time.monotonic() + seconds
    seen = []
    while time.monotonic() < end:
        try:
            event = events.get(timeout=1)
        except queue.Empty:
            continue
        if event["run"] == run:
            seen.append(event)
            if event["type"] == kind:
                return event, seen
    raise AssertionError(f"no {kind} of run {run}; seen {[e['type'] for e in seen]}")


def test_the_queue_runs_stops_and_survives_errors(tmp_path):
    events = queue.Queue()
    runs = RunQueue(events.put, workers=1)
    runs.start()
    try:
        endless = tray(run_rules={"residual": "1e-30", "iterations": 100000})
        first = Request(1, study_text(endless), "hanging", str(tmp_path))
        runs.submit(first)
        runs.submit(Request(2, "not a study", "hanging", str(tmp_path)))
        runs.submit(Request(3, study_text(tray(brief=raw_tray()["brief"])), "hanging", str(tmp_path)))
        wait_for(events, 1, "history")
        runs.stop(first.job)
        ended, seen = wait_for(events, 1, "ended")
        assert ended["state"] == "stopped"
        assert {"started", "stage", "history", "result", "ended"} == {e["type"] for e in seen} - {
            "picture",
            "spent",
        } | {
            "started",
            "history",
        }
        failed, _ = wait_for(events, 2, "ended")
        assert failed["state"] == "failed"
        assert "not valid JSON" in failed["message"]
        good, _ = wait_for(events, 3, "ended")
        assert good["state"] == "converged"
        assert runs.load() == {"workers": 1, "runs": 0}
    finally:
        runs.close()


def test_a_queue_of_another_cluster_by_its_address(tmp_path):
    from distributed import LocalCluster

    keys = Keys.fresh()
    with LocalCluster(
        n_workers=1, threads_per_worker=1, processes=True, host="127.0.0.1", dashboard_address="127.0.0.1:0",
        protocol="tls://", security=keys.security(),
    ) as cluster:  # fmt: skip
        events = queue.Queue()
        runs = RunQueue(events.put, scheduler=cluster.scheduler_address, keys=keys)
        runs.start()
        try:
            runs.submit(Request(7, study_text(tray()), "hanging", str(tmp_path), "mesh"))
            assert wait_for(events, 7, "ended")[0]["state"] == "meshed"
        finally:
            runs.close()


def test_a_run_whose_worker_dies_goes_on_from_its_checkpoint(tmp_path):
    events = queue.Queue()
    runs = RunQueue(events.put, workers=1)
    runs.start()
    try:
        endless = tray(
            run_rules={"residual": "1e-30", "iterations": 100000}, mesh_plan={"bulk": "2 mm", "wall": "1 mm"}
        )
        hanging = Request(5, study_text(endless), "hanging", str(tmp_path))
        runs.submit(hanging)
        checkpoint = ResultFiles(tmp_path).of_run(5).checkpoint
        end = time.monotonic() + 60
        while not checkpoint.exists() and time.monotonic() < end:
            time.sleep(0.1)
        (pid,) = runs.worker_pids().values()
        os.kill(pid, signal.SIGKILL)
        wait_for(events, 5, "started")  # the first time
        wait_for(events, 5, "started")
        again, _ = wait_for(events, 5, "history")
        (mark,) = again["history"]["marks"]
        assert mark[1] == "went on after an interruption"
        assert mark[0] == len(again["history"]["seconds"]) > 0
        runs.pause(hanging.job)
        ended, _ = wait_for(events, 5, "ended")
        assert ended["state"] == "paused"
        kept = Checkpoint.load(checkpoint)
        assert kept.iterations == ended["iterations"] > mark[0]
    finally:
        runs.close()


def test_a_paused_run_goes_on_with_other_settings_and_cleans_up(tmp_path, monkeypatch):
    monkeypatch.setattr(Watch, "seconds", 0.0)  # asks after every iteration: a quick machine is through in less
    slow = tray(run_rules={"residual": "1e-9", "iterations": 5000})
    ended, _ = do(slow, tmp_path, wish=lambda: "pause")
    assert ended["state"] == "paused"
    files = ResultFiles(tmp_path).of_run(1)
    assert files.checkpoint.exists()
    quick = set_value(slow, "/named_values/supply", "5 mm/s")
    request = Request(2, study_text(quick), "hanging", str(tmp_path), "readings", start_from=1)
    events = []
    assert bring_up_to_date(request, events.append)["state"] == "converged"
    history = [e["history"] for e in events if e["type"] == "history"][-1]
    assert history["marks"] == [[ended["iterations"], "went on with other settings"]]
    assert not ResultFiles(tmp_path).of_run(2).checkpoint.exists()


def test_live_pictures_fit_their_mesh(tmp_path):
    events = []
    keep = {}

    def emit(event):
        events.append(event)
        if event["type"] == "picture":
            live = ResultFiles(tmp_path).of_run(1).live
            keep["about"] = json.loads((live / "about.json").read_text())
            keep["speed"] = np.fromfile(live / "speed.f32", "<f4")

    study = tray(run_rules={"residual": "1e-12", "iterations": 100000})
    ended = bring_up_to_date(
        Request(1, study_text(study), "hanging", str(tmp_path)), emit, lambda: "stop" if keep else "go on"
    )
    assert ended["state"] == "stopped"
    offsets = np.fromfile(tmp_path / "mesh" / keep["about"]["mesh_key"] / "offsets.u32", "<u4")
    assert len(keep["speed"]) == offsets[-1]
    assert keep["speed"].max() == pytest.approx(keep["about"]["ranges"]["speed"][1])


def test_work_that_never_asks_is_ended_by_a_wish():
    asked = []

    def wish():
        asked.append(1)
        return "go on" if len(asked) < 2 else "stop"

    def endless():
        while True:
            np.sort(np.arange(1000)[::-1])

    with pytest.raises(Halted), halting(wish, Halted):
        endless()

    def compiled():
        """What compiled code makes of it when it comes while arguments are handed over."""
        try:
            endless()
        except Halted as error:
            raise SystemError("returned a result with an exception set") from error

    with pytest.raises(Halted), halting(wish, Halted):
        compiled()
    with halting(lambda: "go on", Halted):
        done = sum(range(1000))
    assert done == 499500


def test_temperatures_are_shown_in_degrees_and_what_may_be_a_difference_in_kelvin():
    warm = [np.array([283.15, 303.15])]
    assert unit_of(DIMENSIONS["temperature"], warm) == ("degC", 1.0, pytest.approx(-273.15))
    assert unit_of(DIMENSIONS["temperature"], [np.array([2.0])], even=True) == ("K", 1.0, 0.0)
    kind = QuantityKind("rise", DIMENSIONS["temperature"], "rise", lambda view: view.values("temperature"))
    run = {"ranges": {q: [0.0, 1.0] for q in ("speed", "velocity_x", "velocity_y", "pressure")}}
    made = {q["name"]: q for q in quantities([run], {"rise": OwnQuantity("rise", "temperature - 280 K", kind)})}
    assert (made["rise"]["unit"], made["rise"]["ladder"]) == ("K", [["K", 1.0, 0.0]])
    hot = {"ranges": {**run["ranges"], "temperature": [280.0, 300.0]}, "heat": {"inlet": 1.0}}
    assert quantities([hot])[0]["unit"] == "degC"


def test_other_layers_begin_at_the_boxes_that_are_kept(tmp_path):
    def brought(study, folder):
        events = []
        bring_up_to_date(Request(1, study_text(study), "low", str(tmp_path / folder), "mesh"), events.append)
        told = [e["words"] for e in events if e.get("stage") == "mesh" and "words" in e]
        key = next(e["key"] for e in events if e["type"] == "result")
        return told, Mesh.load(tmp_path / folder / "mesh" / key / "mesh.npz")

    def with_layers(number):
        return duct(layers={"number": number, "height_of": "all", "height": "1 mm"})

    told, _ = brought(duct(), "kept")
    assert KNOWN not in told
    assert "fitting the skin" in told
    for number in (2, 4):
        told, layered = brought(with_layers(number), "kept")
        assert KNOWN in told
        assert "fitting the skin" not in told
        assert layered.layer.max() == number
        assert np.array_equal(layered.points, brought(with_layers(number), f"fresh {number}")[1].points)
    # other sizes are other boxes
    told, _ = brought(duct(wall="3 mm"), "kept")
    assert KNOWN not in told
    assert len(list((tmp_path / "kept" / "boxes").glob("*/boxes.npz"))) == 2


def test_boxes_follow_a_run_that_is_kept_and_one_that_is_gone_is_told(tmp_path):
    study = duct()
    events = []

    def brought(study, until="readings"):
        return bring_up_to_date(Request(1, study_text(study), "low", str(tmp_path), until), events.append)

    assert brought(study)["state"] == "converged"
    run = next(e["key"] for e in events if e.get("stage") == "run" and e["type"] == "result")
    before = next(e["summary"]["cells"] for e in events if e.get("stage") == "mesh" and e["type"] == "result")
    following = act(study, "follow_run", variant="low", run=run, cells=str(2 * before))
    told = brought(following, "mesh")
    assert told["state"] == "meshed"
    assert int(told["message"].split()[0]) > 1.3 * before
    assert len(list((tmp_path / "sizes").glob("*/sizes.npz"))) == 1
    events.clear()
    assert brought(following)["state"] == "converged"
    assert any("carrying over the fields" in e.get("words", "") for e in events)
    (made,) = (e["key"] for e in events if e.get("stage") == "run" and e["type"] == "result")
    marks = json.loads((tmp_path / "run" / made / "history.json").read_text())["marks"]
    assert marks[0] == [0, "began with the fields of the run that the boxes follow"]
    # the sizes are kept without the run: the next one on them begins as any other, and says so
    shutil.rmtree(tmp_path / "run")
    events.clear()
    assert brought(following)["state"] == "converged"
    assert any("begins without its fields" in e.get("words", "") for e in events)
    gone = act(study, "follow_run", variant="low", run="0" * 20, cells="900")
    with pytest.raises(ValueError, match="is not here any more; run anew"):
        brought(gone, "mesh")
