"""How sure: bands and verdicts on the board, until it is decided, and sweeps that are stopped and gone on with."""

import time
from types import SimpleNamespace

import pytest

from brook.web.state_reader import _kept
from tests.core.studies import tray
from tests.web.driving import all_of, attribute, complaints, one, press, text_of, type_into, wait
from tests.web.helpers import client, document, take_in

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def slug(brook_server):
    with client(brook_server) as http:
        return take_in(http, tray())


def ended(browser, what, seconds=150):
    wait(browser, lambda: all_of(browser, ".aim-said") and text_of(browser, ".aim-said").startswith(what), seconds)
    return text_of(browser, ".aim-said")


def test_until_it_is_decided_and_then_bands_for_all(brook_server, browser, slug):
    browser.get(f"{brook_server}/studies/{slug}")
    wait(browser, lambda: all_of(browser, "#aim-form"))
    study = document(brook_server, slug)
    name, first = study.variants[0].name, study.requirements[0].name
    press(browser, "#aim-form button[value=decide]")
    wait(browser, lambda: "Until it is decided" in text_of(browser, "#aim"))
    said = ended(browser, "Until it is decided")
    assert "of computing in" in said
    assert "every verdict stands" in said or "not decided" in said
    press(browser, "#aim-form button[value=bands]")
    ended(browser, "Bands")
    shown = text_of(browser, f"#row-{name} [data-requirement={first}] .shown")
    link = one(browser, f"#row-{name} [data-requirement={first}] .sure-link")
    assert ("±" in shown) == (link.text == "how sure")
    press(browser, f"#row-{name} [data-requirement={first}] .sure-link")
    wait(browser, lambda: all_of(browser, f"#{first} .series-graph"))
    rows = [r.text for r in all_of(browser, f"#{first} tbody tr")]
    assert len(rows) >= 3
    assert rows[0].startswith("as planned")
    assert complaints(browser) == []


def test_a_sized_case_has_its_pages_and_what_is_wrong_is_said_at_its_place(brook_server, browser, slug):
    study = document(brook_server, slug)
    name = study.variants[0].name
    with client(brook_server) as http:
        for page in ("mesh", "run", "results", "sure"):
            answer = http.get(f"/studies/{slug}/{page}/{name}-coarser-2")
            assert answer.status_code == 200
            assert "cells 2 times as large" in answer.text
        assert http.get(f"/studies/{slug}/results/{name}-in-nothing-100").status_code == 404
        bad = http.post(f"/studies/{slug}/aims", data={"kind": "bands", "within": "5 mm", "page": "board"}).text
        assert "the limit on time" in bad
        assert http.post(f"/studies/{slug}/aims", data={"kind": "dance", "page": "board"}).status_code == 200
        api = f"/api/studies/{slug}"
        assert http.post(f"{api}/aim", json={"kind": "bands", "names": ["nobody"]}).status_code == 404
        assert http.post(f"{api}/aim", json={"kind": "sweep", "sweep": "none"}).status_code == 404
        assert http.post(f"{api}/aim", json={"kind": "bands", "finest": 3}).status_code == 422
        done = http.get(f"{api}/aim").json()
        assert done["state"] == "ended"
        assert done["kind"] == "bands"
        reading = http.get(f"{api}/variants/{name}").json()["readings"][0]
        assert reading["how_sure"]
        titles = http.get(f"/studies/{slug}/readings.csv").text.splitlines()[0]
        assert "band_si" in titles


def test_a_sweep_is_stopped_and_gone_on_with_and_its_best_made_a_variant(brook_server, browser, slug):
    browser.get(f"{brook_server}/studies/{slug}/sweeps")
    wait(browser, lambda: all_of(browser, "#add-sweep"))
    browser.execute_script(
        "const f = document.querySelector('#add-sweep'); f.elements.with_name.value = 'supply'; f.elements.low.value = '6 mm/s'; f.elements.high.value = '6 mm'; f.elements.title.value = 'Supply';"
    )
    press(browser, "#add-sweep button")
    wait(browser, lambda: all_of(browser, "#add-sweep .why"))
    assert "supply is in m/s, this is in m" in text_of(browser, "#add-sweep .why")
    assert not document(brook_server, slug).sweeps
    browser.execute_script(
        "const f = document.querySelector('#add-sweep'); f.elements.with_name.value = 'supply'; f.elements.low.value = '6 mm/s'; f.elements.high.value = '12 mm/s'; f.elements.title.value = 'Supply';"
    )
    press(browser, "#add-sweep button")
    wait(browser, lambda: all_of(browser, "#compute"))
    type_into(browser, "Steps of supply", "4")
    wait(browser, lambda: "Compute 4 samples" in text_of(browser, "#compute"))
    press(browser, "#compute button.do")
    wait(browser, lambda: all_of(browser, ".sweep-said button.stop"))
    press(browser, ".sweep-said button.stop")
    wait(browser, lambda: all_of(browser, "#compute button.do"))
    assert "stopped by hand" in text_of(browser, ".sweep-said")
    wait(browser, lambda: not [s for s in document_rows(browser) if "busy" in s])
    press(browser, "#compute button.do")
    wait(browser, lambda: "4 of 4 computed" in text_of(browser, ".sweep-said"), 120)
    wait(browser, lambda: len(all_of(browser, ".sweep-graph .dot")) == 4)
    assert len(all_of(browser, "#samples tbody")) == 4
    names = [v.name for v in document(brook_server, slug).variants]
    if all_of(browser, ".answer.yes"):
        press(browser, ".answer.yes button")
        wait(browser, lambda: len(document(brook_server, slug).variants) == len(names) + 1)
        made = next(v for v in document(brook_server, slug).variants if v.name not in names)
        assert "supply" in made.named_values
    with client(brook_server) as http:
        lines = http.get(f"/studies/{slug}/sweeps/supply.csv").text.splitlines()
        assert len(lines) == 5
        assert lines[0].startswith("case,supply")
        assert all(line.startswith("plain-in-supply-") for line in lines[1:])
        assert http.get(f"/studies/{slug}/sweeps/supply.xlsx").content[:2] == b"PK"
        assert http.get(f"/studies/{slug}/sweeps/supply.pdf").status_code == 404
        assert http.get(f"/studies/{slug}/sweeps/none.csv").status_code == 404
    assert attribute(browser, "body", "data-page") == "sweeps"
    assert complaints(browser) == []


def document_rows(browser):
    return [row.text for row in all_of(browser, "#samples tbody")]


def test_a_limit_on_time_is_kept_and_what_it_left_out_told(brook_server):
    with client(brook_server) as http:
        api = f"/api/studies/{take_in(http, tray(title='Limited'))}"
        assert http.post(f"{api}/aim", json={"kind": "decide", "seconds": 0.5}).status_code == 200
        end = time.monotonic() + 30
        while (aim := http.get(f"{api}/aim").json())["state"] == "under way" and time.monotonic() < end:
            time.sleep(0.2)
        assert aim["runs"] == []
        assert "leaves no room for “Plain, cells 8 times as large”" in aim["words"]
        assert "not decided" in aim["words"]


def test_a_series_takes_the_mean_of_what_swings():
    swing = {"monitors": {"drop": [1.5, 0.25]}}
    reading = SimpleNamespace(requirement=SimpleNamespace(name="drop"), kept={"value": 1.7, "stopped": 0.01})
    v = SimpleNamespace(swings=True, counts=True, run=SimpleNamespace(summary={"swing": swing}), readings=[reading])
    assert _kept(v, 0) == {"value": 1.5, "stopped": 0.25}
    v.swings = False
    assert _kept(v, 0)["value"] == 1.7
