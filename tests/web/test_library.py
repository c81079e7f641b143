"""The library: searched, in a state, over temperatures, where used; a material of one's own is kept there and taken into another study."""

import json

import pytest

from brook.core.study.document import study_from
from tests.core.studies import raw_tray
from tests.web.driving import complaints, text_of, wait
from tests.web.helpers import client, document, plain, take_in

pytestmark = [pytest.mark.server]


def with_fluid(title, fluid):
    raw = raw_tray()
    raw["title"] = title
    raw["set_up"]["fluid"] = fluid
    return study_from(raw)


OIL = {
    "kind": "own",
    "title": "Hatchery gear oil",
    "density": "870 kg/m^3",
    "viscosity": "80 mPa s",
}


def test_the_library_tells_values_sources_and_uses(brook_server):
    with client(brook_server) as http:
        slug = take_in(
            http, with_fluid("Ethanol tray", {"kind": "library", "substance": "ethanol", "temperature": "25 degC"})
        )
        page = plain(http.get("/library").text)
        assert "Liquids and gases at 20 °C and 101.33 kPa" in page
        assert "Polystyrene foam, extruded" in page
        found = plain(http.get("/library", params={"search": "stainless 316", "part": "rows"}).text)
        assert "Stainless steel 316" in found
        assert "Ethanol" not in found
        hot = plain(http.get("/library", params={"search": "steam", "temperature": "150 degC", "part": "rows"}).text)
        assert "told as" not in hot
        assert "told as a liquid from" in plain(
            http.get("/library", params={"temperature": "150 degC", "part": "rows"}).text
        )
        assert "a unit is missing" in plain(http.get("/library", params={"temperature": "20", "part": "rows"}).text)
        assert "Nothing has all of these words" in plain(
            http.get("/library", params={"search": "unobtainable", "part": "rows"}).text
        )
        one = http.get("/library/ethanol").text
        assert one.count("<polyline") == 4
        assert f'href="/studies/{slug}/set-up"' in one
        assert "CoolProp" in one
        assert "Incropera" in http.get("/library/copper").text
        assert http.get("/library/kryptonite").status_code == 404
        # a substance that is not known at the temperature of the one before begins where it is known
        http.post(f"/studies/{slug}/act/fluid_kind", data={"kind": "liquid_nitrogen", "page": "set-up"})
        assert document(brook_server, slug).set_up.fluid.temperature == "-202 degC"
        refused = plain(http.post(f"/studies/{slug}/act/fluid_kind", data={"kind": "nitrogn", "page": "set-up"}).text)
        assert "did you mean nitrogen" in refused


def test_a_material_of_ones_own_goes_from_study_to_study(brook_server):
    with client(brook_server) as http:
        first = take_in(http, with_fluid("Gear box", OIL))
        kept = http.post(f"/studies/{first}/keep-material", data={"pointer": "/set_up/fluid"}).text
        assert "kept in the" in kept
        assert (
            "instead of what was there"
            in http.post(f"/studies/{first}/keep-material", data={"pointer": "/set_up/fluid"}).text
        )
        page = plain(http.get("/library", params={"search": "gear"}).text)
        assert "Hatchery gear oil" in page
        assert "viscosity 80 mPa s" in page
        second = take_in(http, with_fluid("Pump", {"kind": "library", "substance": "water"}))
        choices = http.get(f"/studies/{second}/set-up").text
        assert "Hatchery gear oil" in choices
        said = json.dumps(
            study_from({**raw_tray(), "set_up": {**raw_tray()["set_up"], "fluid": OIL}}).set_up.fluid.model_dump(
                mode="json"
            )
        )
        http.post(f"/studies/{second}/act/fluid_kind", data={"kind": said, "page": "set-up"})
        assert document(brook_server, second).set_up.fluid.title == "Hatchery gear oil"
        # names of one study mean nothing to another
        raw = raw_tray()
        raw["title"], raw["named_values"] = "Named", {**raw.get("named_values", {}), "thick": "3 mPa s"}
        raw["set_up"]["fluid"] = {**OIL, "title": "Named oil", "viscosity": "thick"}
        named = take_in(http, study_from(raw))
        refused = http.post(f"/studies/{named}/keep-material", data={"pointer": "/set_up/fluid"}).text
        assert "not kept" in refused
        assert "do not know the names" in refused
        assert (
            "no material"
            in http.post(f"/studies/{second}/keep-material", data={"pointer": "/set_up/boundaries/0"}).text
        )
        for number in range(1, 20):
            http.post(f"/library/{number}/drop")
        assert "Hatchery gear oil" not in plain(http.get("/library").text)


@pytest.mark.browser
def test_searching_changes_the_rows_as_one_types(brook_server, browser):
    browser.get(f"{brook_server}/library")
    wait(browser, lambda: "Aluminium" in text_of(browser, "#library-rows"))
    browser.switch_to.active_element.send_keys("glycol")
    wait(
        browser,
        lambda: (
            "Aluminium" not in text_of(browser, "#library-rows")
            and "ethylene glycol" in text_of(browser, "#library-rows")
        ),
    )
    assert not complaints(browser)
