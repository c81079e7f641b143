"""Operating points on the board: said, computed, folded under their variant, addressed by pages, files and the API."""

import pytest

from tests.core.studies import tray
from tests.web.driving import all_of, complaints, one, press, text_of, wait
from tests.web.helpers import client, document, take_in, up_to_date

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def twice(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, tray())
        up_to_date(http, slug)
    return slug


def add(browser, title, value):
    browser.execute_script(
        "const f = document.querySelector('#add-point'); f.title.value = arguments[0]; f.elements.title.value = arguments[0]; f.elements.with_name.value = 'supply'; f.elements.value.value = arguments[1];",
        title, value,
    )  # fmt: skip
    press(browser, "#add-point button")


def test_the_board_folds_points_under_their_variant(brook_server, browser, twice):
    browser.get(f"{brook_server}/studies/{twice}")
    wait(browser, lambda: all_of(browser, "#add-point"))
    before = document(brook_server, twice)
    name, first = before.variants[0].name, before.requirements[0].name
    kept = text_of(browser, f"#row-{name} [data-requirement={first}] .shown")
    supply = before.named_values["supply"]
    add(browser, "As usual", supply)
    # what was computed is that of the point that changes nothing
    wait(browser, lambda: text_of(browser, f"#case-{name}-at-as_usual [data-requirement={first}] .shown") == kept)
    add(browser, "Half as much", f"0.5 * ({supply})")
    wait(browser, lambda: all_of(browser, f"#case-{name}-at-half_as_much"))
    assert "1 of 2 up to date" in text_of(browser, f"#row-{name} .run")
    press(browser, f"#row-{name} .run button")
    wait(browser, lambda: "2 of 2 up to date" in text_of(browser, f"#row-{name} .run"), 90)
    values = {
        p: float(one(browser, f"#case-{name}-at-{p} [data-requirement={first}]").get_attribute("data-value"))
        for p in ("as_usual", "half_as_much")
    }
    worst = float(one(browser, f"#row-{name} [data-requirement={first}]").get_attribute("data-value"))
    assert values["as_usual"] != values["half_as_much"]
    assert worst in values.values()
    at = text_of(browser, f"#row-{name} [data-requirement={first}] .course")
    assert values[{"As usual": "as_usual", "Half as much": "half_as_much"}[at]] == worst
    press(browser, f"#row-{name} .points-fold")
    assert not one(browser, f"#case-{name}-at-half_as_much").is_displayed()
    browser.refresh()
    wait(browser, lambda: all_of(browser, f"#row-{name} .points-fold[aria-expanded=false]"))
    press(browser, f"#row-{name} .points-fold")
    press(browser, f"#case-{name}-at-half_as_much th a")
    wait(browser, lambda: "half as much" in browser.title)
    with client(brook_server) as http:
        rows = http.get(f"/studies/{twice}/readings.csv").text
        assert f"{before.variants[0].title}, half as much" in rows
        names = [v["name"] for v in http.get(f"/api/studies/{twice}/variants").json()]
        assert f"{name}-at-half_as_much" in names
        for page in ("geometry", "mesh", "set-up", "run", "results"):
            for of in (name, f"{name}-at-half_as_much"):
                assert http.get(f"/studies/{twice}/{page}/{of}").status_code == 200
    assert complaints(browser) == []


def test_compare_ranks_and_shows_what_nothing_beats(brook_server, browser, twice):
    browser.get(f"{brook_server}/studies/{twice}/compare")
    wait(browser, lambda: all_of(browser, "#ranked"))
    study = document(brook_server, twice)
    first, second = (r.name for r in study.requirements[:2])
    press(browser, f"#ranked [data-by={first}]")
    values = [
        float(v.get_attribute("data-value") or "inf") for v in all_of(browser, f"#ranked td[data-requirement={first}]")
    ]
    assert values == sorted(values)
    assert "1st of " in text_of(browser, "#ranked tbody")
    assert len(all_of(browser, ".against .dot")) == len(study.variants)
    browser.get(f"{brook_server}/studies/{twice}/compare?x={second}&y={first}")
    wait(browser, lambda: all_of(browser, ".against .axis"))
    assert study.requirements[1].title in text_of(browser, ".against .axis.middle")
    with client(brook_server) as http:  # names that are not there are those of the first two
        assert http.get(f"/studies/{twice}/compare?x=wish&y=wish").status_code == 200
    assert complaints(browser) == []
