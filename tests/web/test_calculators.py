"""Calculators on a page: with the fluid of a study, a mistake at its place, and what is found kept in the study."""

import pytest
from selenium.webdriver.support.select import Select

from brook.core.study.document import study_from
from tests.core.studies import tray
from tests.web.driving import all_of, attribute, complaints, press, text_of, type_into, wait
from tests.web.helpers import client, document, plain, take_in


@pytest.mark.browser
@pytest.mark.server
def test_a_calculator_knows_the_study_and_gives_it_what_it_found(brook_server, browser):
    slug = take_in(client(brook_server), tray())
    browser.get(f"{brook_server}/studies/{slug}/calculators")
    wait(browser, lambda: "laminar in a duct" in text_of(browser, "#reckon-reynolds"))
    assert attribute(browser, "#reckon-reynolds [name=speed]", "value") == "4 mm/s"
    type_into(browser, "speed for Reynolds number", "2")
    wait(browser, lambda: "a unit is missing" in text_of(browser, "#reckon-reynolds"))
    type_into(browser, "speed for Reynolds number", "250 * supply")
    wait(browser, lambda: "turbulent in a duct" in text_of(browser, "#reckon-reynolds"))
    type_into(browser, "length of a cell for Step from a Courant number", "1 mm")
    wait(browser, lambda: "250 ms" in text_of(browser, "#reckon-step"))
    press(browser, "#reckon-step .mend")
    wait(browser, lambda: "kept as time_step" in text_of(browser, "#reckon-step"))
    assert document(brook_server, slug).named_values["time_step"] == "250 ms"
    assert complaints(browser) == []


@pytest.mark.server
def test_calculators_stand_without_a_study_too(brook_server):
    http = client(brook_server)
    page = plain(http.get("/calculators").text)
    assert "Loss of a run of pipe" in page
    assert "Keep as" not in page
    answer = http.get("/calculators/pipe", params={"length": "100 m", "bends": "nine"})
    assert "unknown name &#39;nine&#39;" in answer.text
    warm = plain(http.get("/calculators/rayleigh", params={"step": "10 degC", "height": "1 m * " * 400}).text)
    assert "a difference of temperatures: write it in K" in warm
    assert "this one is longer" in warm
    assert http.get("/calculators/tea").status_code == 404


@pytest.mark.browser
@pytest.mark.server
def test_a_patch_is_picked_and_what_is_found_is_put_where_it_belongs(brook_server, browser):
    """The weir is 6 mm high: as a gap without ends it has a hydraulic diameter of twice that."""
    study = tray()
    raw = study.model_dump(mode="json")
    raw["set_up"]["boundaries"][1]["loss"] = "0.5"
    slug = take_in(client(brook_server), study_from(raw))
    browser.get(f"{brook_server}/studies/{slug}/calculators")
    picker = Select(all_of(browser, "[name=patch]")[0])
    picker.select_by_visible_text("weir")
    wait(browser, lambda: attribute(browser, "#reckon-hydraulic [name=patch]", "value") == "weir")
    width = text_of(browser, "#reckon-hydraulic b").replace(".0", "")
    assert attribute(browser, "#reckon-reynolds [name=width]", "value") == width
    type_into(browser, "length for Loss of a run of pipe", "3 m")
    wait(browser, lambda: "Put at: loss at" in text_of(browser, "#reckon-pipe"))
    assert attribute(browser, "#reckon-pipe [name=width]", "value") == width  # the patch stays picked
    press(browser, "#reckon-pipe .mend[hx-post$='/put']")
    wait(browser, lambda: "was 0.5" in text_of(browser, "#reckon-pipe"))
    assert document(brook_server, slug).set_up.boundaries[1].loss not in ("0", "0.5")
    assert complaints(browser) == []


@pytest.mark.server
def test_what_is_put_where_nothing_is_any_more_is_told(brook_server):
    http = client(brook_server)
    slug = take_in(http, tray())
    answer = http.post(
        f"/studies/{slug}/calculators/put", data={"name": "time_step", "pointer": "/set_up/timing/step", "text": "1 s"}
    )
    assert "that place is no longer there" in answer.text
    assert document(brook_server, slug) == tray()
