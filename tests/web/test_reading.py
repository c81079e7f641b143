"""Reading and comparing results, in a real browser."""

import time

import pytest
from selenium.webdriver import Keys

from tests.web.driving import (
    all_of,
    attribute,
    click_canvas,
    colours,
    complaints,
    downloaded,
    drawn,
    each,
    keys,
    picture,
    press,
    send,
    send_focused,
    text_of,
    type_into,
    wait,
)
from tests.web.helpers import client, document

pytestmark = [pytest.mark.browser, pytest.mark.server]


# -- reading ---------------------------------------------------------------------------------------


def test_a_profile_with_reference_points_and_its_difference(brook_server, browser, done, tmp_path, downloads):
    browser.get(f"{brook_server}/studies/{done}/results/plain")
    wait(browser, lambda: drawn(browser, "speed"))
    send(browser, "#quantity", "velocity along x")
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
    send(browser, ".curve-plot input[type=file]", str(table))
    press(browser, ".curve-plot form[hx-encoding] button")
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
    send(browser, ".curve-plot input[type=file]", str(table))
    press(browser, ".curve-plot form[hx-encoding] button")
    wait(browser, lambda: "line 2" in text_of(browser, ".curve-plot .why"))
    assert complaints(browser) == []


def test_streamlines_arrows_derived_and_own_fields(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/results/hanging")
    wait(browser, lambda: drawn(browser, "speed"))
    bare = picture(browser)
    send(browser, "#streamlines", "sharing")
    wait(browser, lambda: int(attribute(browser, "#stage", "data-streamlines") or 0) >= 10)
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
    send(browser, "#quantity", "vorticity")
    wait(browser, lambda: drawn(browser, "vorticity"))
    assert "vorticity, 1/s" in text_of(browser, "#legend")
    type_into(browser, "Name of a new field", "slow")
    send(browser, "[aria-label='Formula of the new field']", "if(speed < 0.5 mm/s, 1, 0)", Keys.ENTER)
    wait(browser, lambda: "slow" in text_of(browser, "#quantity"))
    browser.execute_script(
        "const s = document.querySelector('#quantity'); s.value = 'slow'; s.dispatchEvent(new Event('change'))"
    )
    wait(browser, lambda: drawn(browser, "slow"))
    assert colours(browser) > 2
    browser.execute_script("document.querySelector('.forces').scrollIntoView()")  # read once it is seen
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
        send(browser, "#field", "+")
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
    send(browser, ".plates figure:nth-child(2) canvas", "-")
    after = [picture(browser, f".plates figure:nth-child({k}) canvas") for k in (1, 2, 3, 4)]
    assert all(a != b for a, b in zip(pictures, after, strict=True))  # one zooms, all follow
    # one colour range for all: moving a handle of the one legend changes every picture
    browser.execute_script("document.querySelectorAll('#legend .handle')[1].focus()")
    for _ in range(8):
        send_focused(browser, Keys.ARROW_LEFT)
    again = [picture(browser, f".plates figure:nth-child({k}) canvas") for k in (1, 2, 3, 4)]
    assert all(a != b for a, b in zip(after, again, strict=True))


def test_two_variants_in_one_picture(brook_server, browser, four_done):
    browser.get(f"{brook_server}/studies/{four_done}/compare")
    wait(browser, lambda: attribute(browser, "#stage", "data-two") == "less plain early")
    assert "Plain less Early" in text_of(browser, "#two-legend")
    difference = picture(browser, "#two-field")
    browser.execute_script(
        "const s = document.querySelector('#two-b'); s.value = 'plain'; s.dispatchEvent(new Event('change'))"
    )
    wait(browser, lambda: attribute(browser, "#stage", "data-two") == "less plain plain")
    assert picture(browser, "#two-field") != difference
    top = float(each(browser, "#two-legend .handle", "aria-valuenow")[1])
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
        return [float(v) for v in each(browser, "tbody td[data-requirement=fastest]", "data-value")]

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
    rows = each(browser, ".inputs-table tbody tr")
    assert len(rows) == 2
    assert any("height" in r and "25 mm" in r and "35 mm" in r for r in rows)


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
