"""Runs under way, in a real browser: watched, paused, with other settings, and with a killed worker."""

import os
import signal

import pytest

from tests.core.studies import tray
from tests.web.driving import (  # fmt: skip
    all_of,
    attribute,
    complaints,
    drawn,
    picture,
    press,
    send,
    send_focused,
    text_of,
    type_into,
    wait,
)
from tests.web.helpers import client, take_in

pytestmark = [pytest.mark.browser, pytest.mark.server]
LONG = tray(
    title="Long run",
    mesh_plan={"bulk": "0.75 mm", "wall": "0.6 mm"},
    run_rules={"residual": "1e-30", "iterations": 100000},
)


# -- live runs -------------------------------------------------------------------------------------


@pytest.fixture
def long_run(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, LONG)
        http.post(f"/studies/{slug}/bring-up-to-date", data={"page": "board", "only": "hanging"})
        yield slug
        http.post(f"/studies/{slug}/stop-run", data={"page": "board", "only": "hanging"})


def iteration(browser):
    words = text_of(browser, ".state-line").split()
    return int(words[1]) if words[:1] == ["iteration"] else 0


def test_a_run_is_watched_paused_and_goes_on_with_other_settings(brook_server, browser, long_run):
    browser.get(f"{brook_server}/studies/{long_run}/run/hanging")
    wait(browser, lambda: drawn(browser, "speed"))
    first = picture(browser)
    wait(browser, lambda: picture(browser) != first)  # the picture is live
    wait(
        browser,
        lambda: "iterations" in text_of(browser, "#forecast") or "cannot be seen" in text_of(browser, "#forecast"),
    )
    # curves: zoom by keyboard, own iterations, smoothing, a logarithmic monitor
    browser.execute_script("document.querySelector('#monitor-still').focus()")
    send_focused(browser, "+")
    assert attribute(browser, "#from", "value") != ""
    press(browser, "#whole")
    assert attribute(browser, "#from", "value") == ""
    send(browser, "#smooth", "20")
    press(browser, "aside .buttons .do")
    wait(browser, lambda: text_of(browser, ".state-line") == "paused")
    stood = int(text_of(browser, "aside.sheet").split("Paused after ")[1].split()[0])
    type_into(browser, "Limit of the residuals", "1e-4")
    wait(browser, lambda: "The settings have changed" in text_of(browser, "aside.sheet"))
    press(browser, "aside .buttons .do")
    wait(browser, lambda: text_of(browser, ".state-line").startswith("converged"))
    with client(brook_server) as http:
        history = http.get(f"/studies/{long_run}/run/hanging/history.json").json()
    assert history["marks"] == [[stood, "went on with other settings"]]
    assert len(history["residuals"]["momentum"]) > stood


def test_a_killed_worker_in_mid_run_is_marked_and_the_run_goes_on(brook_server, brook_app, browser, long_run):
    studio = brook_app.state.studio
    browser.get(f"{brook_server}/studies/{long_run}/run/hanging")
    wait(browser, lambda: iteration(browser) > 30)
    job = studio.state(long_run).variant("hanging").job
    checkpoint = studio.store.files.of_run(job.id).checkpoint
    wait(browser, checkpoint.exists)
    reached = iteration(browser)
    pids = studio.queue.worker_pids()
    assert pids
    for pid in pids.values():
        os.kill(pid, signal.SIGKILL)
    wait(browser, lambda: all_of(browser, "#interrupted"))
    assert "Interrupted once" in text_of(browser, "#interrupted")
    wait(browser, lambda: iteration(browser) > reached)
    with client(brook_server) as http:
        history = http.get(f"/studies/{long_run}/run/hanging/history.json").json()
    (mark,) = history["marks"]
    assert mark[1] == "went on after an interruption"
    assert 0 < mark[0] <= len(history["seconds"])
    assert complaints(browser) == []
