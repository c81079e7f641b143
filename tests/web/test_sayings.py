"""Beside the sheet of a set-up stands the canvas of a shape in space: a patch that is picked leads to what is said of it."""

import pytest

from brook.core.study.document import study_from
from tests.web.driving import attribute, click, complaints, text_of, wait
from tests.web.helpers import client, take_in

PATCHES = {"west": "west", "east": "east", "south": "south", "north": "north", "floor": "floor", "lid": "lid"}


def block():
    part = {"kind": "box", "name": "block", "width": "80 mm", "depth": "60 mm", "height": "40 mm", "patches": PATCHES}
    said = [{"kind": "sliding", "patch": patch, "velocity_x": "0.1 m/s"} for patch in PATCHES]
    return study_from({
        "format": "brook-study", "version": 1, "title": "Block", "set_up": {"boundaries": said},
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [part], "bodies": [
            {"name": "fluid", "holds": "fluid", "x": "10 mm", "y": "10 mm", "z": "10 mm"}]}}],
    })  # fmt: skip


@pytest.mark.browser
@pytest.mark.server
def test_a_picked_patch_leads_to_its_statement(brook_server, browser):
    http = client(brook_server)
    slug = take_in(http, block())
    browser.get(f"{brook_server}/studies/{slug}/geometry/a")  # which makes the shape
    wait(browser, lambda: attribute(browser, "#space-view", "data-state") == "shown")
    browser.get(f"{brook_server}/studies/{slug}/set-up/a")
    wait(browser, lambda: attribute(browser, "#space-view", "data-state") == "shown")
    focused = "return document.activeElement.closest('[data-patches]')?.dataset.patches ?? ''"
    assert browser.execute_script(focused) == ""
    click(browser, "#space-view canvas")
    wait(browser, lambda: browser.execute_script(focused) != "")
    patch = browser.execute_script(focused).split()[0]
    assert patch in text_of(browser, "#strip")
    assert complaints(browser) == []
