"""The top bar while code is compiled beside the pages, and what a run that waits for it says."""

import httpx
import pytest

from brook.core.compiling.warming import Progress
from brook.web.hub import LiveRun
from tests.core.studies import tray
from tests.web.driving import text_of, wait
from tests.web.helpers import client, plain, take_in

pytestmark = [pytest.mark.server, pytest.mark.browser]


@pytest.fixture
def kernels(brook_app, brook_server):
    """What makes kernels ready for this server, set as a test wants it and put back."""
    kernels = brook_app.state.studio.kernels
    kernels.stop()  # had it anything to do, it would say how far it is itself
    before = kernels.progress
    yield kernels
    kernels.progress = before


def test_progress_stands_in_the_top_bar_of_every_page_until_all_is_there(brook_server, browser, kernels):
    kernels.progress = Progress(there=12, total=174, seconds_left=40.0, busy=True)
    with client(brook_server) as http:
        slug = take_in(http, tray())
    for page in ("/", f"/studies/{slug}", f"/studies/{slug}/set-up", "/evidence"):
        browser.get(brook_server + page)
        wait(browser, lambda: "compiling 12 of 174" in text_of(browser, ".top"))
    kernels.progress.there = 100
    wait(browser, lambda: "compiling 100 of 174" in text_of(browser, ".top"))
    assert httpx.get(f"{brook_server}/api/compiling", timeout=120).json()["there"] == 100
    kernels.progress.busy = False
    wait(browser, lambda: "compiling" not in text_of(browser, ".top"))
    assert httpx.get(f"{brook_server}/api/compiling", timeout=120).json()["busy"] is False


def test_a_failure_to_compile_ahead_is_told(brook_server, browser, kernels):
    kernels.progress = Progress(there=3, total=174, failed={"": "a process that compiled was killed"})
    browser.get(brook_server)
    wait(browser, lambda: "code not compiled ahead" in text_of(browser, ".top"))
    assert "was killed" in browser.find_element("id", "compiling").get_attribute("title")


def test_the_board_says_that_a_run_waits_for_code(brook_app, brook_server):
    studio = brook_app.state.studio
    with client(brook_server) as http:
        slug = take_in(http, tray(title="Waiting tray"))
        row = studio.store.study_row(slug)
        run = studio.store.add_run(row.id, "plain", row.document, "readings", None)
        studio.store.change_run(run.id, state="running")
        studio.hub.live[run.id] = LiveRun(row.id, "plain")
        try:
            for event, words in (
                ({"type": "compiling", "words": "waits for code that is being compiled"}, True),
                ({"type": "stage", "stage": "run"}, False),
            ):
                studio.hub._handle({"run": run.id, **event})
                assert ("waits for code" in plain(http.get(f"/studies/{slug}").text)) is words
        finally:
            studio.hub._handle({"run": run.id, "type": "ended", "state": "stopped", "message": "", "iterations": 0})
