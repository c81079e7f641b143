"""Curves along patches, rims and the middle of the fluid, axes made by formula, moments in space, and plates of differences."""

import json
import struct

import numpy as np
import pytest
from selenium.webdriver import ActionChains, Keys

from brook.core.study import Study
from tests.web.driving import all_of, attribute, complaints, each, one, press, text_of, wait
from tests.web.helpers import client, document, plain, take_in, up_to_date
from tests.web.test_space_pictures import opened, said
from tests.web.test_space_results import PIPES, enter

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def pipes(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate({**PIPES, "title": "Pipes read"}))
        up_to_date(http, slug)
    return slug


def post(http, slug, action, **data):
    answer = http.post(f"/studies/{slug}/act/{action}", data={"page": "results", "name": "long", **data})
    assert answer.status_code == 200
    return answer.text


def test_pressure_through_the_middle_without_dimensions_beside_the_speed(brook_server, pipes):
    """f = Δp/(ρ ū²/2) (D/Δx) = 64/Re with Re = 40: 1.6 for each diameter."""
    with client(brook_server) as http:
        post(
            http,
            pipes,
            "add_plot",
            quantity="pressure",
            kind="middle",
            start="start",
            end="end",
            over="through",
            title="Loss",
        )
        at = len(document(brook_server, pipes).plots) - 1

        def edit(pointer, value):
            data = {"pointer": f"/plots/{at}/{pointer}", "value": value, "page": "results", "name": "long"}
            return plain(http.post(f"/studies/{pipes}/edit", data=data).text)

        edit("position_axis/formula", "distance / (20 mm)")
        edit("value_axis/formula", "value / (0.5 * 1000 kg/m^3 * (20 mm/s)^2)")
        edit("value_axis/title", "loss over dynamic pressure")
        post(http, pipes, "second_axis", pointer=f"/plots/{at}", quantity="speed")
        edit("second/unit", "cm/s")
        assert "no unit of that" in edit("second/unit", "kg")
        assert "nothing of an axis" in edit("value_axis/formula", "valeu / 1 Pa")
        base = f"/studies/{pipes}/plots/loss"
        data = http.get(f"{base}/curves.json?variants=long").json()
        assert (data["x_title"], data["x_unit"], data["y_unit"]) == ("distance / (20 mm)", "", "")
        assert data["words"] == "loss over dynamic pressure"
        (curve,) = data["curves"]
        inside = slice(10, 50)
        slope = np.polyfit(curve["x"][inside], curve["y"][inside], 1)[0]
        assert slope == pytest.approx(-1.6, rel=0.05)
        assert curve["x"][-1] == pytest.approx(6 * 59.5 / 60, rel=1e-3)
        assert data["second"]["unit"] == "cm/s"
        # weighed by what flows the speed of a parabola is 4/3 of its mean
        assert data["second"]["curves"][0]["y"][30] == pytest.approx(2 * 4 / 3, rel=0.04)
        both = http.get(f"{base}/curves.json").json()
        assert [c["title"] for c in both["curves"]] == ["Long, pressure", "Short, pressure"]
        for suffix, begin in (("pdf", b"%PDF"), ("svg", b"<?xml"), ("xlsx", b"PK")):
            assert http.get(f"{base}.{suffix}").content.startswith(begin)
        assert "loss over dynamic pressure" in http.get(f"{base}.csv").text.splitlines()[0]
        points = {"table": ("points.csv", b"x,p\n0.5,8.8\n3,4.8\n5.5,0.8\n", "text/csv")}
        told = http.post(
            f"/studies/{pipes}/plots/loss/reference", data={"page": "results", "name": "long"}, files=points
        )
        assert told.status_code == 200
        against = http.get(f"{base}/curves.json?variants=long").json()["references"][0]["against"][0]
        assert against["largest"] < 6.0


