"""Particles on the page of results: said, flown, drawn, worn, handed out; what cannot be is told."""

import pytest

from tests.core.studies import tray
from tests.web.driving import all_of, complaints, drawn, picture, press, text_of, type_into, wait
from tests.web.helpers import client, document, take_in, up_to_date

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def flowed(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, tray(title="Tray with grit"))
        up_to_date(http, slug)
        return slug


def seen(browser, words):
    """Scrolls to the particles until their table says so."""
    browser.execute_script("document.querySelector('#particles').scrollIntoView()")
    return words in text_of(browser, "#particles")


def choose(browser, label, value):
    script = "const f = document.querySelector(`select[aria-label='${arguments[0]}']`); f.value = arguments[1]; f.dispatchEvent(new Event('change', {bubbles: true}))"
    wait(browser, lambda: all_of(browser, f"select[aria-label='{label}']"))
    browser.execute_script(script, label, value)


def test_grit_of_two_sizes_settles_wears_and_is_drawn(brook_server, browser, flowed):
    at = f"{brook_server}/studies/{flowed}/results/plain"
    browser.get(at)
    wait(browser, lambda: drawn(browser, "speed"))
    choose(browser, "Where new particles begin", "inlet")
    press(browser, "#add-particles button")
    wait(
        browser, lambda: seen(browser, "come to rest at floor"), 90
    )  # a tenth of a millimetre sinks 9 mm/s, and the water comes at 4
    type_into(browser, "Size of Grains from inlet", "5 um")
    wait(browser, lambda: seen(browser, "left through weir"), 60)
    choose(browser, "Wear of Grains from inlet", "oka")
    wait(browser, lambda: seen(browser, "Vickers hardness"))
    type_into(browser, "Size of Grains from inlet", "3 s")
    wait(browser, lambda: seen(browser, "what is written is a time"))
    type_into(browser, "Size of Grains from inlet", "0.2 mm")
    wait(browser, lambda: seen(browser, "Deepest"), 60)
    bare = picture(browser)
    press(browser, ".particle-ways")
    wait(browser, lambda: int(browser.execute_script("return document.querySelector('#stage').dataset.ways ?? 0")) > 20)
    wait(browser, lambda: picture(browser) != bare)
    name = document(brook_server, flowed).particles[0].name
    with client(brook_server) as http:
        table = http.get(f"{at}/particles/{name}.csv")
        assert table.status_code == 200
        assert "size [m]" in table.text
        assert "come to rest at floor" in table.text
    assert complaints(browser) == []


def test_what_cannot_fly_is_told_where_it_would_be(brook_server, flowed):
    with client(brook_server) as http:
        http.post(
            f"/studies/{flowed}/act/add_particles",
            data={"patch": "floor", "title": "Dust", "page": "results", "name": "plain"},
        )
        answer = http.get(f"/studies/{flowed}/results/plain/particles/dust")
        assert answer.status_code == 200
        assert "Nothing passes floor; particles have to begin elsewhere" in answer.text
        assert http.get(f"/studies/{flowed}/results/plain/particles/nobody").status_code == 404
