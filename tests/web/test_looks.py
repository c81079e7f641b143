"""Every page by a tool for contrast and names, and with much in it: twelve variants, ten requirements, large results."""

import time
from pathlib import Path

import pytest

from tests.browser import resize
from tests.core.studies import baffle, raw_tray, tray, variant
from tests.web.driving import all_of, drawn, send_focused, wait
from tests.web.helpers import client, take_in, up_to_date

pytestmark = [pytest.mark.browser, pytest.mark.server]
AXE = (Path(__file__).parent / "vendor/axe-core/axe.min.js").read_text()
PAGES = (
    "",
    "/geometry/hanging",
    "/mesh/hanging",
    "/set-up/hanging",
    "/run/hanging",
    "/results/hanging",
    "/compare",
    "/sweeps",
    "/sure",
    "/report",
    "/history",
)
READINGS = ("tray.speed.share_below(0.5 mm/s)", "egg_layer.speed.max", "inlet.pressure.mean - weir.pressure.mean", "tray.speed.mean",
            "weir.flow.total", "floor.pressure.max", "tray.vorticity.max", "tray.velocity_x.min", "egg_layer.speed.mean", "lid.pressure.mean")  # fmt: skip


def complaints_of_axe(browser):
    """What the tool finds wrong, as `rule: element`."""
    browser.execute_script(AXE)
    found = browser.execute_async_script(
        "const done = arguments[0]; axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa']}).then((r) => done("
        "r.violations.flatMap((v) => v.nodes.map((n) => v.id + ': ' + n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? '')))))"
    )
    return found


@pytest.mark.parametrize("page", PAGES)
def test_contrast_and_names_hold_on_every_page(brook_server, browser, looked_at, page):
    browser.get(f"{brook_server}/studies/{looked_at}{page}")
    if page.startswith(("/results", "/run", "/compare")):
        wait(browser, lambda: drawn(browser, "speed"))
    time.sleep(0.4)
    assert complaints_of_axe(browser) == []


@pytest.mark.parametrize("page", ["/", "/shortcuts", "/desk"])
def test_contrast_and_names_hold_outside_a_study(brook_server, browser, looked_at, page):
    browser.get(brook_server + page)
    assert complaints_of_axe(browser) == []


@pytest.fixture(scope="module")
def looked_at(brook_server):
    """A done study with a plot, a plate and something out of date."""
    with client(brook_server) as http:
        slug = take_in(http, tray(title="Looked at", fields={"slow": "if(speed < 0.5 mm/s, 1, 0)"}))
        up_to_date(http, slug)
        line = {"quantity": "speed", "start_x": "60 mm", "start_y": "0 mm", "end_x": "60 mm", "end_y": "60 mm"}
        http.post(f"/studies/{slug}/act/add_plot", data={"page": "results", **line})
        http.post(f"/studies/{slug}/act/add_plate", data={"page": "results", "quantity": "speed", "title": "All"})
        http.post(
            f"/studies/{slug}/edit",
            data={"page": "board", "pointer": "/variants/0/geometry/outer/left", "value": "1 mm"},
        )
        return slug


@pytest.fixture(scope="module")
def large(brook_server):
    """Twelve variants and ten requirements, all run."""
    variants = [variant(f"v{k}", f"Baffle at {20 + 7 * k} mm", [baffle(left=f"{20 + 7 * k} mm")]) for k in range(12)]
    requirements = [
        {"name": f"r{k}", "title": f"Requirement {k + 1}", "reading": r, "limit": {"kind": "smallest"}}
        for k, r in enumerate(READINGS)
    ]
    coarse = {**raw_tray()["run_rules"], "residual": "1e-4"}
    with client(brook_server) as http:
        slug = take_in(http, tray(title="Many baffles", variants=variants, requirements=requirements, run_rules=coarse))
        up_to_date(http, slug)
        return slug


@pytest.mark.parametrize("width", [1280, 1920])
def test_twelve_variants_and_ten_requirements_stay_readable(brook_server, browser, large, width):
    resize(browser, width, 800 if width == 1280 else 1080)
    try:
        for page in (
            "",
            "/geometry",
            "/mesh",
            "/set-up",
            "/run",
            "/results",
            "/compare",
            "/sweeps",
            "/report",
            "/history",
        ):
            browser.get(f"{brook_server}/studies/{large}{page}")
            assert browser.execute_script("return document.documentElement.scrollWidth") <= width, page
        browser.get(f"{brook_server}/studies/{large}")
        assert len(all_of(browser, ".board-table tbody tr")) == 12
        assert len(all_of(browser, "td.reading .shown")) == 120
        # the variant stays in sight when the table is scrolled sideways
        place = "const t = document.querySelector('.table-wrap'); t.scrollLeft = 99999; return document.querySelector('tbody th').getBoundingClientRect().left"
        assert browser.execute_script(place) >= 0
        browser.get(f"{brook_server}/studies/{large}/compare")
        wait(browser, lambda: drawn(browser, "speed"))
        assert len(all_of(browser, "canvas.field")) == 12
    finally:
        resize(browser, 1280, 800)


def test_every_main_action_goes_by_keyboard_alone(brook_server, browser, looked_at):
    """From the top of the board by Tab alone: every control gets the focus, and it shows."""
    from selenium.webdriver import Keys

    browser.get(f"{brook_server}/studies/{looked_at}")
    reached = set()
    for _ in range(220):
        send_focused(browser, Keys.TAB)
        name, outline, again = browser.execute_script(
            "const e = document.activeElement, s = getComputedStyle(e), again = e === document.body || e.dataset.reached; e.dataset.reached = 1;"
            "return [e.id || e.getAttribute('aria-label') || e.textContent.trim().slice(0, 40), s.outlineStyle, Boolean(again)]"
        )
        if again:
            break
        reached.add(name)
        assert outline != "none", name
    assert {"undo", "find"} <= reached
    assert any("Clone" in name for name in reached)
