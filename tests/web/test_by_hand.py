"""Changing a study by hand, in a real browser: drawing, two windows, the history, finding the way."""

import time

import pytest
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver import ActionChains, Keys

from tests.core.studies import tray
from tests.web.driving import all_of, attribute, keys, one, press, send_focused, text_of, type_into, wait  # fmt: skip
from tests.web.helpers import client, document, take_in

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture
def slug(brook_server):
    with client(brook_server) as http:
        return take_in(http, tray())


def drag(browser, name, *moves):
    """Takes hold of a handle and moves it by each of the moves; anew where the page was swapped before it was taken."""
    for _ in range(5):
        chain = ActionChains(browser).click_and_hold(one(browser, f'[data-handle="{name}"]'))
        for move in moves:
            chain.move_by_offset(*move)
        try:
            chain.perform()
            return
        except StaleElementReferenceException:
            ActionChains(browser).reset_actions()
    raise AssertionError(f"{name} never stood still")


def focus(browser, name):
    """Gives a handle the focus, by script: the page may be swapped between finding and focusing."""
    browser.execute_script("document.querySelector(`[data-handle='${arguments[0]}']`).focus()", name)


# -- drawing by hand -------------------------------------------------------------------------------


def test_a_handle_is_dragged_with_its_number_its_hatching_and_its_undo(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/geometry/hanging")
    wait(browser, lambda: all_of(browser, ".handles .handle"))
    before = text_of(browser, "svg.drawing")
    drag(browser, "left edge of baffle", (-20, 0), (-20, 0))
    wait(browser, lambda: "left 3" in text_of(browser, ".handles text"))  # the number goes along
    wait(browser, lambda: text_of(browser, "svg.drawing") != before)
    assert document(brook_server, done).variants[1].geometry.shapes[0].left == "40 mm"  # nothing is kept yet
    ActionChains(browser).release().perform()
    wait(browser, lambda: "out of date" in text_of(browser, "aside.sheet"))
    shape = document(brook_server, done).variants[1].geometry.shapes[0]
    left, width = (float(v.split()[0]) for v in (shape.left, shape.width))
    assert left < 40
    assert left + width == pytest.approx(44)
    assert left == round(left)  # it snapped to whole millimetres
    browser.get(f"{brook_server}/studies/{done}")
    assert len(all_of(browser, "#row-hanging td.stale")) == 5
    ActionChains(browser).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    wait(browser, lambda: not all_of(browser, "td.stale"))
    assert "Undone: Hanging" in text_of(browser, ".notice")
    assert document(brook_server, done).variants[1].geometry.shapes[0].left == "40 mm"


def test_a_handle_by_keyboard_and_one_that_cannot_go_there(brook_server, browser, slug):
    browser.get(f"{brook_server}/studies/{slug}/geometry/hanging")
    wait(browser, lambda: all_of(browser, ".handles .handle"))
    focus(browser, "baffle sideways")
    send_focused(browser, 3 * Keys.ARROW_RIGHT + Keys.ENTER)
    wait(browser, lambda: document(brook_server, slug).variants[1].geometry.shapes[0].left == "43 mm")
    wait(browser, lambda: browser.switch_to.active_element.get_attribute("data-handle") == "baffle sideways")
    # far beyond the tray: the drawing says so and letting go changes nothing
    drag(browser, "baffle sideways", (480, 0), (5, 0))
    wait(browser, lambda: "cannot be" in text_of(browser, "#drag-says"))
    ActionChains(browser).release().perform()
    wait(browser, lambda: "outside" in text_of(browser, "aside.sheet") or "beyond" in text_of(browser, "aside.sheet"))
    assert document(brook_server, slug).variants[1].geometry.shapes[0].left == "43 mm"


def test_round_shapes_are_added_drawn_and_turned(brook_server, browser, slug):
    def shapes():
        return document(brook_server, slug).variants[0].geometry.shapes

    browser.get(f"{brook_server}/studies/{slug}/geometry/plain")
    for count, kind in enumerate(("a circle", "an arc"), 1):
        press(browser, f"[aria-label='Add {kind}']")
        wait(browser, lambda count=count: len(shapes()) == count and len(all_of(browser, ".statement .sides")) == count)
    wait(browser, lambda: all_of(browser, "[data-handle='end of vane']"))
    before = shapes()[0]
    drag(browser, "centre of bar", (-60, 20), (-60, 20))
    wait(browser, lambda: "centre x" in text_of(browser, ".handles text"))
    ActionChains(browser).release().perform()
    wait(browser, lambda: shapes()[0] != before)
    assert float(shapes()[0].centre_x.split()[0]) < float(before.centre_x.split()[0])
    assert float(shapes()[0].centre_y.split()[0]) < float(before.centre_y.split()[0])
    wait(
        browser, lambda: shapes()[0].centre_x in browser.page_source and all_of(browser, "[data-handle='end of vane']")
    )
    focus(browser, "end of vane")
    # in one go: steps that come after a pause are changes of their own
    send_focused(browser, Keys.ARROW_UP + Keys.ARROW_UP + Keys.ENTER)
    wait(browser, lambda: shapes()[1].end == "122 deg")


# -- two windows -----------------------------------------------------------------------------------


def test_two_windows_never_overwrite_each_other_unseen(brook_server, browser, slug):
    address, label = f"{brook_server}/studies/{slug}/geometry/hanging", "input[aria-label='Height of baffle']"
    browser.get(address)
    first = browser.current_window_handle
    # typed and not yet kept; by script, as a browser keeps what was typed when its window is left
    browser.execute_script("const e = document.querySelector(arguments[0]); e.focus(); e.value = '22 mm'", label)
    browser.switch_to.new_window("tab")
    try:
        browser.get(address)
        type_into(browser, "Height of baffle", "20 mm")
        wait(browser, lambda: "20 mm" in text_of(browser, "svg.drawing"))
        browser.switch_to.window(first)
        time.sleep(0.8)
        assert attribute(browser, label, "value") == "22 mm"  # not swapped away under the fingers
        browser.execute_script(
            "document.querySelector(arguments[0]).dispatchEvent(new Event('change', {bubbles: true}))", label
        )
        wait(browser, lambda: "meanwhile somebody changed this to '20 mm'" in text_of(browser, ".why"))
        assert attribute(browser, label, "value") == "22 mm"
        assert document(brook_server, slug).variants[1].geometry.shapes[0].height == "20 mm"
        type_into(browser, "Height of baffle", "21 mm")  # seen, and still wanted
        wait(browser, lambda: document(brook_server, slug).variants[1].geometry.shapes[0].height == "21 mm")
        browser.switch_to.window(browser.window_handles[-1])
        wait(browser, lambda: "21 mm" in text_of(browser, "svg.drawing"))  # and the other window sees it
    finally:
        browser.switch_to.window(browser.window_handles[-1])
        browser.close()
        browser.switch_to.window(first)


def test_values_typed_quickly_one_after_the_other_are_all_kept(brook_server, browser, slug):
    """Nobody waits for an answer before typing on; nothing typed is lost when it comes."""
    browser.get(f"{brook_server}/studies/{slug}/geometry/hanging")
    slow = "const send = XMLHttpRequest.prototype.send; XMLHttpRequest.prototype.send = function (body) { setTimeout(() => send.call(this, body), 400); };"
    browser.execute_script(slow)
    type_into(browser, "Height of baffle", "20 mm")
    type_into(browser, "Height of baffle", "18 mm")  # the same again, before the answer
    type_into(browser, "Width of baffle", "5 mm")
    typing = "const e = document.querySelector(\"input[aria-label='Left edge of baffle']\"); e.focus(); e.value = '44'"
    browser.execute_script(typing)  # and still typing

    def shape():
        return document(brook_server, slug).variants[1].geometry.shapes[0]

    wait(browser, lambda: (shape().height, shape().width) == ("18 mm", "5 mm"))
    time.sleep(1.0)
    left = one(browser, "input[aria-label='Left edge of baffle']")
    assert left.get_attribute("value") == "44"
    assert browser.switch_to.active_element == left
    type_into(browser, "Left edge of baffle", "44 mm")
    wait(browser, lambda: shape().left == "44 mm")


def test_the_history_page_goes_back_to_any_point(brook_server, browser, slug):
    browser.get(f"{brook_server}/studies/{slug}/geometry/hanging")
    for text in ("20 mm", "18 mm", "16 mm"):
        type_into(browser, "Height of baffle", text)
        wait(
            browser,
            lambda text=text: f"→ {text}" in browser.execute_script("return document.getElementById('undo').title"),
        )
    press(browser, ".steps a")
    wait(browser, lambda: len(all_of(browser, "#history-rows tr")) == 4)
    press(browser, "[aria-label='Go to step 2']")
    wait(browser, lambda: "after step 2" in text_of(browser, ".notice"))
    assert document(brook_server, slug).variants[1].geometry.shapes[0].height == "20 mm"
    typed = "const e = document.querySelector('.filter'); e.value = '18 mm'; e.dispatchEvent(new Event('input', {bubbles: true}))"
    browser.execute_script(typed)
    shown = "return [...document.querySelectorAll('#history-rows tr')].filter((r) => !r.hidden).length"
    wait(
        browser, lambda: browser.execute_script(typed) or browser.execute_script(shown) == 2
    )  # the step to 18 mm and the one from it


# -- finding the way ---------------------------------------------------------------------------------


def test_the_command_field_finds_settings_and_does_actions(brook_server, browser, slug):
    browser.get(f"{brook_server}/studies/{slug}")
    keys(browser, "/")
    field = browser.switch_to.active_element
    assert field.get_attribute("id") == "find"
    field.send_keys("bulk")
    wait(browser, lambda: "cells in the bulk" in text_of(browser, "#found"))
    field.send_keys(Keys.ENTER)
    wait(browser, lambda: browser.current_url.split("#")[0].endswith("/mesh"))
    assert browser.switch_to.active_element.get_attribute("aria-label") == "Largest size of cells"
    send_focused(browser, Keys.ESCAPE)
    keys(browser, "/")
    send_focused(browser, "clone plain")
    wait(browser, lambda: "Clone Plain" in text_of(browser, "#found"))
    send_focused(browser, Keys.ENTER)
    wait(browser, lambda: len(document(brook_server, slug).variants) == 3)
    keys(browser, "/")
    send_focused(browser, "zzzz")
    wait(browser, lambda: "Nothing of that name" in text_of(browser, "#found"))
    send_focused(browser, Keys.ESCAPE)
    keys(browser, "?")
    wait(browser, lambda: browser.current_url.endswith("/shortcuts"))


def test_the_visit_is_offered_once_and_can_be_left_at_any_point(brook_server, browser, slug):
    browser.execute_script("localStorage.removeItem('brook visit')")
    browser.get(brook_server)
    assert "New here?" in text_of(browser, "#visit")
    press(browser, "#visit .do")
    wait(browser, lambda: "1 of 6" in text_of(browser, "#visit"))
    press(browser, "#visit .do")
    wait(browser, lambda: "2 of 6" in text_of(browser, "#visit") and "/geometry" in browser.current_url)
    press(browser, "#visit .plain")
    for address in (brook_server, f"{brook_server}/studies/{slug}"):
        browser.get(address)
        assert not one(browser, "#visit").is_displayed()
