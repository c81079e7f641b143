"""Names complete while a formula is typed."""

import pytest
from selenium.webdriver.common.keys import Keys

from tests.core.studies import tray
from tests.web.driving import attribute, complaints, send, text_of, type_into, wait
from tests.web.helpers import client, document, take_in


@pytest.mark.browser
@pytest.mark.server
def test_a_name_is_offered_chosen_by_arrows_and_written(brook_server, browser):
    slug = take_in(client(brook_server), tray())
    browser.get(f"{brook_server}/studies/{slug}/set-up")
    field = "input[aria-label='Speed at inlet']"
    send(browser, field, Keys.CONTROL, "a")
    send(browser, field, "2 * su")
    wait(browser, lambda: text_of(browser, "#offers") == "supply")
    send(browser, field, Keys.ARROW_DOWN, Keys.ENTER)
    wait(browser, lambda: attribute(browser, field, "value") == "2 * supply")
    assert document(brook_server, slug).set_up.boundaries[0].speed == tray().set_up.boundaries[0].speed  # not sent yet
    send(browser, field, Keys.TAB)
    wait(browser, lambda: document(brook_server, slug).set_up.boundaries[0].speed == "2 * supply")
    type_into(browser, "Speed at inlet", "3 * sup")  # nothing chosen: what was typed is what was meant
    wait(browser, lambda: "unknown name 'sup'" in text_of(browser, ".sheet"))
    assert complaints(browser) == []
