"""A result in space: its cut moves, water is followed through it, and one asks where a value is passed."""

import httpx
import pytest

from brook.core.study import Study
from tests.web.driving import attribute, click, complaints, drawn, press, send, text_of, wait
from tests.web.helpers import client, document, take_in, up_to_date

pytestmark = [pytest.mark.browser, pytest.mark.server]


def tube(length: str) -> dict:
    path = [{"x": "0 mm", "y": "0 mm", "z": "0 mm"}, {"x": length, "y": "0 mm", "z": "0 mm"}]
    return {"kind": "space", "parts": [
        {"kind": "tube", "name": "pipe", "diameter": "20 mm", "path": path, "across": 4, "outward": {"cells": 3}, "along": {"cells": 12}},
    ]}  # fmt: skip


PIPES = {
    "title": "Two pipes",
    "variants": [
        {"name": "long", "title": "Long", "geometry": tube("120 mm")},
        {"name": "short", "title": "Short", "geometry": tube("60 mm")},
    ],
    "set_up": {
        "fluid": {"kind": "own", "density": "1000 kg/m^3", "viscosity": "10 mPa s"},
        "boundaries": [
            {"kind": "velocity", "patch": "start", "speed": "20 mm/s", "profile": "developed"},
            {"kind": "pressure", "patch": "end"},
        ],
    },
}


@pytest.fixture(scope="module")
def pipes(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate(PIPES))
        up_to_date(http, slug)
    return slug


def enter(browser, selector, text):
    browser.execute_script(
        "const e = document.querySelector(arguments[0]); e.value = arguments[1]; e.dispatchEvent(new Event('change'))", selector, text,
    )  # fmt: skip


def flat(browser):
    """One cut, flat, in place of the picture in space."""
    wait(browser, lambda: drawn(browser, "speed"))
    press(browser, "[data-seen=flat]")
    wait(browser, lambda: browser.execute_script("return Boolean(document.querySelector('#stage.seen-flat'))"))
    wait(browser, lambda: drawn(browser, "speed"))


def test_a_result_in_space_is_cut_followed_and_asked(brook_server, browser, pipes):
    browser.get(f"{brook_server}/studies/{pipes}/results/long")
    flat(browser)
    first, usual = (attribute(browser, "#field", f"data-{n}") for n in ("mesh", "across"))
    assert usual != "x"

    # across the pipe: a round cut, whose place is said when it misses
    enter(browser, "#cut-across", "x")
    wait(browser, lambda: attribute(browser, "#field", "data-axes") == "yz")
    enter(browser, "#cut-place", "150 mm")
    assert text_of(browser, "#cut-place-why") == "the mesh lies between 0 mm and 120 mm along x"
    enter(browser, "#cut-place", "90 mm")
    wait(browser, lambda: attribute(browser, "#field", "data-mesh").endswith("/x/0.0900000000"))
    wait(browser, lambda: text_of(browser, "#cut-place-why") == "")
    browser.execute_script(
        "const s = document.querySelector('#cut-slider'); s.value = 250; s.dispatchEvent(new Event('input'))"
    )
    wait(browser, lambda: attribute(browser, "#field", "data-mesh").endswith("/x/0.0300000000"))

    # the water that enters goes out, and how long that takes is told
    enter(browser, "#streamlines", "patch:start")
    wait(browser, lambda: attribute(browser, "#stage", "data-streamlines") == "24")
    says = text_of(browser, "#tool-says")
    assert says.startswith("24 streamlines, seen along x; ends: 24 end; 24 through, in "), says

    # the other variant blinks at the same place, and says where it has none
    hold_b = (
        "document.querySelector('#field').dispatchEvent(new KeyboardEvent(arguments[0], {key: 'b', bubbles: true}))"
    )
    browser.execute_script(hold_b, "keydown")
    wait(browser, lambda: text_of(browser, "#blink-says") == "Short")
    browser.execute_script(hold_b, "keyup")
    wait(browser, lambda: text_of(browser, "#blink-says") == "")
    enter(browser, "#cut-place", "90 mm")
    wait(browser, lambda: attribute(browser, "#field", "data-mesh").endswith("/x/0.0900000000"))
    browser.execute_script(hold_b, "keydown")
    wait(
        browser,
        lambda: "Short cannot be shown here: the plane does not cut this mesh" in text_of(browser, "#blink-says"),
    )

    # where is it faster than the mean: half of the cross-section of Poiseuille's flow
    send(browser, "#above [name=level]", "20 mm/s")
    click(browser, "#above button")
    wait(browser, lambda: "of what is meshed" in text_of(browser, "#above-says"))
    share = float(text_of(browser, "#above-says").split(",")[1].split("%")[0])
    assert share == pytest.approx(50, abs=6)
    enter(browser, "#above [name=level]", "3 Pa")
    press(browser, "#above button")
    wait(browser, lambda: "this is a pressure; speed is a speed" in text_of(browser, "#above-says").lower())
    assert browser.execute_script("return document.querySelector('#above [name=level]').value") == "3 Pa"

    # the place is kept with the tab, and back at the usual place the kept picture comes back
    browser.refresh()
    wait(browser, lambda: drawn(browser, "speed"))
    assert attribute(browser, "#field", "data-mesh").endswith("/x/0.0900000000")
    enter(browser, "#cut-across", usual)
    wait(browser, lambda: attribute(browser, "#field", "data-mesh") == first)
    assert not [c for c in complaints(browser) if "422" not in c["message"]]


