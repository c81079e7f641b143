"""Workers without the server's data folder: pieces checked by hash, only what belongs to a run, lost workers, strangers."""

import os
import queue
import subprocess
import sys
import time
from collections import Counter

import pytest

from brook.core.study import study_text
from brook.runs import Request, RunQueue
from brook.runs.afar import away
from brook.runs.afar.carrier import Carrier
from brook.runs.afar.pieces import PIECE, CarriedWrong, Place, Roots, incoming, listed, packed, read_piece, taken
from brook.runs.keys import Keys, KeysRefused
from brook.runs.memory import gb
from brook.runs.sharing import CORES_ASKED, LARGE, Machine, asks
from brook.store.files import ResultFiles
from tests.conftest import serving
from tests.core.studies import tray
from tests.runs.test_task import wait_for
from tests.web.helpers import client, take_in

SAMPLES = 24


def roots(folder):
    return Roots(folder / "results", folder / "shapes")


def carried(source, to, place, change=lambda piece: piece):
    """Copies a place by lists and pieces, each of which something may happen to on the way."""
    path = source.path(place)
    files = listed(path)
    with incoming(to, place, files) as coming:
        for file in files:
            one = path / file.name if file.name else path
            for offset in range(0, file.size, PIECE):
                coming.put(file.name, change(read_piece(one, offset)))


def test_folders_come_whole_and_files_as_they_were_sent(tmp_path):
    here, there = roots(tmp_path / "a"), roots(tmp_path / "b")
    mesh, checkpoint = Place("mesh", "abc123"), Place("checkpoint", "7")
    folder = here.path(mesh)
    folder.mkdir(parents=True)
    (folder / "noise.bin").write_bytes(os.urandom(PIECE + 5))  # does not shrink, two pieces
    (folder / "summary.json").write_text('{"cells": 12}' * 10_000)
    (folder / "empty.f32").touch()
    here.path(checkpoint).parent.mkdir(parents=True)
    here.path(checkpoint).write_bytes(b"state")
    for place in (mesh, checkpoint):
        carried(here, there, place)
        assert listed(there.path(place)) == listed(here.path(place)) != []
    assert len(packed(b"a" * PIECE)) < PIECE / 100

    def damaged(piece):
        return b"=" + bytes(len(taken(piece)))

    for change in (
        damaged,
        lambda piece: piece[:-1],
        lambda piece: b"z" + piece[1:9],
        lambda piece: b"=" + bytes(2 * PIECE),
    ):
        other = roots(tmp_path / "c")
        with pytest.raises(CarriedWrong):
            carried(here, other, mesh, change)
        assert not other.path(mesh).exists()  # nothing half-written
        assert not list(other.results.glob("mesh/.*"))


def test_nothing_but_results_of_its_run_is_taken_from_a_worker(tmp_path):
    here = roots(tmp_path)
    for place in (Place("mesh", "../../keys"), Place("keys", "queue.key"), Place("checkpoint", "7/../8"), Place("file", ".x"), Place("live", "-1")):  # fmt: skip
        with pytest.raises(CarriedWrong):
            here.path(place)
    settled, told = [], []

    def call(worker, function, *arguments):
        if function is away.settle:
            settled.append(arguments[1])
            return None
        return packed(b"state")

    carrier = Carrier(call, told.append)
    hashed = "c78f6b0d7a3c1b1e3b3e8b6c0f5d6d7a"
    offers = [
        [["checkpoint", "8"], [["", 5, hashed]]],  # of another run
        [["file", "abc"], [["", 5, hashed]]],  # inputs are not a worker's to give
        [["mesh", "abc"], [["../x", 5, hashed]]],
        [["mesh", "abc"], [["a", 5, hashed], ["a", 5, hashed]]],
        [["mesh", "abc"], [["a", 5, hashed]]],  # not what its hash says
        [["mesh", "abc"], [["a", 2, hashed]]],  # larger than it says
    ]
    for k, offer in enumerate(offers):
        carrier.take({"type": "offered", "run": 7, "talk": str(k), "worker": "w", "files": [offer]}, here)
    end = time.monotonic() + 20
    while len(settled) < len(offers) and time.monotonic() < end:
        time.sleep(0.02)
    carrier.close()
    assert len(settled) == len(offers)
    assert all(settled)  # each says why
    assert not [p for p in tmp_path.rglob("*") if p.is_file()]


def test_runs_ask_for_a_worker_that_has_what_they_need():
    small, large = Machine("small", 2, 2_000_000_000), Machine("large", 16, 64_000_000_000)
    assert asks(10_000, [small, large])[0][CORES_ASKED] == 1
    assert asks(LARGE, [small, large])[0][CORES_ASKED] == 16
    assert asks(LARGE, [small, Machine("plain")]) == ({}, "")  # one that does not say
    needs, why = asks(40_000_000, [small, large])
    assert needs == {}
    assert "the largest there is has " + gb(64_000_000_000) in why
    assert "none just now" in asks(10, [])[1]


