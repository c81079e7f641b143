"""How readings go on, forces and accounts on the page of results: spectra with their peaks, windows, points to compare with, patches together."""

import pytest

from brook.core.study import Study
from tests.core.test_time import channel
from tests.web.driving import all_of, complaints, press, send, text_of, type_into, wait
from tests.web.helpers import client, document, take_in, up_to_date

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def swinging(brook_server):
    """A duct in which the flow swings twice a second, followed for four."""
    timing = {"duration": "4 s", "step": "0.05 s", "keep_every": "0.2 s"}
    raw = channel(timing, "0.1 m/s * (1 + 0.5 * sin(2 * pi * t / 0.5 s))").model_dump(mode="json")
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate(raw))
        up_to_date(http, slug)
        return slug


SPECTRUM = ".curve-plot:last-of-type"


def test_a_spectrum_names_what_swings_and_is_compared_with_points(brook_server, browser, swinging, tmp_path):
    browser.get(f"{brook_server}/studies/{swinging}/results/duct")
    wait(browser, lambda: all_of(browser, "#add-course"))
    browser.execute_script("document.querySelector('#add-course [name=shows]').value = 'spectrum'")
    press(browser, "#add-course button")
    wait(browser, lambda: "it swings at 2.0" in text_of(browser, ".plot-differences"))
    assert "say a reference length for Strouhal numbers" in text_of(browser, ".plot-differences")
    with client(brook_server) as http:
        http.post(
            f"/studies/{swinging}/edit",
            data={"pointer": "/set_up/reference/length", "value": "0.1 m", "page": "results", "name": "duct"},
        )
    browser.refresh()
    wait(browser, lambda: "Strouhal number 2 (" in text_of(browser, ".plot-differences"))  # 2 Hz × 0.1 m over 0.1 m/s
    plot = document(brook_server, swinging).courses[0]
    with client(brook_server) as http:
        curve = http.get(f"/studies/{swinging}/courses/{plot.name}/curves.json", params={"variants": "duct"}).json()
        assert (curve["x_unit"], curve["x_title"]) == ("Hz", "frequency")
        assert (
            http.get(f"/studies/{swinging}/courses/{plot.name}.xlsx", params={"variants": "duct"}).content[:2] == b"PK"
        )
    highest = max((y, x) for x, y in zip(curve["curves"][0]["x"], curve["curves"][0]["y"], strict=True))
    table = tmp_path / "measured.csv"
    table.write_text(f"f [Hz], p [{curve['y_unit']}]\n{highest[1]}, {highest[0]}\n")
    browser.execute_script("document.querySelector('.plot-details').open = true")
    send(browser, ".curve-plot input[type=file]", str(table))
    press(browser, ".curve-plot form[hx-encoding] button")
    wait(browser, lambda: "measured · differs by 0 %" in text_of(browser, ".plot-differences"))
    browser.execute_script("document.querySelector('.plot-details').open = true")
    type_into(browser, f"Begin of the window of {plot.title}", "7 s")
    wait(browser, lambda: "the window holds nothing of that" in text_of(browser, ".curve-plot"))
    browser.execute_script("document.querySelector('.plot-details').open = true")
    type_into(browser, f"Begin of the window of {plot.title}", "3 furlong")
    wait(browser, lambda: "furlong" in text_of(browser, ".plot-details .why"))
    assert complaints(browser) == []


def test_what_no_requirement_asks_for_is_followed_too(brook_server, browser, swinging):
    """The run did not watch it: it is read of the moments that it kept; a word that is no reading is refused where it is written."""
    browser.get(f"{brook_server}/studies/{swinging}/results/duct")
    wait(browser, lambda: all_of(browser, "#add-course"))
    browser.execute_script("document.querySelector('#add-course [name=written]').value = 'outlet.spede.mean'")
    press(browser, "#add-course button")
    wait(browser, lambda: "cannot be read on a patch" in text_of(browser, "#add-course"))
    browser.execute_script("document.querySelector('#add-course [name=written]').value = 'outlet.speed.mean'")
    press(browser, "#add-course button")
    wait(browser, lambda: "moments that the run kept" in text_of(browser, SPECTRUM))
    plot = document(brook_server, swinging).courses[-1]
    assert plot.readings == ("outlet.speed.mean",)
    with client(brook_server) as http:
        data = http.get(f"/studies/{swinging}/courses/{plot.name}/curves.json", params={"variants": "duct"}).json()
    (curve,) = data["curves"]
    assert data["words"] == "mean speed of outlet"
    assert len(curve["x"]) >= 18
    factor = {"m/s": 1.0, "mm/s": 1000.0}[data["y_unit"]]
    assert max(curve["y"]) == pytest.approx(0.15 * factor, rel=0.1)  # 0.1 m/s and half of it more
    # points beside it, typed, of columns by their names
    data = {
        "typed": "u [mm/s], run, t [s]\n150, 1, 0.5\n100, 2, 1\n", "title": "By hand", "position_column": "t", "value_column": "u",
        "page": "results", "name": "duct",
    }  # fmt: skip
    with client(brook_server) as http:
        address = f"/studies/{swinging}/courses/{plot.name}/reference"
        assert http.post(address, data=data).status_code == 200
        points = document(brook_server, swinging).courses[-1].references[0]
        assert (points.title, points.position, points.value) == ("By hand", (0.5, 1.0), (0.15, 0.1))
        assert "no column &#39;w&#39;" in http.post(address, data=data | {"value_column": "w"}).text
        assert "the table is empty" in http.post(address, data=data | {"typed": ""}).text
    assert complaints(browser) == []


def test_forces_of_patches_that_are_picked_and_accounts_that_close(brook_server, browser, swinging):
    browser.get(f"{brook_server}/studies/{swinging}/results/duct")
    wait(browser, lambda: all_of(browser, ".forces"))
    browser.execute_script("document.querySelector('.forces').scrollIntoView()")
    wait(browser, lambda: "2 together" in text_of(browser, ".forces-table"))
    assert "Moment about 0 mm, 0 mm" in text_of(browser, ".together")
    press(browser, "#force-of-lid")
    wait(browser, lambda: "1 together" in text_of(browser, ".forces-table"))
    browser.execute_script(
        "const u = document.querySelector('#force-unit'); u.value = 'lbf'; u.dispatchEvent(new Event('change', {bubbles: true}))"
    )
    wait(browser, lambda: "lbf m" in text_of(browser, ".together"))
    assert "1 together" in text_of(browser, ".forces-table")
    accounts = text_of(browser, ".ledgers")
    assert "Mass closes" in accounts
    assert "Momentum along x" in accounts
    assert "stored" in accounts or "given up" in accounts
    assert len(all_of(browser, "svg.goes .band")) >= 2
    assert complaints(browser) == []
