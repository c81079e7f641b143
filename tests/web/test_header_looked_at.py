"""The Spray header, small enough to be run here, looked at as an engineer would: from the first cut to four variants side by side."""

import re

import pytest
from selenium.webdriver import ActionChains

from brook.core.study.document import study_from
from brook.demo import keep, spray_header
from tests.web.driving import all_of, complaints, dragged, drawn, each, one, press, text_of, wait
from tests.web.helpers import client, document, take_in, up_to_date
from tests.web.test_space_pictures import add, opened, said
from tests.web.test_space_results import enter

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def header(brook_app, brook_server):
    """Four variants in large cells after a few iterations: pictures are looked at, not figures."""
    store = brook_app.state.studio.store
    contents = {name: (file, keep(store, data)) for name, (file, data) in spray_header.files().items()}
    raw = spray_header.study(contents).model_dump(mode="json")
    even = next(v for v in raw["variants"] if v["name"] == "even")
    raw["variants"][0] = {**even, "name": "cold", "title": "Even bore again"}
    raw |= {"title": "Header looked at", "requirements": [], "plots": []}
    coarse = {"bulk": "16 mm", "wall": "8 mm", "patches": {"vane": "3 mm"}, "layers": None, "losses": "20 %"}
    raw["mesh_plan"] |= coarse
    raw["run_rules"]["iterations"] = 12
    with client(brook_server) as http:
        slug = take_in(http, study_from(raw))
        up_to_date(http, slug)
    return slug


def at(browser, x, y, click=False):
    """The pointer at a place from the middle of the canvas."""
    canvas = one(browser, ".space-canvas")
    moves = ActionChains(browser).move_to_element_with_offset(canvas, x - 1, y)
    moves = moves.move_to_element_with_offset(canvas, x, y)
    (moves.click() if click else moves).perform()


def test_the_header_is_cut_probed_followed_measured_kept_and_compared(brook_server, browser, header, tmp_path):
    opened(browser, f"{brook_server}/studies/{header}/results/even")
    wait(browser, lambda: "mean speed" in said(browser))

    # cut across the header, dragged along it, read under the pointer
    enter(browser, ".layer [aria-label='Cut across']", "x")
    wait(browser, lambda: said(browser).startswith("30.") or said(browser).startswith("31."))  # π/4 (63 mm)²
    place = "return document.querySelector(\".layer [aria-label='Place of the cut']\").value"
    before = browser.execute_script(place)
    dragged(browser, ".cut-handle", (-80, -25), lambda: browser.execute_script(place) != before)
    enter(browser, ".layer [aria-label='Cut across']", "y")
    browser.execute_script("document.querySelector('[data-look=y]').click()")
    wait(browser, lambda: float(said(browser).split(" cm²")[0]) > 450)  # 0.72 m × 63 mm, and six branches

    enter(browser, ".layer [aria-label='Place of the cut']", "0.4 mm")  # where one of them has a vane

    def probed():
        at(browser, 60, -18)
        return "speed" in text_of(browser, "#strip")

    wait(browser, probed)

    # the water is followed from the inlet, and where it is fastest is shown
    add(browser, "streamlines")
    wait(browser, lambda: "24 streamlines; ends: " in said(browser, 1))
    assert "outlet_" in said(browser, 1)
    add(browser, "surface")
    wait(browser, lambda: "% of what is meshed" in said(browser, 2))
    enter(browser, ".layer [aria-label='Value on the surface']", "4 m/s")
    wait(browser, lambda: "; above it in" in said(browser, 2))

    # a curve down the middle, with points from a hand calculation beside it
    enter(browser, "#quantity", "pressure")
    browser.execute_script("document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'p', bubbles: true}))")
    wait(browser, lambda: "Click the start" in text_of(browser, "#tool-says"))
    at(browser, -60, -14, click=True)
    wait(browser, lambda: "click the end" in text_of(browser, "#tool-says"))
    at(browser, 90, -14, click=True)
    wait(browser, lambda: all_of(browser, "figure.curve-plot[data-shown='1']"))
    table = tmp_path / "points.csv"
    table.write_text("distance [mm],p [Pa]\n20,9000\n100,9500\n")
    browser.execute_script("document.querySelector('.plot-details').open = true")
    one(browser, ".curve-plot input[type=file]").send_keys(str(table))
    press(browser, ".curve-plot form[hx-encoding] button")
    wait(browser, lambda: "differs by" in text_of(browser, ".plot-differences"))

    # a line from one branch to the next leaves the water on its way, which is said
    ends = {
        "start_x": "110 mm",
        "start_y": "0 mm",
        "start_z": "-50 mm",
        "end_x": "210 mm",
        "end_y": "0 mm",
        "end_z": "-50 mm",
    }
    with client(brook_server) as http:
        http.post(
            f"/studies/{header}/act/add_plot",
            data={**ends, "quantity": "speed", "title": "Two branches", "page": "results"},
        )
        told = http.get(f"/studies/{header}/plots/two_branches/curves.json", params={"variants": "even"}).json()
    long = re.fullmatch(r"Even bore: the line passes ([\d.]+) mm where there is no fluid", told["gaps"][0])
    assert float(long.group(1)) == pytest.approx(80, abs=4)

    # kept, and all four drawn beside one another, linked
    wait(browser, lambda: len(all_of(browser, ".curve-plot")) == 2)  # the page has heard of the other plot
    wait(browser, lambda: drawn(browser, "pressure"))
    enter(browser, "#keep-view [name=title]", "Where it is fast")
    press(browser, "#keep-view button")
    wait(browser, lambda: "Where it is fast" in text_of(browser, ".plates-list"))
    plate = document(brook_server, header).plates[0]
    assert [layer.kind for layer in plate.layers] == ["cut", "streamlines", "surface"]
    browser.get(f"{brook_server}/studies/{header}/compare?plate={plate.name}")
    stage = "return String(document.getElementById('stage').dataset.drawn)"
    wait(browser, lambda: browser.execute_script(stage).startswith("scene"))
    assert len(all_of(browser, ".scene-view canvas")) == 4
    assert not [words for words in each(browser, ".plate-says") if "cannot" in words.lower()]
    says = ".plate:nth-of-type(4) .plate-says"
    wait(browser, lambda: "no fluid here" in text_of(browser, says))
    vane = text_of(browser, says)
    assert "% of what Even bore again has on this cut is no fluid here" in vane
    spans = "return [...document.querySelectorAll('.space-scale text')].map(t => t.textContent)"
    assert len(set(browser.execute_script(spans))) == 1
    before = browser.execute_script(spans)
    browser.execute_script(
        "document.querySelector('.scene-view canvas').dispatchEvent(new KeyboardEvent('keydown', {key: '+', bubbles: true}))"
    )
    for _ in range(4):
        browser.execute_script(
            "document.querySelector('.scene-view canvas').dispatchEvent(new KeyboardEvent('keydown', {key: '+', bubbles: true}))"
        )
    wait(browser, lambda: browser.execute_script(spans) != before and len(set(browser.execute_script(spans))) == 1)
    assert not complaints(browser)
