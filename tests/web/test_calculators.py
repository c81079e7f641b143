"""Calculators on a page: with the fluid of a study, a mistake at its place, and what is found kept in the study."""

import pytest

from tests.core.studies import tray
from tests.web.driving import attribute, complaints, press, text_of, type_into, wait
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
