"""Driving the real pages: waiting, finding, pressing, and what a canvas shows."""

from __future__ import annotations

import time

from selenium.common.exceptions import (
    ElementNotInteractableException,
    NoSuchElementException,
    StaleElementReferenceException,
)
from selenium.webdriver import ActionChains, Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait


def wait(browser, what, seconds=40):
    """Asks again and again until something is true; an element that was swapped away while asked is no answer yet."""
    swapped = (StaleElementReferenceException, NoSuchElementException)
    return WebDriverWait(browser, seconds, poll_frequency=0.1, ignored_exceptions=swapped).until(lambda _: what())


def one(browser, selector):
    return browser.find_element(By.CSS_SELECTOR, selector)


def all_of(browser, selector):
    return browser.find_elements(By.CSS_SELECTOR, selector)


def unswapped(step):
    """What a step gives that finds an element and does one thing to it; again when the element was swapped away between."""
    for _ in range(5):
        try:
            return step()
        except (StaleElementReferenceException, ElementNotInteractableException):
            time.sleep(0.2)
    return step()


def send(browser, selector, *text):
    return unswapped(lambda: one(browser, selector).send_keys(*text))


def send_focused(browser, *text):
    return unswapped(lambda: browser.switch_to.active_element.send_keys(*text))


def click(browser, selector):
    return unswapped(lambda: one(browser, selector).click())


def attribute(browser, selector, name):
    return unswapped(lambda: one(browser, selector).get_attribute(name))


def each(browser, selector, name=""):
    """An attribute of all elements, or their texts, in one look."""
    script = "return [...document.querySelectorAll(arguments[0])].map(e => arguments[1] ? e.getAttribute(arguments[1]) : e.innerText)"
    return browser.execute_script(script, selector, name)


def press(browser, selector):
    """A click by script, so that a swap in between cannot make the button stale; waits for the page to stand."""
    wait(browser, lambda: browser.execute_script("return document.readyState") == "complete")
    browser.execute_script("document.querySelector(arguments[0]).click()", selector)


def at_rest(browser, selector):
    """What a selector finds once it has stood at the same place for a third of a second."""

    def place():
        return browser.execute_script(
            "const r = document.querySelector(arguments[0])?.getBoundingClientRect(); return r && [r.x, r.y, r.width].join(' ')",
            selector,
        )

    def stands():
        before = place()
        time.sleep(0.35)
        return before and before == place()

    wait(browser, stands)
    return one(browser, selector)


def dragged(browser, selector, by, done):
    """Drags what stands at rest until that does something: it may be drawn anew just when the pointer comes down."""

    def once():
        ActionChains(browser).drag_and_drop_by_offset(at_rest(browser, selector), *by).perform()
        until = time.monotonic() + 5
        while not done() and time.monotonic() < until:
            time.sleep(0.1)
        return done()

    wait(browser, once)


def text_of(browser, selector):
    """Text by script, so that a swap in between cannot make it stale."""
    return browser.execute_script(
        "const e = document.querySelector(arguments[0]); return e?.innerText ?? e?.textContent ?? ''", selector
    )


def drawn(browser, quantity):
    return browser.execute_script("return document.getElementById('stage').dataset.drawn") == quantity


def colours(browser, index=0):
    """How many different colours a canvas shows."""
    script = """
      const canvas = document.querySelectorAll('canvas.field')[arguments[0]];
      const data = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
      const seen = new Set();
      for (let i = 0; i < data.length; i += 4) seen.add((data[i] << 16) | (data[i + 1] << 8) | data[i + 2]);
      return seen.size;"""
    return browser.execute_script(script, index)


def type_into(browser, label, text):
    """Replaces what stands in a field; begins again when the page was swapped in between."""
    for _ in range(5):
        try:
            field = one(browser, f"input[aria-label='{label}']")
            field.send_keys(Keys.CONTROL, "a")
            field.send_keys(text, Keys.TAB)
            return
        except (StaleElementReferenceException, ElementNotInteractableException):
            time.sleep(0.2)
    raise AssertionError(f"'{label}' could not be typed into")


def downloaded(downloads, name):
    end = time.monotonic() + 20
    while time.monotonic() < end:
        if (downloads / name).exists():
            return downloads / name
        time.sleep(0.1)
    raise AssertionError(f"{name} was not downloaded; there are {[p.name for p in downloads.iterdir()]}")


def complaints(browser):
    return [entry for entry in browser.get_log("browser") if entry["level"] == "SEVERE"]


def keys(browser, key, kind="keydown", **more):
    """A key on the page itself, wherever the focus is."""
    browser.execute_script(
        "document.body.dispatchEvent(new KeyboardEvent(arguments[1], {key: arguments[0], bubbles: true, cancelable: true, ...arguments[2]}))",
        key, kind, more,
    )  # fmt: skip


def picture(browser, selector="canvas.field"):
    """A number that changes whenever the canvas shows something else."""
    script = """
      const canvas = document.querySelector(arguments[0]);
      const data = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
      let sum = 0;
      for (let i = 0; i < data.length; i += 4) sum = (sum * 31 + data[i] + 7 * data[i + 1] + 13 * data[i + 2]) % 1000003;
      return sum;"""
    return browser.execute_script(script, selector)


def click_canvas(browser, selector, share_x, share_y):
    """A click at a place of a canvas, given as shares of its width and height."""
    script = """
      const canvas = document.querySelector(arguments[0]), box = canvas.getBoundingClientRect();
      const at = {clientX: box.left + arguments[1] * box.width, clientY: box.top + arguments[2] * box.height, bubbles: true, pointerId: 1};
      canvas.setPointerCapture = () => {};
      for (const kind of ['pointerdown', 'pointerup']) canvas.dispatchEvent(new PointerEvent(kind, at));"""
    browser.execute_script(script, selector, share_x, share_y)
