"""What happens to runs reaches the store; a server that starts again goes on with its queue."""

import asyncio

import pytest

from brook.runs import Request
from brook.store import Store
from brook.web.drawing import drawing, role_of, thumbnail
from brook.web.hub import Hub, LiveRun
from brook.web.studio import Studio
from tests.core.studies import tray


class Queue:
    """A queue that only remembers."""

    ready, cores, is_here = True, 2, True

    def __init__(self):
        self.submitted: list[Request] = []
        self.stopped: list[str] = []

    def share(self, cores):
        pass

    def submit(self, request, asks=None):
        self.submitted.append(request)

    def stop(self, job):
        self.stopped.append(job)

    def withdraw(self, job):
        self.stopped.append(f"withdrawn {job}")


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path)
    yield store
    store.close()


@pytest.fixture
def studio(store):
    return Studio(store, Queue(), Hub(store))


def handle(studio, *events):
    for event in events:
        studio.hub._handle(event)


def history(start, values):
    return {"start": start, "residuals": {"momentum": values}, "seconds": values, "monitors": {"still": values}}


def test_a_worker_that_begins_anew_starts_its_history_again():
    live = LiveRun(1, "plain")
    live.add(history(0, [1.0, 0.5, 0.2]))
    live.add(history(3, [0.1]))
    assert live.residuals["momentum"] == [1.0, 0.5, 0.2, 0.1]
    live.add(history(0, [0.9]))
    assert live.residuals["momentum"] == live.monitors["still"] == [0.9]


def test_a_run_from_the_queue_to_its_readings(studio):
    slug = studio.store.add_study(tray(), "new")
    assert studio.bring_up_to_date(slug, ["hanging"]) == ["hanging"]
    assert studio.bring_up_to_date(slug, ["hanging"]) == []
    (request,) = studio.queue.submitted
    state = studio.state(slug).variant("hanging")
    assert state.job.state == "queued"
    handle(studio, {"run": request.run_id, "type": "started"}, {"run": request.run_id, "type": "stage", "stage": "run"},
           {"run": request.run_id, "type": "history", "history": history(0, [1.0, 0.5])})  # fmt: skip
    state = studio.state(slug).variant("hanging")
    assert (state.job.state, state.live.stage, state.live.iteration) == ("running", "run", 2)
    keys = state.keys
    summary = {"state": "converged", "message": "converged", "iterations": 2}
    handle(studio, {"run": request.run_id, "type": "result", "stage": "run", "key": keys.run, "summary": summary},
           {"run": request.run_id, "type": "result", "stage": "reading:still", "key": keys.readings["still"],
            "summary": {"name": "still", "value": 0.25, "problem": ""}},
           {"run": request.run_id, "type": "ended", **summary})  # fmt: skip
    state = studio.state(slug).variant("hanging")
    assert state.job.state == "converged"
    assert state.live is None
    still = state.readings[0]
    assert (still.shown, still.fresh, still.judgement.verdict) == ("25.0 %", True, "pass")
    assert still.bar == pytest.approx(0.25 / 0.4 / 2)
    assert still.margin_words == "38 % inside"


def test_events_of_an_ended_run_are_passed_over(studio):
    slug = studio.store.add_study(tray(), "new")
    studio.bring_up_to_date(slug, ["plain"])
    run = studio.queue.submitted[0].run_id
    handle(studio, {"run": run, "type": "ended", "state": "failed", "message": "x", "iterations": 0},
           {"run": run, "type": "started"}, {"run": 99, "type": "started"})  # fmt: skip
    assert studio.store.run(run).state == "failed"


def test_the_queue_survives_the_server(studio, store):
    slug = store.add_study(tray(), "new")
    studio.bring_up_to_date(slug, ["plain", "hanging"])
    first, second = (r.run_id for r in studio.queue.submitted)
    handle(studio, {"run": first, "type": "started"})
    again = Studio(store, Queue(), Hub(store))
    again.resume()
    assert [r.run_id for r in again.queue.submitted] == [first, second]
    assert again.state(slug).variant("plain").job.state == "queued"


def test_stopping_a_waiting_and_a_running_one(studio):
    slug = studio.store.add_study(tray(), "new")
    studio.bring_up_to_date(slug, ["plain"])
    job = studio.queue.submitted[0].job
    studio.stop(slug, "plain")
    assert studio.queue.stopped == [f"withdrawn {job}", job]
    studio.stop(slug, "hanging")
    assert len(studio.queue.stopped) == 2


def test_what_cannot_run_is_not_queued(studio):
    slug = studio.store.add_study(tray(mesh_plan={"bulk": "3"}), "new")
    assert studio.bring_up_to_date(slug, ["plain", "hanging"]) == []
    assert studio.queue.submitted == []


def test_pages_hear_only_of_their_study(studio):
    async def scenario():
        studio.hub._loop = asyncio.get_running_loop()
        async with studio.hub.listening(1) as mine, studio.hub.listening(2) as other:
            studio.hub.announce(1, {"type": "changed"})
            await asyncio.sleep(0.01)
            return mine.qsize(), other.qsize()

    assert asyncio.run(scenario()) == (1, 0)


def test_arrows_point_the_way_the_fluid_goes(studio):
    slug = studio.store.add_study(tray(), "new")
    prepared = studio.state(slug).variant("hanging").prepared
    made = drawing(prepared.shape, prepared.boundaries, geometry=prepared.geometry)
    assert {a.turn for a in made.arrows} == {0.0}  # in from the left, out to the right
    assert role_of("inlet", prepared.boundaries)[0] == "inflow"
    assert role_of("floor", prepared.boundaries) == ("wall", "is a still wall")
    assert {label.text for label in made.labels} >= {"120 mm", "60 mm", "25 mm", "40 mm", "baffle"}
    assert len(made.patches) == len(prepared.shape.patches)
    small = thumbnail(prepared.shape, prepared.boundaries)
    assert small.width == 168
    places = [tuple(map(float, p.split(","))) for e in small.edges for p in e.points.split()]
    assert all(0 <= x <= 168 and 0 <= y <= small.height for x, y in places)