def test_a_belt_and_a_rim_are_asked_for_on_the_page(brook_server, browser, pipes):
    opened(browser, f"{brook_server}/studies/{pipes}/results/long")
    before = len(document(brook_server, pipes).plots)
    enter(browser, "[aria-label='Patch of a new line, a new plot']", "side")
    press(browser, "[aria-label='Kind of line on a patch, a new plot'] ~ button")
    wait(browser, lambda: len(document(brook_server, pipes).plots) == before + 1)
    name = document(brook_server, pipes).plots[-1].name
    figure = f"#plot-{name}"
    # where the plane z = 0 cuts the side there are two lines, at either side
    wait(browser, lambda: attribute(browser, figure, "data-shown") == "2")
    assert each(browser, f"{figure} .plot-legend span") == ["part 1 of 2", "part 2 of 2"]
    wait(
        browser,
        lambda: browser.execute_script("return document.querySelector('#stage').curvesRead?.size") == before + 1,
    )
    with client(brook_server) as http:
        data = {"pointer": f"/plots/{before}/lines/0/at", "value": "50 mm", "page": "results", "name": "long"}
        assert http.post(f"/studies/{pipes}/edit", data=data).status_code == 200
        curves = http.get(f"/studies/{pipes}/plots/{name}/curves.json?variants=long").json()["curves"]
        assert [c["title"] for c in curves] == ["Long (the plane does not cut side)"]
        post(http, pipes, "add_line", pointer=f"/plots/{before}", kind="rim", patch="start")
        curves = http.get(f"/studies/{pipes}/plots/{name}/curves.json?variants=long").json()["curves"]
        assert curves[-1]["title"] == "Rim 2"
        assert max(v for v in curves[-1]["x"]) == pytest.approx(np.pi * 20, rel=0.04)
        refused = http.post(
            f"/studies/{pipes}/edit", data={"pointer": f"/plots/{before}/over", "value": "sections", "page": "results"}
        )
        assert "nothing goes across it" in plain(refused.text)
    assert not [c for c in complaints(browser) if "422" not in c["message"]]


def test_a_line_with_a_corner_is_clicked(brook_server, browser, pipes):
    opened(browser, f"{brook_server}/studies/{pipes}/results/long")
    browser.execute_script("document.querySelector('[data-look=y]').click()")
    before, canvas = len(document(brook_server, pipes).plots), one(browser, ".space-canvas")
    browser.execute_script("document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'p', bubbles: true}))")
    wait(browser, lambda: "Click the start" in text_of(browser, "#tool-says"))
    ActionChains(browser).move_to_element_with_offset(canvas, -90, 12).click().perform()
    ActionChains(browser).key_down(Keys.SHIFT).move_to_element_with_offset(canvas, 0, -12).click().key_up(
        Keys.SHIFT
    ).perform()
    ActionChains(browser).move_to_element_with_offset(canvas, 90, 12).click().perform()
    wait(browser, lambda: len(document(brook_server, pipes).plots) == before + 1)
    (corner,) = document(brook_server, pipes).plots[-1].lines[0].via
    assert float(corner.z.split()[0]) > 0
    wait(browser, lambda: all_of(browser, f"#plot-{document(brook_server, pipes).plots[-1].name}[data-shown='1']"))


def test_a_plate_keeps_what_is_taken_away(brook_server, browser, pipes):
    opened(browser, f"{brook_server}/studies/{pipes}/results/long")
    enter(browser, "#less", "short")
    wait(browser, lambda: "it lies where the other has no fluid" in said(browser))
    browser.execute_script(
        "document.querySelector('#keep-view [name=title]').value = 'Less the short one'; document.querySelector('#keep-view').requestSubmit()"
    )
    wait(browser, lambda: document(brook_server, pipes).plates)
    assert document(brook_server, pipes).plates[-1].less == "short"
    browser.execute_script("sessionStorage.clear()")
    browser.get(f"{brook_server}/studies/{pipes}/results/long?plate=less_the_short_one")
    wait(browser, lambda: "it lies where the other has no fluid" in said(browser))
    assert browser.execute_script("return document.querySelector('#less').value") == "short"
    browser.get(f"{brook_server}/studies/{pipes}/compare?plate=less_the_short_one")
    wait(browser, lambda: "the others are less this one" in " ".join(each(browser, ".plate-says")))
    wait(browser, lambda: "speed, less Short" in text_of(browser, "#legend"))


