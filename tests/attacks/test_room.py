"""No room on the disk, no leave to write, no luck: what was done is kept or told, and goes on when it can."""

import errno
import json
import threading
import time
from contextlib import contextmanager

import numpy as np
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import event
from sqlalchemy.exc import OperationalError

from brook.core.solve import Watch
from brook.core.study import study_text
from brook.runs import Request
from brook.runs.queue import reason
from brook.runs.task import bring_up_to_date
from brook.store import Store
from brook.store.files import ResultFiles
from brook.store.room import BUSY, FULL, LOCKED, SCARCE, Room, trouble_of
from brook.web.hub import Hub, LiveRun
from brook.web.server import create_app
from brook.web.studio import Studio
from tests.core.studies import raw_tray, tray

NO_ROOM = OSError(errno.ENOSPC, "No space left on device")


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path)
    yield store
    store.close()


@contextmanager
def full(store):
    """A database whose disk is full: its file may not grow by a page."""
    with store.session() as session:
        pages = session.connection().exec_driver_sql("PRAGMA page_count").scalar()

    def limit(connection, _):
        connection.execute(f"PRAGMA max_page_count={pages}")

    event.listen(store.engine, "connect", limit)
    store.engine.dispose()
    try:
        yield
    finally:
        event.remove(store.engine, "connect", limit)
        store.engine.dispose()


def test_what_is_wrong_is_said_in_words(store):
    assert trouble_of(NO_ROOM) == FULL
    assert trouble_of(OSError("1000 requested and 12 written")) == FULL
    assert trouble_of(OSError(errno.EROFS, "")) == LOCKED
    assert trouble_of(PermissionError(errno.EACCES, "")) == LOCKED
    assert trouble_of(ValueError("full of beans")) == ""
    assert trouble_of(OperationalError("", {}, Exception("attempt to write a readonly database"))) == LOCKED
    assert trouble_of(OperationalError("", {}, Exception("database is locked"))) == BUSY
    with full(store), pytest.raises(OperationalError) as failed:
        fill(store)
    assert trouble_of(failed.value) == FULL
    assert store.add_study(tray(title="There is room again"), "new") == "there-is-room-again"


def fill(store):
    for k in range(200):
        store.add_study(tray(), f"new {k}")


def test_little_room_is_told(tmp_path):
    assert Room(10**10, 10**11).words == ""
    assert Room(int(0.9 * SCARCE * 10**11), 10**11).words == "4.5 GB free, 4.5 % of the disk"
    assert Room(10, 10**11).words == FULL
    assert Room(10**10, 10**11, writable=False).words == LOCKED
    assert Room.at(tmp_path).total > 0


def test_a_run_waits_for_room_and_loses_nothing(tmp_path, monkeypatch):
    """The disk is full when the mesh, a checkpoint and the results are to be written, three times each."""
    monkeypatch.setattr("brook.runs.patience.EVERY", 0.01)
    monkeypatch.setattr(Watch, "seconds", 0.0)
    monkeypatch.setattr("brook.runs.watch.CHECKPOINT_SECONDS", 0.0)
    making, saved = ResultFiles.making, np.savez
    left = {"making": 6, "savez": 3}

    @contextmanager
    def cramped(self, stage, key, anew=False):
        with making(self, stage, key, anew) as folder:
            yield folder
            if left["making"]:
                left["making"] -= 1
                raise NO_ROOM

    def savez(*arguments, **arrays):
        if left["savez"]:
            left["savez"] -= 1
            raise NO_ROOM
        saved(*arguments, **arrays)

    monkeypatch.setattr(ResultFiles, "making", cramped)
    monkeypatch.setattr("numpy.savez", savez)
    events = []
    ended = bring_up_to_date(
        Request(1, study_text(tray(brief=raw_tray()["brief"])), "hanging", str(tmp_path)), events.append
    )
    assert ended["state"] == "converged"
    assert left == {"making": 0, "savez": 0}
    told = [e["words"] for e in events if e["type"] == "trouble"]
    assert f"{FULL}; the run waits until it can be written" in told
    assert told[-1] == ""
    assert len([e for e in events if e["type"] == "result"]) >= 3
    assert not list(tmp_path.rglob(".*-*"))  # nothing half-written stays


def test_a_run_that_waits_for_room_can_be_stopped_and_says_why(tmp_path, monkeypatch):
    @contextmanager
    def cramped(self, stage, key, anew=False):
        raise NO_ROOM
        yield

    monkeypatch.setattr(ResultFiles, "making", cramped)
    monkeypatch.setattr("brook.runs.patience.EVERY", 0.01)
    asked = iter(["go on"] * 5)
    with pytest.raises(OSError, match="No space") as failed:
        bring_up_to_date(
            Request(1, study_text(tray()), "hanging", str(tmp_path)), lambda event: None, lambda: next(asked, "stop")
        )
    assert reason(failed.value).startswith("the disk is full; make that good")


