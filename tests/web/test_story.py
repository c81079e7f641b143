"""The story of the first slice in a real browser: from the shelf to the exported table."""

import csv

import meshio
import numpy as np
import pytest
from selenium.webdriver import ActionChains, Keys

from brook import demo
from brook.core.stages.batch import solve_variant
from brook.core.stages.readings import read_all
from brook.core.study import read_study
from brook.core.study.document import study_from
from tests.core.studies import raw_tray, tray
from tests.web.driving import (
    all_of,
    attribute,
    click,
    colours,
    complaints,
    downloaded,
    drawn,
    each,
    one,
    press,
    send,
    send_focused,
    text_of,
    type_into,
    wait,
)
from tests.web.helpers import client, take_in, up_to_date

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.mark.timeout(900)
def test_from_the_shelf_to_the_exported_table(brook_server, browser, downloads):
    with client(brook_server) as http:
        slug = take_in(http, study_from(demo.studies()[0].model_dump(mode="json") | {"points": []}))
        up_to_date(http, slug)
    name = "hanging_and_standing"

    # the shelf leads to the board, and the board answers the question
    browser.get(brook_server)
    click(browser, f"a[href='/studies/{slug}']")
    assert "Which baffle keeps fresh water moving" in attribute(browser, "#at-brief-question", "value")
    assert text_of(browser, "#answer") == "Only “Hanging and standing” holds every limit."
    assert len(all_of(browser, "tbody tr")) == 4
    assert len(all_of(browser, "svg.thumbnail")) == 4
    before = text_of(browser, f"#row-{name} [data-requirement=still_water] .shown")
    assert before.endswith("%")
    assert "pass" in text_of(browser, f"#row-{name} [data-requirement=still_water] .verdict")
    assert "inside" in text_of(browser, f"#row-{name} [data-requirement=still_water] small")

    # a longer baffle, by typing
    click(browser, f"#row-{name} th a")
    type_into(browser, "hanging", "34 mm")
    wait(browser, lambda: "out of date" in text_of(browser, "aside.sheet"))
    assert text_of(browser, "svg.drawing").count("34 mm") == 1

    # the board hatches just this variant
    click(browser, "nav.pages a")
    assert len(all_of(browser, "td.stale")) == 5
    assert len(all_of(browser, f"#row-{name} td.stale")) == 5
    hatching = one(browser, f"#row-{name} td.stale").value_of_css_property("background-image")
    assert "repeating-linear-gradient" in hatching

    # one button brings it up to date; the run page shows it live
    press(browser, ".board-actions button.do")
    wait(browser, lambda: all_of(browser, f"#row-{name} button.stop"))
    browser.get(f"{brook_server}/studies/{slug}/run/{name}")
    wait(browser, lambda: "iteration" in text_of(browser, ".state-line"))
    first = text_of(browser, ".state-line")
    wait(browser, lambda: "iteration" in text_of(browser, ".state-line") and text_of(browser, ".state-line") != first)
    wait(browser, lambda: all_of(browser, "#residuals canvas"))
    wait(browser, lambda: "ms an iteration" in text_of(browser, "#pace"))
    wait(browser, lambda: text_of(browser, ".state-line") == "converged", seconds=400)
    wait(browser, lambda: "%" in text_of(browser, "#now-still_water"))
    last_monitor = text_of(browser, "#now-still_water")

    # speed and pressure on the canvas, with a legend and the value under the pointer
    browser.get(f"{brook_server}/studies/{slug}/results/{name}")
    wait(browser, lambda: drawn(browser, "speed"))
    assert colours(browser) > 100
    assert "speed, mm/s" in text_of(browser, "#legend")
    ActionChains(browser).move_to_element_with_offset(one(browser, "#field"), -200, -20).perform()
    wait(browser, lambda: "mm/s" in text_of(browser, "#strip"))
    send(browser, "#quantity", "pressure")
    wait(browser, lambda: drawn(browser, "pressure"))
    assert "pressure, mPa" in text_of(browser, "#legend")
    click(browser, "#picture")
    assert downloaded(downloads, f"{slug}-{name}-pressure.png").stat().st_size > 5000

    # all variants side by side with one colour range
    browser.get(f"{brook_server}/studies/{slug}/compare")
    wait(browser, lambda: drawn(browser, "speed"))
    assert len(all_of(browser, "canvas.field")) == 4
    assert len(all_of(browser, "#legend svg")) == 1
    assert all(colours(browser, k) > 100 for k in range(4))
    on_page = each(browser, "#ranked td b")

    # the table and the fields as files
    click(browser, "a[href$='readings.csv']")
    with downloaded(downloads, f"{slug}-readings.csv").open() as handle:
        table = list(csv.DictReader(handle))
    assert [r["shown"] for r in table] == on_page
    assert {r["up_to_date"] for r in table} == {"yes"}
    browser.get(f"{brook_server}/studies/{slug}/results/{name}")
    click(browser, "a[href$='fields.vtu']")
    fields = meshio.read(downloaded(downloads, f"{slug}-{name}.vtu"))

    # the longer baffle drives the water too fast over the eggs, and the board says so
    browser.get(f"{brook_server}/studies/{slug}")
    assert "fail" in text_of(browser, f"#row-{name} [data-requirement=fastest_at_eggs] .verdict")
    assert text_of(browser, "#answer").startswith("No variant holds every limit")

    # the same numbers as the command line's code on the same document
    with client(brook_server) as http:
        study = read_study(http.get(f"/studies/{slug}/document.json").text)
    assert study.variant(name).named_values["hanging"] == "34 mm"
    prepared, outcome = solve_variant(study, name)
    expected = {r.name: r.value for r in read_all(study, prepared, outcome.fields, outcome.history)}
    titles = {r.title: r.name for r in study.requirements}
    mine = {titles[r["requirement"]]: float(r["value_si"]) for r in table if r["variant"] == "Hanging and standing"}
    # this run began where the last one of its variant ended, the other from nothing
    assert mine == pytest.approx(expected, rel=1e-6)
    assert last_monitor.split()[0] == f"{100 * expected['still_water']:.2f}"
    assert np.allclose(np.concatenate(fields.cell_data["speed"]), outcome.fields.speed, rtol=1e-4, atol=1e-8)
    assert outcome.fields.imbalance() < 1e-8
    assert complaints(browser) == []