def numbers_of(content):
    return json.loads(content[4 : 4 + struct.unpack("<I", content[:4])[0]])["numbers"]


def test_moments_of_a_run_in_space_are_seen_whole(brook_server, browser):
    timing = {
        "kind": "in_time",
        "duration": "1.2 s",
        "steps": "fixed",
        "step": "0.1 s",
        "keep_every": "0.4 s",
        "average_from": "0.9 s",
        "residual": "1e-3",
    }
    with client(brook_server) as http:
        study = {**PIPES, "title": "Pipes in time", "set_up": {**PIPES["set_up"], "timing": timing}}
        slug = take_in(http, Study.model_validate(study))
        up_to_date(http, slug)
        runs = {}
        for name in ("long", "short"):
            where = http.get(f"/studies/{slug}/results/{name}").text.split('id="scene-view"')[1]
            runs[name] = where.split('data-run="')[1].split('"')[0]

        def layer(moment="", quantity="speed", **more):
            recipe = json.dumps({"kind": "cut", "through": [0.04, 0, 0], "across": [1, 0, 0]})
            return http.get(f"/studies/{slug}/variants/long/layer/{runs['long']}.bin",
                            params={"quantity": quantity, "recipe": recipe, "moment": moment, **more})  # fmt: skip

        pressures = [numbers_of(layer(m, "pressure").content)["mean"] for m in ("0000", "0001", "0002", "")]
        assert len({round(p, 9) for p in pressures[:3]}) == 3
        assert pressures[2] == pytest.approx(pressures[3], rel=1e-4)  # the last one is the end, but for 32 bits
        assert numbers_of(layer("0001").content)["mean"] == pytest.approx(0.02, rel=0.03)
        assert layer("0001", less=f"short:{runs['short']}").status_code == 200
        for moment, quantity, words in (
            ("0000", "averaged_speed", "nothing was averaged yet"),
            ("0077", "speed", "only what is drawn flat"),
        ):
            refused = layer(moment, quantity)
            assert refused.status_code == 422
            assert words in refused.json()["detail"]
        assert layer("../../x").status_code == 422
    opened(browser, f"{brook_server}/studies/{slug}/results/long")
    wait(browser, lambda: "mean speed" in said(browser))
    browser.execute_script(
        "const s = document.querySelector('#moment'); s.value = 0; s.dispatchEvent(new Event('input'))"
    )
    wait(browser, lambda: text_of(browser, "#moment-says") == "0.4 s; curves and tables are of the end")
    shown = int(attribute(browser, "#scene-view", "data-pictures"))
    browser.execute_script("document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'k', bubbles: true}))")
    wait(browser, lambda: int(attribute(browser, "#scene-view", "data-pictures")) > shown + 3)
    assert attribute(browser, "#play", "aria-pressed") == "true"
    press(browser, "#play")
    # beside one another at the same time, with the same camera
    with client(brook_server) as http:
        picture = {
            "layers": [{"kind": "cut", "through": [0.04, 0, 0], "across": [1, 0, 0]}],
            "look": None,
            "colours": "smooth",
        }
        post(http, slug, "add_plate_in_space", quantity="pressure", title="Across", picture=json.dumps(picture))
    browser.get(f"{brook_server}/studies/{slug}/compare?plate=across")
    wait(browser, lambda: (attribute(browser, "#stage", "data-drawn") or "").startswith("scene"))
    legend = text_of(browser, "#legend")
    browser.execute_script(
        "const s = document.querySelector('#moment'); s.value = 0; s.dispatchEvent(new Event('input'))"
    )
    wait(browser, lambda: text_of(browser, "#moment-says") == "0.4 s; curves and tables are of the end")
    wait(browser, lambda: text_of(browser, "#legend") != legend)
    assert not complaints(browser)
