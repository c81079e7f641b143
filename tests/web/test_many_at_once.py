"""Many at once: what they ask for is worked out once, and never shown when something has changed since."""

import threading
import time

import pytest

from brook.store import Store
from brook.web import state_reader
from brook.web.hub import Hub, LiveRun
from brook.web.studio import Studio
from brook.web.throttle import Few
from brook.web.turns import Turns
from tests.core.studies import tray
from tests.web.test_hub import Queue


@pytest.fixture
def studio(tmp_path):
    store = Store(tmp_path)
    yield Studio(store, Queue(), Hub(store))
    store.close()


def at_once(count, do):
    together = threading.Barrier(count)

    def one():
        together.wait()
        do()

    threads = [threading.Thread(target=one) for _ in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


def test_one_works_it_out_and_the_others_find_it(studio, monkeypatch):
    slug, made = studio.store.add_study(tray(), "new"), []
    real = studio.reader._state
    monkeypatch.setattr(
        studio.reader, "_state", lambda row, study: (made.append(slug), time.sleep(0.05), real(row, study))[2]
    )
    found = []
    at_once(8, lambda: found.append(studio.state(slug)))
    assert len(made) == 1
    assert len({id(state) for state in found}) == 1


def test_a_state_is_made_anew_when_anything_of_it_has_changed(studio):
    slug = studio.store.add_study(tray(), "new")
    before = studio.state(slug)
    assert studio.state(slug) is before

    def changed(do):
        nonlocal before
        do()
        now = studio.state(slug)
        assert now is not before
        before = now
        assert studio.state(slug) is before

    study = before.row.id
    changed(lambda: studio.edit(slug, {"/title": "Other"}, {}))
    assert before.study.title == "Other"
    changed(lambda: studio.undo(slug))
    assert before.study.title == "Short tray"
    changed(lambda: studio.store.keep_result(study, "plain", "mesh", "k" * 20, {"cells": 1}))
    assert before.variant("plain").mesh.summary == {"cells": 1}
    run = studio.store.add_run(study, "plain", before.row.document, "readings")
    changed(lambda: studio.hub.live.__setitem__(run.id, LiveRun(study, "plain")))
    assert before.variant("plain").is_busy
    changed(lambda: studio.store.change_run(run.id, state="failed"))
    assert before.variant("plain").failed


def test_what_another_program_writes_is_seen_soon(studio, tmp_path, monkeypatch):
    monkeypatch.setattr(state_reader, "LONGEST", 0.05)
    slug = studio.store.add_study(tray(), "new")
    row = studio.state(slug).row
    other = Store(tmp_path)
    other.keep_result(row.id, "plain", "mesh", "k" * 20, {"cells": 2})
    other.close()
    time.sleep(0.1)
    assert studio.state(slug).variant("plain").mesh.summary == {"cells": 2}


def test_turns_are_by_key_and_leave_nothing_behind():
    turns, inside, most = Turns(), [], []

    def one():
        with turns.of("a"), turns.of("a"):  # the same thread may come in again
            inside.append(1)
            most.append(len(inside))
            time.sleep(0.005)
            inside.pop()

    at_once(6, one)
    assert max(most) == 1
    assert turns._held == {}
    with turns.of("a"), turns.of("b"):
        assert set(turns._held) == {"a", "b"}


def test_few_are_let_in_and_the_others_wait_without_a_thread():
    import asyncio

    async def all_of_them():
        few, inside, most = Few(2), 0, 0

        async def one():
            nonlocal inside, most
            async with few:
                inside += 1
                most = max(most, inside)
                await asyncio.sleep(0.01)
                inside -= 1

        await asyncio.gather(*(one() for _ in range(7)))
        return most, few.count

    assert asyncio.run(all_of_them()) == (2, 0)
