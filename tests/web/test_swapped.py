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


def swapped(address, browser, start, drop):
    """How many iterations the run of a baffle takes that hangs deeper, and whether it went on from the one before."""
    http = client(address)
    slug = take_in(http, hanging())
    browser.get(f"{address}/studies/{slug}/set-up/hanging")
    send(browser, "select[aria-label='What a run begins from']", start)
    wanted = "potential" if start.startswith("from nothing") else "last"
    wait(browser, lambda: document(address, slug).set_up.start.kind == wanted)
    up_to_date(http, slug)
    browser.get(f"{address}/studies/{slug}/run/hanging")
    wait(browser, lambda: "converged" in text_of(browser, ".sheet"))
    assert "Began with the fields" not in text_of(browser, ".sheet")
    browser.get(f"{address}/studies/{slug}/geometry/hanging")
    type_into(browser, "drop", drop)
    wait(browser, lambda: document(address, slug).named_values["drop"] == drop)
    up_to_date(http, slug)
    browser.get(f"{address}/studies/{slug}/run/hanging")
    wait(browser, lambda: "converged" in text_of(browser, ".sheet"))
    said = text_of(browser, ".sheet")
    return int(re.search(r"Iterations\s+(\d+)", said).group(1)), "Began with the fields of the last run." in said


@pytest.mark.browser
@pytest.mark.server
def test_a_swapped_shape_begins_from_the_old_solution_and_ends_sooner(brook_server, browser):
    sooner, carried = swapped(brook_server, browser, "where the last one of the variant ended", "30 mm")
    # hardly another shape: a result that is there already is not made anew
    later, anew = swapped(brook_server, browser, "from nothing, as a potential flow", "30.01 mm")
    assert (carried, anew) == (True, False)
    assert sooner < later
    assert complaints(browser) == []


@pytest.mark.server
def test_a_new_variant_begins_where_the_one_it_was_copied_from_ended(brook_server):
    http = client(brook_server)
    slug = take_in(http, study_from(hanging().model_dump(mode="json") | {"title": "Copied"}))
    up_to_date(http, slug)
    for action, values in (("add_variant", {"source": "hanging", "with_title": "Deeper"}), ("set_start", {"kind": "variant:hanging"})):  # fmt: skip
        http.post(f"/studies/{slug}/act/{action}", data={"page": "board", **values})
    http.post(f"/studies/{slug}/edit", data={"page": "board", "pointer": "/variants/1/geometry/shapes/0/height", "value": "drop - 3.33 mm"})  # fmt: skip
    http.post(f"/studies/{slug}/edit", data={"page": "board", "pointer": "/variants/1/geometry/shapes/0/bottom", "value": "depth - drop + 3.33 mm"})  # fmt: skip
    (name,) = (v.name for v in document(brook_server, slug).variants if v.name != "hanging")
    up_to_date(http, slug)
    assert "Began with the fields of the last run." in http.get(f"/studies/{slug}/run/{name}").text


@pytest.mark.server
def test_a_shape_in_another_space_begins_from_nothing_and_says_so(brook_server):
    http = client(brook_server)
    slug = take_in(http, study_from(hanging().model_dump(mode="json") | {"title": "Longer"}))
    up_to_date(http, slug)
    http.post(f"/studies/{slug}/edit", data={"page": "board", "pointer": "/named_values/length", "value": "190 mm"})
    up_to_date(http, slug)
    page = http.get(f"/studies/{slug}/run/hanging").text
    assert "Began from nothing: the last run had other bodies, or another space." in page


@pytest.mark.server
def test_a_study_begins_with_statements_where_its_patches_are_known(brook_server):
    http = client(brook_server)
    made = http.post("/studies", data={"title": "Filled in", "kind": "plane", "begin": "fan"})
    slug = made.headers["location"].rsplit("/", 1)[1]
    assert [b.kind for b in document(brook_server, slug).set_up.boundaries] == ["fan", "pressure"]
    refused = http.post("/studies", data={"title": "Not yet", "kind": "space", "begin": "fan"})
    assert refused.status_code == 422
    assert "is not known yet" in refused.text
