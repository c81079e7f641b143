"""From a shape that is meshed to a turbulent run, by the keyboard alone; what is mistaken on the way is mended by its note."""

import time

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from brook.core.study.document import study_from
from tests.web.driving import complaints, send, text_of, type_into, unswapped, wait
from tests.web.helpers import client, document, take_in

MOST = 25
RESTS = 0.7  # s


class Typist:
    """Counts what is said with the keyboard."""

    def __init__(self, address, browser, slug):
        self.address, self.browser, self.slug, self.edits = address, browser, slug, 0

    @property
    def study(self):
        return document(self.address, self.slug)

    def until(self, holds):
        self.edits += 1
        wait(self.browser, lambda: holds(self.study))
        wait(self.browser, self.rests)

    def rests(self):
        """Whether the page has stood for a while: what comes of an edit, and the news of it, have replaced it."""
        self.browser.execute_script("const s = document.querySelector('#stage'); if (s) s.dataset.seen = '1'")
        time.sleep(RESTS)
        return self.browser.execute_script("return document.querySelector('#stage')?.dataset.seen === '1'")

    def key(self, words):
        """Presses a button that has these words, by the Enter key."""

        wait(self.browser, lambda: unswapped(lambda: self._pressed(words)))

    def _pressed(self, words):
        for button in self.browser.find_elements(By.CSS_SELECTOR, ".sheet button"):
            if button.text == words:
                button.send_keys(Keys.ENTER)
                return True
        return False


def shape():
    outer = {"name": "duct", "left": "0 m", "bottom": "0 m", "width": "300 mm", "height": "50 mm",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "wall", "top": "wall"}}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Duct", "named_values": {"supply": "12 m/s"},
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}], "mesh_plan": {"bulk": "5 mm", "wall": "2.5 mm"},
        "set_up": {"boundaries": [{"kind": "slip", "patch": "wal"}]},
    })  # fmt: skip


@pytest.mark.browser
@pytest.mark.server
def test_a_turbulent_run_is_set_up_by_keyboard_and_its_mistakes_are_mended(brook_server, browser):
    http = client(brook_server)
    typist = Typist(brook_server, browser, take_in(http, shape()))
    browser.get(f"{brook_server}/studies/{typist.slug}/set-up/a")
    wait(browser, lambda: "'wal' is not a patch" in text_of(browser, ".sheet"))
    typist.key("Write wall")
    typist.until(lambda study: study.set_up.boundaries[0].patch == "wall")
    wait(
        browser, lambda: "'wal' is not a patch" not in text_of(browser, ".sheet")
    )  # the page that it stands on has come
    send(browser, "select[aria-label='Fluid']", "Air")
    typist.until(lambda study: study.set_up.fluid.substance == "air")
    wait(browser, lambda: "ρ = 1.205 kg/m³" in text_of(browser, ".sheet"))
    send(browser, "select[aria-label='Patch']", "inlet")
    send(browser, "select[aria-label='Kind of boundary']", "enters at a speed")
    send(browser, "form[hx-post$='/act/set_boundary'] button", Keys.ENTER)
    typist.until(lambda study: len(study.set_up.boundaries) == 2)
    type_into(browser, "Speed at inlet", "12")
    wait(browser, lambda: "a unit is missing" in text_of(browser, ".sheet"))
    typist.key("Write 12 m/s")
    typist.until(lambda study: study.set_up.boundaries[1].speed == "12 m/s")
    type_into(browser, "Speed at inlet", "suply")
    wait(browser, lambda: "unknown name 'suply'" in text_of(browser, ".sheet"))
    typist.key("Write supply")
    typist.until(lambda study: study.set_up.boundaries[1].speed == "supply")
    wait(browser, lambda: "has an inlet but no outlet" in text_of(browser, "#checks"))
    typist.key("Let it leave through outlet")
    typist.until(lambda study: study.set_up.boundaries[2].kind == "pressure")
    wait(browser, lambda: "a laminar answer may be wrong" in text_of(browser, "#checks"))
    typist.key("Make it turbulent (k-ω SST)")
    typist.until(lambda study: study.set_up.turbulence is not None)
    wait(browser, lambda: "nothing looks odd" in text_of(browser, "#checks"))
    browser.get(f"{brook_server}/studies/{typist.slug}/run/a")
    typist.key("Run")
    wait(browser, lambda: "converged" in text_of(browser, ".sheet"), 120)
    assert typist.edits < MOST
    assert complaints(browser) == []
