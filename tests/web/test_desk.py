"""The run desk: who is next, at what time and on how many cores; and its page in a browser."""

import time
from datetime import UTC, datetime, timedelta

import pytest
from selenium.webdriver import Keys

from brook.core.memory import needed
from brook.runs.sharing import LARGE, Waiting, begin_next, shares
from brook.store import Store
from brook.web.desk import TimeRefused, time_of, told_clock
from brook.web.hub import Hub
from brook.web.studio import Studio
from tests.core.studies import tray
from tests.web.driving import all_of, complaints, one, press, text_of, wait
from tests.web.helpers import client, take_in
from tests.web.test_hub import Queue, handle

NOW = datetime(2026, 5, 4, 12, 0)
MUCH = 10**12


def begun(waiting, running=(), cores=2, free=MUCH):
    return begin_next(waiting, list(running), cores, free, NOW)


def test_small_runs_share_the_cores_and_the_others_wait_in_their_order():
    first, why = begun([Waiting(k, 1000) for k in (3, 1, 2)])
    assert first == [3, 1]
    assert why == {2: "waits for a core"}
    assert begun([Waiting(2, 1000)], [1000])[0] == [2]
    assert shares([3, 1], 2) == {3: 1, 1: 1}
    assert shares([3], 2) == {3: 2}
    assert shares([3, 1], 5) == {3: 3, 1: 2}
    assert shares([4, 5, 6], 2) == {4: 1, 5: 1, 6: 1}
    assert shares([], 2) == {}


def test_a_large_run_has_all_cores_and_nobody_overtakes_it():
    large, small = Waiting(1, LARGE), Waiting(2, 1000)
    assert begun([large, small]) == ([1], {2: "waits until the large run is over, which has all cores"})
    first, why = begun([large, small], [1000])
    assert first == []
    assert "all cores" in why[1]
    assert why[2] == "waits for its turn"
    assert begun([small], [LARGE])[0] == []


def test_what_does_not_fit_beside_others_waits_and_says_what_it_needs_but_alone_it_begins():
    big = Waiting(1, LARGE - 1)
    free = needed(LARGE) // 2
    first, why = begun([big], [1000], free=free)
    assert first == []
    assert "waits for memory: it needs about" in why[1]
    assert begun([big], free=free)[0] == [1]  # its worker says whether it can ever be held
    assert len(begun([Waiting(1, 1000), big], free=free)[0]) == 1  # what has just begun takes of it too


def test_who_has_a_time_waits_for_it_and_holds_nobody_up():
    later = Waiting(1, 1000, NOW + timedelta(hours=1))
    assert begun([later, Waiting(2, 1000)]) == ([2], {1: "waits for its time"})
    assert begun([Waiting(1, 1000, NOW)])[0] == [1]


def test_times_are_those_of_the_clock_here():
    noon = datetime(2026, 5, 4, 12, 0).astimezone()

    def here(text):
        return time_of(text, noon).replace(tzinfo=UTC).astimezone().replace(tzinfo=None)

    assert here("22:30") == datetime(2026, 5, 4, 22, 30)
    assert here(" 6:00 ") == datetime(2026, 5, 5, 6, 0)
    assert here("tomorrow 13:00") == datetime(2026, 5, 5, 13, 0)
    assert here("2026-12-24 18:00") == datetime(2026, 12, 24, 18, 0)
    assert time_of("", noon) is None
    for wrong in (
        "25:00",
        "at night",
        "today 11:00",
        "2025-01-01 10:00",
        "2030-01-01 10:00",
        "2026-02-31 10:00",
        "9" * 40,
    ):
        with pytest.raises(TimeRefused):
            time_of(wrong, noon)
    assert told_clock(time_of("22:30", noon), noon.replace(tzinfo=None)) == "22:30"
    assert told_clock(time_of("6:00", noon), noon.replace(tzinfo=None)) == "2026-05-05 06:00"


@pytest.fixture
def studio(tmp_path):
    store = Store(tmp_path)
    yield Studio(store, Queue(), Hub(store))
    store.close()


def four(studio):
    slug = studio.store.add_study(tray(), "new")
    names = [f"{v.name}-coarser-{k}" for k in (4, 2) for v in tray().variants[:2]]
    studio.bring_up_to_date(slug, names)
    return slug, [run.id for run in studio.store.unfinished()]


def given(studio):
    return [request.run_id for request in studio.queue.submitted]


def end(studio, run, state="converged"):
    handle(studio, {"run": run, "type": "started", "machine": "here"}, {"run": run, "type": "ended", "state": state, "message": "", "iterations": 1})  # fmt: skip


def test_the_queue_gets_what_may_begin_in_the_order_of_the_desk(studio):
    _, (a, b, c, d) = four(studio)
    assert given(studio) == [a, b]
    assert studio.hub.live[c].why == "waits for a core"
    studio.desk.move(d, "first")
    end(studio, a)
    assert given(studio) == [a, b, d]
    assert studio.desk.hold(c, time_of("tomorrow 6:00"))
    end(studio, b)
    assert given(studio) == [a, b, d]
    assert studio.hub.live[c].why == "waits for its time"
    assert studio.desk.hold(c, None)
    assert given(studio) == [a, b, d, c]
    assert not studio.desk.hold(c, None)  # it is under way
    assert studio.store.run(c).cells > 50