def test_a_wrong_value_stays_where_it_was_typed_and_is_mended_there(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/geometry/hanging")
    label = "Height of baffle"
    type_into(browser, label, "25")
    wait(browser, lambda: all_of(browser, ".why"))
    assert "a unit is missing" in text_of(browser, ".why")
    field = one(browser, f"input[aria-label='{label}']")
    assert field.get_attribute("value") == "25"
    assert field.get_attribute("aria-invalid") == "true"
    type_into(browser, label, "20 mm")
    wait(browser, lambda: not all_of(browser, ".why"))
    assert "20 mm" in text_of(browser, "svg.drawing")


def test_keys_go_from_variant_to_variant_and_keep_the_camera(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/results/plain")
    wait(browser, lambda: drawn(browser, "speed"))
    canvas = one(browser, "#field")
    canvas.send_keys("+")
    canvas.send_keys("+")
    camera = browser.execute_script(f"return sessionStorage.getItem('camera {done}')")
    assert camera
    send(browser, "body", "]")
    wait(browser, lambda: browser.current_url.endswith("/hanging"))
    wait(browser, lambda: drawn(browser, "speed"))
    assert browser.execute_script(f"return sessionStorage.getItem('camera {done}')") == camera
    send(browser, "body", "f")
    assert browser.execute_script(f"return sessionStorage.getItem('camera {done}')") is None


def test_the_legend_sets_the_range_from_the_keyboard(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}/results/plain")
    wait(browser, lambda: drawn(browser, "speed"))
    handle = all_of(browser, ".handle")[1]
    top = float(handle.get_attribute("aria-valuenow"))
    browser.execute_script("arguments[0].focus()", handle)
    for _ in range(5):
        send_focused(browser, Keys.ARROW_LEFT)
    assert float(each(browser, ".handle", "aria-valuenow")[1]) == pytest.approx(0.9 * top, rel=0.02)
    assert all_of(browser, "#legend [fill='url(#out-of-range)']")


def test_stop_and_keep_from_the_run_page(brook_server, browser):
    endless = tray(title="Endless", run_rules={"residual": "1e-30", "iterations": 100000})
    with client(brook_server) as http:
        slug = take_in(http, endless)
    browser.get(f"{brook_server}/studies/{slug}/run/hanging")
    press(browser, "aside button.do")
    wait(browser, lambda: "iteration" in text_of(browser, ".state-line"))
    press(browser, "button.stop")
    wait(browser, lambda: text_of(browser, ".state-line").startswith("stopped"))
    assert "the fields are kept" in text_of(browser, "aside.sheet")
    browser.get(f"{brook_server}/studies/{slug}/results/hanging")
    wait(browser, lambda: drawn(browser, "speed"))


def test_another_window_sees_a_change(brook_server, browser, done):
    browser.get(f"{brook_server}/studies/{done}")
    assert not all_of(browser, "td.stale")
    with client(brook_server) as http:
        data = {
            "pointer": "/variants/1/geometry/shapes/0/height",
            "value": "18 mm",
            "page": "geometry",
            "name": "hanging",
        }
        http.post(f"/studies/{done}/edit", data=data)
    wait(browser, lambda: all_of(browser, "td.stale"), seconds=10)


@pytest.mark.parametrize("width", [1280, 1920])
def test_no_page_scrolls_sideways(brook_server, browser, done, width):
    from tests.browser import resize

    resize(browser, width, 800 if width == 1280 else 1080)
    try:
        for page in ("", "/geometry", "/mesh", "/set-up", "/run", "/results", "/compare"):
            browser.get(f"{brook_server}/studies/{done}{page}")
            assert browser.execute_script("return document.documentElement.scrollWidth") <= width, page
    finally:
        resize(browser, 1280, 800)


def test_every_control_has_a_name(brook_server, browser, done):
    script = """
      return [...document.querySelectorAll('input:not([type=hidden]), select, textarea, button, a')].filter((e) =>
        !(e.getAttribute('aria-label') || e.textContent.trim() || e.labels?.length || e.title)).map((e) => e.outerHTML)"""
    for page in ("", "/geometry/hanging", "/mesh", "/set-up", "/run", "/results", "/compare"):
        browser.get(f"{brook_server}/studies/{done}{page}")
        assert browser.execute_script(script) == []


def test_a_wild_run_tells_where_it_went_wrong(brook_server, browser):
    raw = raw_tray()
    wild = tray(
        title="Wild",
        named_values={**raw["named_values"], "supply": "40 m/s"},
        set_up={**raw["set_up"], "convection": "central"},
    )
    with client(brook_server) as http:
        slug = take_in(http, wild)
        up_to_date(http, slug)
    browser.get(f"{brook_server}/studies/{slug}/run/hanging")
    assert text_of(browser, ".state-line") in ("diverged", "diverged, out of date")
    assert "near (" in text_of(browser, "aside.sheet")