def test_pictures_of_a_run_are_left_out_where_there_is_no_room(tmp_path, monkeypatch):
    def refuse(self, name, content):
        raise NO_ROOM

    monkeypatch.setattr("brook.store.files.RunFiles.write_live", refuse)
    monkeypatch.setattr(Watch, "seconds", 0.0)
    events = []
    ended = bring_up_to_date(
        Request(1, study_text(tray(brief=raw_tray()["brief"])), "hanging", str(tmp_path)), events.append
    )
    assert ended["state"] == "converged"
    assert any("no new pictures" in e["words"] for e in events if e["type"] == "trouble")


def test_ends_of_runs_that_cannot_be_written_are_written_when_there_is_room(store, monkeypatch):
    monkeypatch.setattr("brook.web.hub.AGAIN", 0.05)
    row = store.study_row(store.add_study(tray(), "new"))
    runs = [store.add_run(row.id, name, row.document, "readings") for name in ("plain", "hanging")]
    hub = Hub(store)
    cramped = threading.Event()
    cramped.set()
    change, keep = store.change_run, store.keep_result

    def unless_cramped(do):
        def tried(*arguments, **values):
            if cramped.is_set():
                raise OperationalError("", {}, Exception("database or disk is full"))
            return do(*arguments, **values)

        return tried

    monkeypatch.setattr(store, "change_run", unless_cramped(change))
    monkeypatch.setattr(store, "keep_result", unless_cramped(keep))
    hub._thread.start()
    for run in runs:
        hub.live[run.id] = LiveRun(row.id, "hanging")
        hub.receive({"run": run.id, "type": "started"})
        hub.receive({"run": run.id, "type": "stage", "stage": "mesh"})
        hub.receive({"run": run.id, "type": "result", "stage": "mesh", "key": f"k{run.id}", "summary": {"cells": 3}})
        hub.receive({"run": run.id, "type": "ended", "state": "meshed", "message": "3 cells"})
    until(lambda: hub.trouble)
    assert hub.trouble.startswith(FULL)
    time.sleep(0.2)
    assert [store.run(run.id).state for run in runs] == ["queued", "queued"]
    cramped.clear()
    until(lambda: all(store.run(run.id).state == "meshed" for run in runs))
    until(lambda: not hub.trouble)
    assert store.results({f"k{run.id}" for run in runs}).keys() == {f"k{run.id}" for run in runs}
    hub.close()


def test_an_event_that_is_lost_is_told_in_its_run(store, monkeypatch):
    row = store.study_row(store.add_study(tray(), "new"))
    run, other = (store.add_run(row.id, name, row.document, "readings") for name in ("hanging", "plain"))
    hub = Hub(store)
    hub.live[run.id] = LiveRun(row.id, "hanging")
    hub._write({"run": run.id, "type": "result", "stage": "mesh", "key": "k"})  # without its summary
    hub._write({"run": run.id, "type": "ended", "state": "converged", "message": "converged"})
    assert "'result' of this run could not be kept" in store.run(run.id).message
    hub._write({"run": other.id, "type": "ended"})  # without its state
    assert store.run(other.id).state == "failed"
    assert "could not be kept" in store.run(other.id).message


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("database or disk is full", "the disk is full"),
        ("attempt to write a readonly database", "cannot be written to"),
    ],
)
def test_an_edit_that_cannot_be_written_says_so_and_changes_nothing(tmp_path, monkeypatch, words, told):
    app = create_app(tmp_path, workers=1)
    store = Store(tmp_path)
    slug = store.add_study(tray(), "new")
    app.state.studio = Studio(store, QuietQueue(), Hub(store))
    http = TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False)
    before = store.study_row(slug)

    def refuse(*_, **__):
        raise OperationalError("", {}, Exception(words))

    monkeypatch.setattr(store, "change_study", refuse)
    form = {"pointer": "/title", "value": "Another", "page": "board"}
    for answer in (
        http.post(f"/studies/{slug}/edit", data=form, headers={"hx-request": "true"}),
        http.post(f"/api/studies/{slug}/edit", json={"values": {"/title": "Another"}}),
    ):
        assert answer.status_code == 507
        assert told in json.loads(answer.text)["detail"]
        assert "nothing was changed" in answer.text
    page = http.post(f"/studies/{slug}/edit", data=form, headers={"accept": "text/html"})
    assert page.status_code == 507
    assert told[3:] in page.text
    assert store.study_row(slug) is not None
    assert store.study_row(slug).changes == before.changes
    assert http.get("/room").status_code == 200
    assert http.get("/api/room").json()["total"] > 0
    store.close()


class QuietQueue:
    ready = False


def until(so, seconds=10):
    end = time.monotonic() + seconds
    while not so():
        assert time.monotonic() < end
        time.sleep(0.02)
