"""The slice made whole, in a real browser: drawing, two windows, live runs, reading, comparing, finding."""

import os
import signal
import time

import httpx
import pytest
from selenium.webdriver import ActionChains, Keys

from brook.core.study import read_study
from tests.core.studies import tray
from tests.web.driving import (
    all_of,
    click_canvas,
    colours,
    complaints,
    downloaded,
    drawn,
    keys,
    one,
    picture,
    press,
    text_of,
    type_into,
    wait,
)  # fmt: skip
from tests.web.helpers import client, take_in

pytestmark = [pytest.mark.browser, pytest.mark.server]
LONG = tray(
    title="Long run", mesh_plan={"bulk": "2 mm", "wall": "1 mm"}, run_rules={"residual": "1e-30", "iterations": 100000}
)


def document(brook_server, slug):
    return read_study(httpx.get(f"{brook_server}/studies/{slug}/document.json").text)


@pytest.fixture
def slug(brook_server):
    with client(brook_server) as http:
        return take_in(http, tray())


def handle(browser, name):
    return one(browser, f'[data-handle="{name}"]')


# -- drawing by hand -------------------------------------------------------------------------------


def test_a_handle_is_dragged_with_its_number_its_hatching_and_its_undo(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/geometry/hanging")
    wait(browser, lambda: all_of(browser, ".handles .handle"))
    before = text_of(browser, "svg.drawing")
    grip = handle(browser, "left edge of baffle")
    drag = ActionChains(browser).click_and_hold(grip).move_by_offset(-20, 0).move_by_offset(-20, 0)
    drag.perform()
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
    browser.execute_script("arguments[0].focus()", handle(browser, "baffle sideways"))
    for _ in range(3):
        browser.switch_to.active_element.send_keys(Keys.ARROW_RIGHT)
    browser.switch_to.active_element.send_keys(Keys.ENTER)
    wait(browser, lambda: document(brook_server, slug).variants[1].geometry.shapes[0].left == "43 mm")
    wait(browser, lambda: browser.switch_to.active_element.get_attribute("data-handle") == "baffle sideways")
    # far beyond the tray: the drawing says so and letting go changes nothing
    grip = handle(browser, "baffle sideways")
    ActionChains(browser).click_and_hold(grip).move_by_offset(480, 0).move_by_offset(5, 0).perform()
    wait(browser, lambda: "cannot be" in text_of(browser, "#drag-says"))
    ActionChains(browser).release().perform()
    wait(browser, lambda: "outside" in text_of(browser, "aside.sheet") or "beyond" in text_of(browser, "aside.sheet"))
    assert document(brook_server, slug).variants[1].geometry.shapes[0].left == "43 mm"


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
        assert one(browser, label).get_attribute("value") == "22 mm"  # not swapped away under the fingers
        browser.execute_script(
            "document.querySelector(arguments[0]).dispatchEvent(new Event('change', {bubbles: true}))", label
        )
        wait(browser, lambda: "meanwhile somebody changed this to '20 mm'" in text_of(browser, ".why"))
        assert one(browser, label).get_attribute("value") == "22 mm"
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
    one(browser, ".steps a").click()
    assert len(all_of(browser, "#history-rows tr")) == 4
    press(browser, "[aria-label='Go to step 2']")
    wait(browser, lambda: "after step 2" in text_of(browser, ".notice"))
    assert document(brook_server, slug).variants[1].geometry.shapes[0].height == "20 mm"
    one(browser, ".filter").send_keys("18 mm")
    shown = "return [...document.querySelectorAll('#history-rows tr')].filter((r) => !r.hidden).length"
    assert browser.execute_script(shown) == 2  # the step to 18 mm and the one from it


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
    browser.switch_to.active_element.send_keys("+")
    assert one(browser, "#from").get_attribute("value") != ""
    press(browser, "#whole")
    assert one(browser, "#from").get_attribute("value") == ""
    one(browser, "#smooth").send_keys("20")
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
    assert len(history["momentum"]) > stood


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
    assert 0 < mark[0] <= len(history["momentum"])
    assert complaints(browser) == []


# -- reading ---------------------------------------------------------------------------------------


def test_a_profile_with_reference_points_and_its_difference(brook_server, browser, done, tmp_path, downloads):
    browser.get(f"{brook_server}/studies/{done}/results/plain")
    wait(browser, lambda: drawn(browser, "speed"))
    one(browser, "#quantity").send_keys("velocity to the right")
    wait(browser, lambda: drawn(browser, "velocity_x"))
    keys(browser, "p")
    assert "Click the start" in text_of(browser, "#tool-says")
    click_canvas(browser, "#field", 0.5, 0.9)
    wait(browser, lambda: "click the end" in text_of(browser, "#tool-says"))
    click_canvas(browser, "#field", 0.5, 0.1)
    wait(browser, lambda: all_of(browser, "figure.curve-plot[data-shown='1']"))
    plot = document(brook_server, done).plots[0]
    assert plot.quantity == "velocity_x"
    assert plot.lines[0].start_x == plot.lines[0].end_x
    # points that are just what was computed, and one a tenth too high
    with client(brook_server) as http:
        curve = http.get(f"/studies/{done}/plots/{plot.name}/curves.json", params={"variants": "plain"}).json()[
            "curves"
        ][0]
    known = [(x, y) for x, y in zip(curve["x"], curve["y"], strict=True) if y is not None and abs(y) > 0.5]
    rows = [known[0], known[len(known) // 2]]
    table = tmp_path / "measured.csv"
    table.write_text(f"s [mm], u [mm/s]\n{rows[0][0]}, {rows[0][1]}\n{rows[1][0]}, {rows[1][1] * 1.1}\n")
    browser.execute_script("document.querySelector('.plot-details').open = true")
    one(browser, ".curve-plot input[type=file]").send_keys(str(table))
    press(browser, ".curve-plot form.add button")
    wait(browser, lambda: "measured" in text_of(browser, ".plot-differences"))
    cells = browser.execute_script(
        "return [...document.querySelectorAll('.difference-table td')].map((c) => c.textContent)"
    )
    assert cells[3] == "0"
    assert cells[7] == "−9.1"
    assert "root mean square" in text_of(browser, ".plot-differences summary")
    browser.execute_script("document.querySelector(\".curve-plot a[href*='.csv']\").click()")
    assert downloaded(downloads, f"{done}-{plot.name}.csv").stat().st_size > 300
    with client(brook_server) as http:
        for suffix, begin in (("xlsx", b"PK"), ("svg", b"<?xml"), ("png", b"\x89PNG")):
            file = http.get(f"/studies/{done}/plots/{plot.name}.{suffix}", params={"variants": "plain"})
            assert file.content.startswith(begin)
        assert http.get(f"/studies/{done}/plots/{plot.name}.exe").status_code == 404
    # a table that cannot be read says where
    table.write_text("s [mm], u [mm/s]\n1, x\n")
    one(browser, ".curve-plot input[type=file]").send_keys(str(table))
    press(browser, ".curve-plot form.add button")
    wait(browser, lambda: "line 2" in text_of(browser, ".curve-plot .why"))
    assert complaints(browser) == []


def test_streamlines_arrows_derived_and_own_fields(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/results/hanging")
    wait(browser, lambda: drawn(browser, "speed"))
    bare = picture(browser)
    one(browser, "#streamlines").send_keys("sharing")
    wait(browser, lambda: int(one(browser, "#stage").get_attribute("data-streamlines") or 0) >= 10)
    assert picture(browser) != bare
    browser.execute_script(
        "const s = document.querySelector('#streamlines'); s.value = 'by-click'; s.dispatchEvent(new Event('change'))"
    )
    click_canvas(browser, "#field", 0.3, 0.7)
    wait(browser, lambda: text_of(browser, "#tool-says").startswith("1 streamline"))
    browser.execute_script(
        "const s = document.querySelector('#streamlines'); s.value = ''; s.dispatchEvent(new Event('change'))"
    )
    wait(browser, lambda: picture(browser) == bare)
    press(browser, "#arrows")
    wait(browser, lambda: picture(browser) != bare)
    one(browser, "#quantity").send_keys("vorticity")
    wait(browser, lambda: drawn(browser, "vorticity"))
    assert "vorticity, 1/s" in text_of(browser, "#legend")
    type_into(browser, "Name of a new field", "slow")
    one(browser, "[aria-label='Formula of the new field']").send_keys("if(speed < 0.5 mm/s, 1, 0)", Keys.ENTER)
    wait(browser, lambda: "slow" in text_of(browser, "#quantity"))
    browser.execute_script(
        "const s = document.querySelector('#quantity'); s.value = 'slow'; s.dispatchEvent(new Event('change'))"
    )
    wait(browser, lambda: drawn(browser, "slow"))
    assert colours(browser) > 2
    wait(browser, lambda: "baffle" in text_of(browser, ".forces-table"))
    assert complaints(browser) == []


def test_blink_flips_to_the_other_variant_while_the_key_is_held(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/results/hanging")
    wait(browser, lambda: drawn(browser, "speed"))
    mine = picture(browser)
    keys(browser, "b")
    wait(browser, lambda: text_of(browser, "#blink-says") == "Plain")
    assert picture(browser) != mine
    keys(browser, "b", "keyup")
    assert text_of(browser, "#blink-says") == ""
    assert picture(browser) == mine


# -- comparing -------------------------------------------------------------------------------------


def cameras(browser):
    return browser.execute_script(
        "return sessionStorage.getItem(Object.keys(sessionStorage).find((k) => k.startsWith('camera')))"
    )


def test_plates_of_four_variants_are_linked(brook_server, browser, four_done):
    browser.get(f"{brook_server}/studies/{four_done}/results/early")
    wait(browser, lambda: drawn(browser, "speed"))
    for _ in range(3):
        one(browser, "#field").send_keys("+")
    type_into(browser, "Title of the new plate", "Behind the baffle")
    press(browser, "#keep-view button")
    wait(browser, lambda: document(brook_server, four_done).plates)
    plate = document(brook_server, four_done).plates[0]
    assert plate.camera.across < 0.1
    browser.execute_script("sessionStorage.clear()")
    browser.get(f"{brook_server}/studies/{four_done}/compare?plate={plate.name}")
    wait(browser, lambda: drawn(browser, "speed") and cameras(browser))
    assert len(all_of(browser, "canvas.field")) == 4
    assert str(plate.camera.across)[:8] in cameras(browser)
    pictures = [picture(browser, f".plates figure:nth-child({k}) canvas") for k in (1, 2, 3, 4)]
    assert len(set(pictures)) == 4
    one(browser, ".plates figure:nth-child(2) canvas").send_keys("-")
    after = [picture(browser, f".plates figure:nth-child({k}) canvas") for k in (1, 2, 3, 4)]
    assert all(a != b for a, b in zip(pictures, after, strict=True))  # one zooms, all follow
    # one colour range for all: moving a handle of the one legend changes every picture
    browser.execute_script("document.querySelectorAll('#legend .handle')[1].focus()")
    for _ in range(8):
        browser.switch_to.active_element.send_keys(Keys.ARROW_LEFT)
    again = [picture(browser, f".plates figure:nth-child({k}) canvas") for k in (1, 2, 3, 4)]
    assert all(a != b for a, b in zip(after, again, strict=True))


def test_two_variants_in_one_picture(brook_server, browser, four_done):
    browser.get(f"{brook_server}/studies/{four_done}/compare")
    wait(browser, lambda: one(browser, "#stage").get_attribute("data-two") == "less plain early")
    assert "Plain less Early" in text_of(browser, "#two-legend")
    difference = picture(browser, "#two-field")
    browser.execute_script(
        "const s = document.querySelector('#two-b'); s.value = 'plain'; s.dispatchEvent(new Event('change'))"
    )
    wait(browser, lambda: one(browser, "#stage").get_attribute("data-two") == "less plain plain")
    assert picture(browser, "#two-field") != difference
    top = float(all_of(browser, "#two-legend .handle")[1].get_attribute("aria-valuenow"))
    assert abs(top) < 1e-3  # a variant less itself is nothing, next to some mm/s
    browser.execute_script(
        "const s = document.querySelector('#two-b'); s.value = 'late'; s.dispatchEvent(new Event('change'))"
    )
    keys(browser, "b")
    wait(browser, lambda: text_of(browser, "#blink-says") == "Late")
    keys(browser, "b", "keyup")
    wait(browser, lambda: text_of(browser, "#blink-says") == "")


def test_the_board_is_sorted_by_a_requirement_and_stays_so(brook_server, browser, four_done):
    browser.get(f"{brook_server}/studies/{four_done}")

    def column():
        return [float(c.get_attribute("data-value")) for c in all_of(browser, "tbody td[data-requirement=fastest]")]

    before = column()
    press(browser, "button.sort[data-by=fastest]")
    assert column() == sorted(before)
    press(browser, "button.sort[data-by=fastest]")
    assert column() == sorted(before, reverse=True)
    browser.execute_script("htmx.trigger('#stage', 'refresh')")
    time.sleep(0.6)
    assert column() == sorted(before, reverse=True)
    press(browser, "button.sort[data-by=fastest]")
    assert column() == before  # the third press gives the order of the document back


def test_inputs_of_two_variants_line_by_line(brook_server, browser, four_done):
    browser.get(f"{brook_server}/studies/{four_done}/compare?a=early&b=long")
    rows = [r.text for r in all_of(browser, ".inputs-table tbody tr")]
    assert len(rows) == 2
    assert any("height" in r and "25 mm" in r and "35 mm" in r for r in rows)


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
    browser.switch_to.active_element.send_keys(Keys.ESCAPE)
    keys(browser, "/")
    browser.switch_to.active_element.send_keys("clone plain")
    wait(browser, lambda: "Clone Plain" in text_of(browser, "#found"))
    browser.switch_to.active_element.send_keys(Keys.ENTER)
    wait(browser, lambda: len(document(brook_server, slug).variants) == 3)
    keys(browser, "/")
    browser.switch_to.active_element.send_keys("zzzz")
    wait(browser, lambda: "Nothing of that name" in text_of(browser, "#found"))
    browser.switch_to.active_element.send_keys(Keys.ESCAPE)
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


def test_readings_come_by_all_ways_alike(brook_server, four_done):
    """The pages' table, the workbook and the API tell the same numbers."""
    from io import BytesIO

    from openpyxl import load_workbook

    with client(brook_server) as http:
        api = {
            (v["title"], r["requirement"]): r["value"]
            for v in http.get(f"/api/studies/{four_done}/variants").json()
            for r in v["readings"]
        }
        book = load_workbook(BytesIO(http.get(f"/studies/{four_done}/readings.xlsx").content))
        names = {r.title: r.name for r in document(brook_server, four_done).requirements}
    heads, *rows = book["Readings"].iter_rows(values_only=True)
    at = {h: k for k, h in enumerate(heads)}
    told = {(r[at["variant"]], names[r[at["requirement"]]]): r[at["value_si"]] for r in rows}
    assert told == pytest.approx(api, rel=1e-12)