class Cluster:
    """A scheduler, and workers that keep off the data folder, each a process of its own."""

    def __init__(self, tmp):
        self.data, self.tmp, self.workers, self._count = tmp / "data", tmp, [], 0
        self.data.mkdir()
        self.keys = Keys.of(self.data)
        self.scheduler = self._start("scheduler", "--data", str(self.data), "--port", "0")
        self.address = self.scheduler.stderr.readline().split()[-1]

    def _start(self, *words):
        run = [sys.executable, "-m", "brook.cli", *words]
        return subprocess.Popen(run, stderr=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"})

    def add(self):
        self._count += 1
        room = self.tmp / f"room{self._count}"
        worker = self._start(
            "worker", self.address, "--data", str(self.data), "--cores", "1", "--apart", "--room", str(room)
        )
        self.workers.append(worker)
        return worker

    def close(self):
        for process in (*self.workers, self.scheduler):
            process.kill()
            process.wait()
            process.stderr.close()


@pytest.fixture
def cluster(tmp_path):
    made = Cluster(tmp_path)
    yield made
    made.close()


@pytest.mark.server
def test_a_run_goes_on_elsewhere_from_its_checkpoint_and_strangers_get_nothing(cluster, tmp_path):
    strangers = tmp_path / "strangers"
    Keys.of(strangers)
    said = cluster._start("worker", cluster.address, "--data", str(strangers), "--apart")
    with pytest.raises(KeysRefused, match="there are no keys"):
        Keys.there(tmp_path / "nowhere")
    first = cluster.add()
    events, folder = queue.Queue(), roots(cluster.data)
    runs = RunQueue(events.put, scheduler=cluster.address, keys=cluster.keys)
    runs.start()
    try:
        rules = {"residual": "1e-30", "iterations": 100000}
        study = tray(run_rules=rules, mesh_plan={"bulk": "2 mm", "wall": "1 mm"})
        mark = away.mark_of(folder.results)
        request = Request(2, study_text(study), "hanging", str(folder.results), shapes=str(folder.shapes), mark=mark)
        runs.submit(request)
        mine = ResultFiles(folder.results).of_run(2)
        end = time.monotonic() + 90
        while not (mine.checkpoint.exists() and mine.live.exists()) and time.monotonic() < end:
            time.sleep(0.1)
        first.kill()
        cluster.add()
        for _ in range(2):
            wait_for(events, 2, "started")
        again, _ = wait_for(events, 2, "history")
        ((at, words),) = again["history"]["marks"]
        assert words == "went on after an interruption"
        assert at == len(again["history"]["seconds"]) > 0
        runs.pause(request.job)
        ended, _ = wait_for(events, 2, "ended")
        assert ended["state"] == "paused"
        assert mine.checkpoint.exists()
        assert [m.cores for m in runs.machines()] == [1]  # the stranger is not among them
    finally:
        runs.close()
        said.wait(timeout=90)
    assert said.returncode == 1
    assert "does not answer, or has other keys" in said.stderr.read()


@pytest.mark.server
def test_a_sweep_over_two_workers_of_which_one_is_killed_twice_arrives_whole(cluster):
    from brook.web.server import create_app

    sweep = {"name": "supply", "title": "Supply", "variant": "hanging",
             "values": [{"name": "supply", "low": "3 mm/s", "high": "6 mm/s", "steps": SAMPLES}]}  # fmt: skip
    cluster.add()
    cluster.add()
    app = create_app(cluster.data, scheduler=cluster.address)
    with serving(app) as address, client(address) as http:
        slug = take_in(http, tray(sweeps=[sweep]))
        store = app.state.studio.store
        study_id = store.study_row(slug).id
        end = time.monotonic() + 60
        while not app.state.studio.queue.ready and time.monotonic() < end:
            time.sleep(0.1)
        assert http.post(f"/api/studies/{slug}/aim", json={"kind": "sweep", "sweep": "supply"}).status_code < 300
        killed, end = 0, time.monotonic() + 240
        while store.newest_aim(study_id).state == "under way" and time.monotonic() < end:
            done = len(store.latest(study_id, "supply")) // 5
            if killed < 2 and done >= 4 + 6 * killed:
                cluster.workers[-1].kill()
                cluster.add()
                killed += 1
            time.sleep(0.2)
        assert killed == 2
        runs = store.ended_runs(100)
        assert Counter(r.state for r in runs) == {"converged": SAMPLES}
        assert len({r.variant for r in runs}) == SAMPLES  # all arrived, none twice
        found = {key for (_, stage), (key, _) in store.latest(study_id, "supply").items() if stage == "run"}
        assert len(found) == SAMPLES
        for key in found:
            folder = store.files.folder("run", key)
            assert {"fields.npz", "summary.json", "history.json"} <= {p.name for p in folder.iterdir()}
        assert not list((cluster.data / "results/checkpoint").glob("*"))
