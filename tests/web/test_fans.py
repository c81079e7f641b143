"""A fan said on the page: its curve beside the statement, a mistake at its place, and where the run comes to stand."""

import pytest

from brook.core.checks import prepare
from brook.core.study.document import study_from
from brook.web.fans import fan_graph
from tests.core.test_openings import CURVE, FAN, duct
from tests.web.driving import attribute, complaints, press, send, text_of, type_into, wait
from tests.web.helpers import client, document, take_in, up_to_date


@pytest.mark.browser
@pytest.mark.server
def test_a_fan_is_said_by_its_curve_and_stands_on_it(brook_server, browser):
    http = client(brook_server)
    raw = duct({"kind": "pressure", "patch": "outlet", "loss": "3"}, tables=CURVE).model_dump(mode="json")
    slug = take_in(http, study_from(raw))
    browser.get(f"{brook_server}/studies/{slug}/set-up/a")
    send(browser, "select[aria-label='Patch']", "inlet")
    send(browser, "select[aria-label='Kind of boundary']", "is blown in by a fan or pump")
    press(browser, "form[hx-post$='/act/set_boundary'] button")
    wait(browser, lambda: "It is blown in through inlet" in text_of(browser, ".sheet"))
    wait(
        browser,
        lambda: attribute(browser, ".small-graph svg", "aria-label") == "Curve at inlet: rise in Pa over Q in L/s",
    )
    assert "The run stands" not in text_of(browser, ".sheet")
    type_into(browser, "Rise of pressure at inlet", "blower(q)")
    wait(browser, lambda: "unknown name 'q'" in text_of(browser, ".sheet"))
    type_into(browser, "Rise of pressure at inlet", "blower(Q)")
    wait(browser, lambda: "unknown name" not in text_of(browser, ".sheet"))
    (fan,) = (b for b in document(brook_server, slug).set_up.boundaries if b.kind == "fan")
    assert fan.rise == "blower(Q)"
    up_to_date(http, slug)
    browser.get(f"{brook_server}/studies/{slug}/results/a")
    wait(browser, lambda: "The run stands at 216 L/s against 33.6 Pa." in text_of(browser, ".sheet"))
    assert complaints(browser) == []


@pytest.mark.parametrize("rise", ["50 Pa * sqrt(1 - Q / (1 L/s))", "50 Pa * exp(Q / (1 mm^3/s))"])
def test_a_curve_breaks_off_where_it_has_no_value_or_none_that_is_finite(rise):
    study = duct(FAN | {"kind": "exhaust", "rise": rise}, tables=CURVE)
    (said,) = (b for b in prepare(study, study.variants[0]).boundaries if b.kind == "exhaust")
    made = fan_graph(said, said.rise, {"flows": {"inlet": 5.0}, "mean_pressures": {"inlet": 1.0}})
    assert made["path"]
    assert (made["words"], made["places"]) == ("", [])