def test_what_cannot_be_asked_of_a_result_in_space_is_said(brook_server, pipes):
    base = f"{brook_server}/studies/{pipes}/variants/long"
    run = (
        httpx.get(f"{brook_server}/studies/{pipes}/results/long")
        .text.split('id="scene-view"')[1]
        .split('data-run="')[1][:20]
    )
    said = {
        f"cut/{run}/x/9/corners.f32": (422, "the plane does not cut this mesh"),
        f"cut/{run}/x/nan/corners.f32": (404, "no such cut"),
        f"cut/{run}/x/0.05/nonsense.f32": (404, "nonsense"),
        f"cut/{'0' * 20}/x/0.05/corners.f32": (404, "newer result"),
        f"cut/{run}/x/0.05/frame.nonsense.bin": (404, "nonsense"),
        "lines.json": (422, "start at a patch"),
        "lines.json?patch=lid": (404, "lid"),
        "lines.json?patch=side": (422, "nothing passes side"),
        "lines.json?at=1,2": (422, "written as x,y,z"),
        "lines.json?at=1,2,inf": (422, "written as x,y,z"),
    }
    for address, (status, words) in said.items():
        answer = httpx.get(f"{base}/{address}", headers={"accept": "application/json"})
        assert answer.status_code == status, (address, answer.text)
        assert words in answer.text
    whole = httpx.get(f"{base}/cut/{run}/x/0.05/frame.speed.bin").content
    parts = [httpx.get(f"{base}/cut/{run}/x/0.05/{n}").content for n in ("offsets.u32", "corners.f32", "speed.f32")]
    assert whole[8:] == b"".join(parts)
    nowhere = httpx.get(f"{base}/lines.json?at=1,2,3").json()
    assert (nowhere["lines"], nowhere["outside"]) == ([], 1)


def test_a_plate_keeps_its_cut_for_all_variants(brook_server, browser, pipes):
    browser.get(f"{brook_server}/studies/{pipes}/results/long")
    flat(browser)
    enter(browser, "#cut-across", "x")
    wait(browser, lambda: attribute(browser, "#field", "data-axes") == "yz")
    enter(browser, "#cut-place", "90 mm")
    wait(browser, lambda: attribute(browser, "#field", "data-mesh").endswith("/x/0.0900000000"))
    enter(browser, "#keep-view [name=title]", "Far down")
    press(browser, "#keep-view button")
    wait(browser, lambda: "Far down" in text_of(browser, ".plates-list"))
    plate = document(brook_server, pipes).plates[-1]
    assert (plate.cut.across, plate.cut.at) == ("x", pytest.approx(0.09))

    browser.get(f"{brook_server}/studies/{pipes}/results/long?plate={plate.name}")
    wait(browser, lambda: attribute(browser, "#field", "data-mesh").endswith("/x/0.0900000000"))
    # one that was kept near the middle shows that, wherever the page was cut last
    with client(brook_server) as http:
        plain = {"quantity": "speed", "title": "Middle", "page": "results"}
        assert http.post(f"/studies/{pipes}/act/add_plate", data=plain).status_code == 200
    browser.get(f"{brook_server}/studies/{pipes}/results/long?plate={document(brook_server, pipes).plates[-1].name}")
    wait(browser, lambda: drawn(browser, "speed") and "/cut/" not in attribute(browser, "#field", "data-mesh"))
    browser.get(f"{brook_server}/studies/{pipes}/compare?plate={plate.name}")
    wait(browser, lambda: "the plane does not cut this mesh" in text_of(browser, ".plates"))
    assert "Nothing to show at x = 90.0 mm" in text_of(browser, ".plates")
    wait(browser, lambda: attribute(browser, ".plates canvas.field", "data-mesh").endswith("/x/0.0900000000"))
    assert not [c for c in complaints(browser) if "422" not in c["message"]]
