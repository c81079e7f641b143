"""Two at once: one key made twice, one run queued twice, a study removed while it runs, work cut short."""

import json
import multiprocessing
import os
import threading
import time

import pytest

from brook.core.study import study_text
from brook.runs import Request
from brook.runs.task import bring_up_to_date
from brook.store import ResultFiles, Store
from brook.web.hub import Hub
from brook.web.studio import Studio
from tests.core.studies import raw_tray, tray


class Queue:
    ready, cores, is_here = True, 2, True

    def __init__(self):
        self.submitted = []

    def share(self, cores):
        pass

    def submit(self, request, asks=None):
        self.submitted.append(request)

    def stop(self, job):
        pass

    def withdraw(self, job):
        pass


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path)
    yield store
    store.close()


def mesh_it(folder, name, found):
    events = []
    request = Request(os.getpid(), study_text(tray(brief=raw_tray()["brief"])), name, folder, "mesh")
    bring_up_to_date(request, events.append)
    found.put([e for e in events if e["type"] == "stage" and "words" in e])


def test_what_somebody_reads_is_not_taken_away_by_who_makes_it_again(tmp_path):
    files = ResultFiles(tmp_path)
    with files.making("mesh", "k") as folder:
        (folder / "a").write_text("first")
    kept = os.stat(tmp_path / "mesh" / "k").st_ino
    with files.making("mesh", "k") as folder:
        (folder / "a").write_text("second")
    assert os.stat(tmp_path / "mesh" / "k").st_ino == kept
    assert (tmp_path / "mesh" / "k" / "a").read_text() == "first"
    with files.making("run", "k") as folder:
        (folder / "a").write_text("first")
    with files.making("run", "k", anew=True) as folder:
        (folder / "a").write_text("second")
    assert (tmp_path / "run" / "k" / "a").read_text() == "second"
    assert [p.name for p in tmp_path.glob("*/*")] == ["k", "k"]


def test_one_makes_and_the_others_wait_for_it(tmp_path):
    files, order = ResultFiles(tmp_path), []
    begun = threading.Event()

    def make(name):
        with files.turn("mesh", "k", lambda: time.sleep(0.01)):
            order.append(f"{name} begins")
            begun.set()
            time.sleep(0.1)
            order.append(f"{name} ends")

    threads = [threading.Thread(target=make, args=(k,)) for k in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [a.split()[0] for a in order[::2]] == [a.split()[0] for a in order[1::2]]


def test_two_workers_at_one_mesh_make_it_once(tmp_path):
    """The second waits, says so, and takes what the first made; a process that dies does not hold others up."""
    files = ResultFiles(tmp_path)
    context = multiprocessing.get_context("fork")
    holds = context.Event()

    def hold():
        with files.turn("mesh", key, time.sleep):
            holds.set()
            time.sleep(60)

    from brook.core.checks import prepare
    from brook.core.stages.keys import stage_keys

    study = tray(brief=raw_tray()["brief"])
    key = stage_keys(study, prepare(study, study.variant("plain"))).mesh
    holder = context.Process(target=hold)
    holder.start()
    assert holds.wait(10)
    events, asked = [], []

    def wish():
        asked.append(1)
        if len(asked) == 3:
            holder.kill()
        return "go on"

    ended = bring_up_to_date(Request(1, study_text(study), "plain", str(tmp_path), "mesh"), events.append, wish)
    assert ended["state"] == "meshed"
    assert any("another run does the same mesh" in e.get("words", "") for e in events)
    holder.join()


def test_two_requests_at_once_queue_one_run(store):
    studio = Studio(store, Queue(), Hub(store))
    slug = store.add_study(tray(), "new")
    together, done = threading.Barrier(6), []

    def ask():
        together.wait()
        done.append(studio.bring_up_to_date(slug, ["plain", "hanging"]))

    threads = [threading.Thread(target=ask) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(r.variant for r in studio.queue.submitted) == ["hanging", "plain"]
    assert sorted(name for names in done for name in names) == ["hanging", "plain"]


def test_results_go_with_the_last_study_that_has_them(store):
    studio, files = Studio(store, Queue(), Hub(store)), store.files
    slugs = [store.add_study(tray(), "new") for _ in range(2)]
    rows = [store.study_row(slug) for slug in slugs]
    for stage, key in (("mesh", "shared"), ("run", "shared-run"), ("run", "mine"), ("mesh", "fields-mesh")):
        with files.making(stage, key) as folder:
            (folder / "a").write_text("x")
    store.keep_result(rows[0].id, "plain", "mesh", "shared", {})
    store.keep_result(rows[0].id, "plain", "run", "shared-run", {"mesh_key": "shared"})
    store.keep_result(rows[0].id, "hanging", "run", "mine", {"mesh_key": "fields-mesh"})
    store.note_latest(rows[1].id, [("plain", "mesh", "shared"), ("plain", "run", "shared-run")])
    studio.remove(slugs[0])
    assert files.has("mesh", "shared")
    assert files.has("run", "shared-run")
    assert not files.has("run", "mine")
    assert not files.has("mesh", "fields-mesh")
    assert store.result("mine") is None
    studio.remove(slugs[1])
    assert not files.has("mesh", "shared")
    assert not files.has("run", "shared-run")
    assert store.results({"shared", "shared-run", "mine"}) == {}


def test_what_a_run_of_a_removed_study_still_makes_goes_too(store):
    studio = Studio(store, Queue(), Hub(store))
    slug = store.add_study(tray(), "new")
    studio.bring_up_to_date(slug, ["plain"])
    run = studio.queue.submitted[0].run_id
    studio.hub._handle({"run": run, "type": "started"})
    studio.remove(slug)
    with store.files.making("mesh", "late") as folder:
        (folder / "a").write_text("x")
    studio.hub._handle({"run": run, "type": "result", "stage": "mesh", "key": "late", "summary": {}})
    studio.hub._handle({"run": run, "type": "ended", "state": "stopped", "message": ""})
    assert not store.files.has("mesh", "late")
    assert run not in studio.hub.live


def test_work_that_was_cut_short_is_cleared_at_the_start(store):
    left = [
        store.files.root / "mesh" / ".abc-12345678", store.files.root / "turns" / "run-abc",
        store.files.root / "live" / "7" / ".speed.f32", store.files.root / "checkpoint" / ".7-12345678",
        store.shapes.root / ".0123",
    ]  # fmt: skip
    for path in left:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("half")
    (left[0].parent / ".folder-12345678").mkdir()
    store.files.clear_unfinished(older_than=3600)
    assert all(path.exists() for path in left)
    store.files.clear_unfinished()
    store.shapes.clear_unfinished()
    assert not [path for path in left if path.exists()]
    assert not list((store.files.root / "mesh").iterdir())


def test_times_of_moments_are_never_half_written(tmp_path, monkeypatch):
    from brook.store.files import replace_text

    path = tmp_path / "times.json"
    replace_text(path, json.dumps([1.0]))

    def cut_short(*_):
        raise OSError

    monkeypatch.setattr(os, "replace", cut_short)
    with pytest.raises(OSError):  # noqa: PT011
        replace_text(path, json.dumps([1.0, 2.0]))
    assert json.loads(path.read_text()) == [1.0]
    assert [p.name for p in tmp_path.iterdir()] == ["times.json"]