def test_moves_change_places_among_those_that_wait(studio):
    studio.queue.ready = False
    _, (a, b, c, d) = four(studio)

    def order():
        return [run.id for run in studio.store.unfinished()]

    for run, way, wanted in ((c, "earlier", [a, c, b, d]), (a, "later", [c, a, b, d]), (d, "first", [d, c, a, b]), (d, "earlier", [d, c, a, b]), (d, "last", [c, a, b, d]), (d, "later", [c, a, b, d])):  # fmt: skip
        studio.desk.move(run, way)
        assert order() == wanted
    studio.desk.move(999, "first")
    assert order() == [c, a, b, d]


def test_a_queue_that_does_not_answer_hurts_nobody_and_is_asked_again(studio):
    good = studio.queue.submit

    def silent(request):
        raise OSError("nobody answers")

    studio.queue.submit = silent
    _, (a, b, *_) = four(studio)
    assert studio.desk.given == set()
    studio.queue.submit = good
    studio.desk.look()
    assert given(studio) == [a, b]
    studio.queue.share = silent
    end(studio, a)
    assert studio.store.run(a).state == "converged"


def test_what_is_taken_out_while_it_waits_never_begins(studio):
    slug, (a, b, c, d) = four(studio)
    name = studio.store.run(c).variant
    studio.stop(slug, name)
    end(studio, a)  # before the hub has written that it is out
    assert given(studio) == [a, b, d]
    handle(studio, studio.hub._events.get_nowait())
    assert studio.store.run(c).state == "stopped"
    assert "before it began" in studio.store.run(c).message


def test_what_a_run_took_is_kept_even_where_it_is_told_after_its_end(studio):
    _, (a, *_) = four(studio)
    end(studio, a)
    handle(studio, {"run": a, "type": "spent", "cpu": 12.5, "memory": 3 * 10**8, "machine": "mill"})
    run = studio.store.run(a)
    assert (run.state, run.cpu, run.memory, run.machine) == ("converged", 12.5, 3 * 10**8, "mill")
    ((_, count, _, cpu, memory),) = studio.store.spent_by_study()
    assert (count, cpu, memory) == (1, 12.5, 3 * 10**8)


@pytest.mark.browser
@pytest.mark.server
def test_the_desk_in_a_browser(brook_server, browser):
    with client(brook_server) as http:
        slug = take_in(http, tray(title="Desk"))
        browser.get(f"{brook_server}/desk")
        wait(browser, lambda: all_of(browser, "#desk-now .answer"))
        names = [v.name for v in tray().variants]
        for k in (6, 4, 2, 1, 0):
            for name in names:
                http.post(f"/api/studies/{slug}/variants/{f'{name}-coarser-{k}' if k else name}/run", json={})
        waits = [lane for lane in http.get("/api/desk").json() if lane["study"] == slug and lane["state"] == "queued"]
        last = waits[-1]
        late = http.post(f"/api/desk/{last['run']}", json={"until": "tomorrow 6:00", "move": "first"})
        assert late.status_code == 200
        row = f"#waiting tr[data-run='{last['run']}']"
        wait(browser, lambda: all_of(browser, row) and "waits for its time" in text_of(browser, row))
        field = f"#hold-{last['run']}"
        one(browser, field).send_keys(Keys.CONTROL, "a")
        one(browser, field).send_keys("25:99", Keys.ENTER)
        wait(browser, lambda: "is no time" in text_of(browser, f"{row} .why"))
        assert one(browser, field).get_attribute("value") == "25:99"
        wait(browser, lambda: len(all_of(browser, "#waiting tbody tr")) == 1, 120)  # all others are through
        assert "is no time" in text_of(browser, f"{row} .why")
        assert http.post(f"/api/desk/{last['run']}", json={"until": "soon"}).status_code == 422
        assert http.post("/api/desk/123456", json={"move": "first"}).status_code == 404
        press(browser, f"{row} .acts button:last-child")
        wait(browser, lambda: "Nothing waits" in text_of(browser, "#desk-waiting"))
        stopped = f"#ended tr[data-run='{last['run']}']"
        browser.refresh()
        wait(browser, lambda: "stopped" in text_of(browser, stopped))
        press(browser, f"{stopped} .acts button")
        end_at = time.monotonic() + 60
        while time.monotonic() < end_at:
            newest = next(
                one for one in http.get("/api/desk").json() if one["study"] == slug and one["case"] == last["case"]
            )
            if newest["state"] == "converged" and newest["memory"]:
                break
            time.sleep(0.3)
        assert newest["state"] == "converged"
        assert newest["cpu"] > 0.05
        assert newest["memory"] > 10**8
    browser.refresh()
    wait(browser, lambda: all_of(browser, "#spent tbody tr"))
    assert "Desk" in text_of(browser, "#spent")
    assert complaints(browser) == []
