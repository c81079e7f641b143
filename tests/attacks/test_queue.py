"""Somebody else on the machine: the queue speaks with holders of its key alone, and numbers mean one thing for good."""

import asyncio
import os
import queue
import sqlite3

import psutil
import pytest
from distributed import Client, Event
from distributed.core import rpc
from sqlalchemy import create_engine

from brook.core.study import study_text
from brook.runs import Request, RunQueue
from brook.runs.keys import Keys, KeysRefused
from brook.store import Store
from brook.store.engine import upgrade
from tests.core.studies import raw_tray, tray
from tests.runs.test_task import wait_for


@pytest.fixture(scope="module")
def served():
    """A queue, the events it passes on, and the addresses its processes listen at."""
    events = queue.Queue()
    runs = RunQueue(events.put, workers=1)
    runs.start()
    try:
        yield runs, events
    finally:
        runs.close()


def listening():
    """Ports that this process and its children listen at."""
    mine = psutil.Process()
    found = {}
    for process in (mine, *mine.children(recursive=True)):
        for connection in process.net_connections("inet"):
            if connection.status == psutil.CONN_LISTEN:
                found[connection.laddr.port] = connection.laddr.ip
    return found


def asks(address, security=None):
    """What a scheduler or worker answers when it is asked who it is."""

    async def ask():
        connection_args = None if security is None else security.get_connection_args("client")
        async with rpc(address, connection_args=connection_args, timeout=2) as other:
            return await asyncio.wait_for(other.identity(), 4)

    return asyncio.run(ask())


def test_no_port_of_the_queue_answers_somebody_without_its_key(served):
    runs, _ = served
    ports = listening()
    assert len(ports) >= 2  # scheduler and worker at least
    assert set(ports.values()) == {"127.0.0.1"}
    for port in ports:
        with pytest.raises((OSError, TimeoutError)):
            asks(f"tcp://127.0.0.1:{port}")
        with pytest.raises((OSError, TimeoutError)):
            asks(f"tls://127.0.0.1:{port}", Keys.fresh().security())
    with pytest.raises((OSError, TimeoutError)):
        Client(runs._cluster.scheduler_address, timeout=2, security=Keys.fresh().security())


def test_there_is_no_page_of_the_queue(served):
    for port in listening():
        reader = pytest.importorskip("httpx")
        with pytest.raises(reader.HTTPError):
            reader.get(f"http://127.0.0.1:{port}/", timeout=2)


def test_a_stop_sign_concerns_the_job_it_was_set_up_for(served, tmp_path):
    """Signs are named by what nobody can guess, so one for 'run 3' of another server or of yesterday stops nothing."""
    runs, events = served
    for sign in ("brook-stop-3", "brook-pause-3"):
        Event(sign, client=runs._client).set()
    mine = Request(3, study_text(tray(brief=raw_tray()["brief"])), "hanging", str(tmp_path), "mesh")
    other = Request(3, mine.document, "hanging", str(tmp_path), "mesh")
    assert mine.job != other.job
    runs.stop(other.job)
    runs.submit(mine)
    assert wait_for(events, 3, "ended")[0]["state"] == "meshed"


def test_keys_are_for_their_owner_alone_and_last(tmp_path):
    first = Keys.of(tmp_path)
    assert Keys.of(tmp_path) == first
    assert Keys.of(tmp_path / "another") != first
    kept = tmp_path / "keys" / "queue.key"
    assert kept.stat().st_mode & 0o777 == 0o600
    assert kept.parent.stat().st_mode & 0o777 == 0o700
    kept.chmod(0o644)
    with pytest.raises(KeysRefused, match="not yours alone"):
        Keys.of(tmp_path)


def test_a_scheduler_that_answers_anybody_is_refused():
    with pytest.raises(KeysRefused, match="start it with the keys"):
        RunQueue(print, scheduler="tcp://127.0.0.1:8786")


def test_numbers_of_removed_studies_and_runs_are_never_given_out_again(tmp_path):
    store = Store(tmp_path)
    slug = store.add_study(tray(), "new")
    first = store.study_row(slug)
    run = store.add_run(first.id, "plain", first.document, "readings")
    store.remove_study(slug)
    store.close()
    store = Store(tmp_path)
    row = store.study_row(store.add_study(tray(), "another"))
    again = store.add_run(row.id, "plain", row.document, "readings")
    assert row.id > first.id
    assert again.id > run.id
    assert again.job != run.job
    store.close()


def test_an_older_data_folder_keeps_all_it_has(tmp_path):
    """Making the tables anew must not take along what refers to their rows."""
    store = Store(tmp_path)
    slug = store.add_study(tray(), "new")
    row = store.study_row(slug)
    run = store.add_run(row.id, "plain", row.document, "readings")
    store.keep_result(row.id, "plain", "mesh", "abc", {"cells": 1})
    store.close()
    from alembic import command
    from alembic.config import Config

    from brook.store.engine import MIGRATIONS

    engine = create_engine(f"sqlite:///{tmp_path / 'brook.db'}")
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, "0003")
    assert "job" not in columns(tmp_path)
    upgrade(engine)
    engine.dispose()
    assert "job" in columns(tmp_path)
    store = Store(tmp_path)
    assert store.study(slug) == tray()
    assert store.run(run.id).job
    assert store.latest(row.id)[("plain", "mesh")] == ("abc", {"cells": 1})
    assert len(store.revisions(row.id)) == 1
    store.close()


def columns(data):
    with sqlite3.connect(data / os.fspath("brook.db")) as db:
        return {line[1] for line in db.execute("PRAGMA table_info(runs)")}
