"""A variant of another shape goes on from what its last run found."""

import re

import pytest

from brook.core.study.document import study_from
from tests.core.studies import raw_tray
from tests.web.driving import complaints, send, text_of, type_into, wait
from tests.web.helpers import client, document, take_in, up_to_date


def hanging():
    """The tray whose baffle hangs down by a named value."""
    raw = raw_tray()
    (variant,) = (v for v in raw["variants"] if v["name"] == "hanging")
    variant["geometry"]["shapes"][0] |= {"bottom": "depth - drop", "height": "drop"}
    return study_from(raw | {"variants": [variant], "named_values": raw["named_values"] | {"drop": "25 mm"}})


def iterations(browser):
    return int(re.search(r"Iterations\s+(\d+)", text_of(browser, ".sheet")).group(1))


@pytest.mark.browser
@pytest.mark.server
def test_a_swapped_shape_begins_from_the_old_solution_and_ends_sooner(brook_server, browser):
    http = client(brook_server)
    found = {}
    # hardly another shape the second time: a result that is there already is not made anew
    for start, drop in (("where the last one of the variant ended", "30 mm"), ("from nothing, as a potential flow", "30.01 mm")):  # fmt: skip
        slug = take_in(http, hanging())
        browser.get(f"{brook_server}/studies/{slug}/set-up/hanging")
        send(browser, "select[aria-label='What a run begins from']", start)
        wait(browser, lambda wanted=start.split()[0]: _begins(brook_server, slug) == wanted)
        up_to_date(http, slug)
        browser.get(f"{brook_server}/studies/{slug}/run/hanging")
        wait(browser, lambda: "converged" in text_of(browser, ".sheet"))
        assert "Began with the fields" not in text_of(browser, ".sheet")
        browser.get(f"{brook_server}/studies/{slug}/geometry/hanging")
        type_into(browser, "drop", drop)
        wait(browser, lambda wanted=drop: document(brook_server, slug).named_values["drop"] == wanted)
        up_to_date(http, slug)
        browser.get(f"{brook_server}/studies/{slug}/run/hanging")
        wait(browser, lambda: "converged" in text_of(browser, ".sheet"))
        found[start.split()[0]] = iterations(browser), "Began with the fields of the last run." in text_of(browser, ".sheet")  # fmt: skip
    (sooner, carried), (later, anew) = found["where"], found["from"]
    assert (carried, anew) == (True, False)
    assert sooner < later
    assert complaints(browser) == []


def _begins(address, slug):
    return {"last": "where", "potential": "from"}[document(address, slug).set_up.start.kind]
