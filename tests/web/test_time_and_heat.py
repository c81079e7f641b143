"""Time and heat on the pages: said in the sheet, run, watched, played, interrupted and gone on with other values."""

import pytest
from selenium.webdriver.support.select import Select

from brook.core.study import Study
from tests.core.test_time import channel
from tests.web.driving import all_of, complaints, press, text_of, type_into, wait
from tests.web.helpers import client, document, take_in

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture
def duct(brook_server):
    raw = channel().model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    with client(brook_server) as http:
        return take_in(http, Study.model_validate(raw))


CHOSEN = "return document.querySelector(`select[aria-label='${arguments[0]}']`)?.selectedOptions[0]?.text"
CHOOSE = """
const field = document.querySelector(`select[aria-label='${arguments[0]}']`);
field.value = [...field.options].find((o) => o.text === arguments[1]).value;
field.dispatchEvent(new Event("change", {bubbles: true}));
"""


def choose(browser, label, words):
    """Picks a choice of the sheet; what the page then says is for the caller to wait for."""
    wait(browser, lambda: browser.execute_script(CHOSEN, label))
    browser.execute_script(CHOOSE, label, words)


def test_a_gas_a_formula_of_temperature_and_a_frequency_are_said(brook_server, browser, duct):
    at = f"{brook_server}/studies/{duct}"
    browser.get(f"{at}/set-up/duct")
    choose(browser, "Fluid", "A gas of our own")
    wait(browser, lambda: all_of(browser, "[aria-label='Molar mass']"))
    thinning = "18.2e-6 Pa s * (T / 293 K)^0.7"
    type_into(browser, "Viscosity", thinning)
    wait(browser, lambda: "only where temperatures are computed" in text_of(browser, ".sheet"))
    type_into(browser, "Viscosity", "18.2e-6 Pa s")
    wait(browser, lambda: "only where temperatures are computed" not in text_of(browser, ".sheet"))
    choose(browser, "Whether temperatures are computed", "computed too")
    wait(browser, lambda: all_of(browser, "[aria-label='Conductivity']"))
    type_into(browser, "Viscosity", thinning)
    wait(browser, lambda: document(brook_server, duct).set_up.fluid.viscosity == thinning)
    choose(browser, "Steady or in time", "is followed in time")
    wait(browser, lambda: "Fields are kept every" in text_of(browser, ".sheet"))
    title = document(brook_server, duct).requirements[0].title
    browser.get(at)
    choose(browser, f"What of its course counts for {title}", "how far it swings (root mean square)")
    wait(browser, lambda: "how far it swings" in text_of(browser, "th.req small"))
    assert document(brook_server, duct).requirements[0].course == "fluctuation"
    assert not complaints(browser)


def test_a_warm_stream_is_followed_in_time_paused_and_gone_on_with(brook_server, browser, duct):
    at = f"{brook_server}/studies/{duct}"
    browser.get(f"{at}/set-up/duct")
    choose(browser, "Steady or in time", "is followed in time")
    wait(browser, lambda: "Fields are kept every" in text_of(browser, ".sheet"))
    type_into(browser, "Duration", "400 s")
    type_into(browser, "Longest step", "0.02 s")  # else a quick machine is through before it can be paused
    choose(browser, "Whether temperatures are computed", "computed too")
    wait(browser, lambda: "say the temperature of what enters through inlet" in text_of(browser, ".sheet"))
    browser.execute_script(
        "const [p] = document.querySelectorAll('[aria-label=\"Patch of the heat statement\"]'); p.value = 'inlet'"
    )
    press(browser, "form[hx-post$='set_heat_patch'] button")
    wait(browser, lambda: all_of(browser, "[aria-label='Temperature of inlet']"))
    type_into(browser, "Temperature of inlet", "30 degC")
    type_into(browser, "Temperature of inlet", "30 mm")
    wait(browser, lambda: "what is written is a length" in text_of(browser, ".sheet"))
    type_into(browser, "Temperature of inlet", "30 degC")
    wait(browser, lambda: "what is written is a length" not in text_of(browser, ".sheet"))

    browser.get(f"{at}/run/duct")
    press(browser, ".sheet button.do")
    wait(browser, lambda: "s of 400 s" in text_of(browser, ".sheet"), 60)
    press(browser, ".sheet button.do")  # pause
    wait(browser, lambda: "paused" in text_of(browser, ".sheet"), 30)
    with client(brook_server) as http:
        page = {"page": "run", "name": "duct"}
        for pointer, value in (("/set_up/boundaries/0/speed", "0.2 m/s"), ("/set_up/timing/duration", "30 s")):
            assert (
                http.post(f"/studies/{duct}/edit", data={"pointer": pointer, "value": value, **page}).status_code == 200
            )
        http.post(f"/studies/{duct}/continue-run", data={"only": "duct", **page})
    browser.get(f"{at}/run/duct")
    wait(browser, lambda: "reached 30 s" in text_of(browser, ".sheet").lower(), 90)

    assert text_of(browser, ".state-line") == "ran to its end"

    line = {
        "quantity": "temperature",
        "start_x": "0.2 m",
        "start_y": "0 m",
        "end_x": "0.2 m",
        "end_y": "0.1 m",
        "along": "y",
    }
    with client(brook_server) as http:
        http.post(f"/studies/{duct}/act/add_plot", data={**line, "title": "Across", "page": "results"})
        name = document(brook_server, duct).plots[0].name
        curves = http.get(f"/studies/{duct}/plots/{name}/curves.json", params={"variants": "duct"}).json()
        assert curves["y_unit"] == "degC"
        assert 10 < max(v for v in curves["curves"][0]["y"] if v is not None) < 31

    browser.get(f"{at}/results/duct")
    wait(browser, lambda: all_of(browser, "#moments"))
    assert Select(all_of(browser, "#quantity")[0]).first_selected_option.text == "temperature"
    assert "at the end, 30" in text_of(browser, "#moment-says")
    press(browser, "#play")
    wait(browser, lambda: "at the end" not in text_of(browser, "#moment-says"))
    press(browser, "#play")
    assert "Ledger of heat" in text_of(browser, ".sheet")
    wait(browser, lambda: "temperature, °C" in text_of(browser, "#legend"))
    # every quantity is drawn at every moment: averages as they stood then
    quantity = Select(all_of(browser, "#quantity")[0])
    quantity.select_by_visible_text("fluctuation of the velocity")
    wait(browser, lambda: "fluctuation of the velocity" in text_of(browser, "#legend"))
    assert text_of(browser, "#moment-says").endswith(" s; streamlines, arrows, curves and tables are of the end")
    assert "/field/fluctuation.f32" in browser.execute_script(
        "return performance.getEntriesByType('resource').map((r) => r.name).filter((n) => n.includes('moment=')).join(' ')"
    )
    quantity.select_by_visible_text("speed")
    wait(browser, lambda: "speed" in text_of(browser, "#legend"))
    assert not complaints(browser)
