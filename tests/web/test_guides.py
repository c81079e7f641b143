"""The guides, tried step by step: what each step names in bold is on the page when it is done, and no step is left out or told twice."""

import re
import subprocess
import sys
from contextlib import contextmanager
from pathlib import Path

import pytest

from brook import demo
from brook.core.study import Study
from brook.core.study.document import study_from
from tests.core.studies import tray
from tests.core.test_time import channel
from tests.runs.test_afar import Cluster
from tests.web.driving import all_of, attribute, click, drawn, press, send, text_of, type_into, wait
from tests.web.helpers import client, document, take_in, up_to_date
from tests.web.test_shapes import close_as, headers, send_file, settled
from tests.web.test_time_and_heat import choose

__all__ = ["headers"]
pytestmark = [pytest.mark.browser, pytest.mark.server]
DOCS = Path(__file__).parents[2] / "docs"
GUIDES = DOCS / "guides"
WORDS = """
const parts = [document.body.innerText, document.title];
for (const one of document.querySelectorAll("[aria-label], [title], [placeholder]")) parts.push(one.ariaLabel ?? "", one.title, one.placeholder ?? "");
for (const one of document.querySelectorAll("option, button, summary, a, h1, h2, input")) parts.push(one.textContent, one.value ?? "");
return parts.join("\\n");
"""


class Guide:
    """A guide that is walked through."""

    def __init__(self, name, browser):
        self.browser, self.at = browser, 0
        self.steps = re.findall(r"^\d+\. (.+)$", (GUIDES / name).read_text(), re.M)

    @contextmanager
    def step(self, begins):
        """The next step, which begins with these words; what it has in bold is there before or after it."""
        said = self.steps[self.at]
        assert said.replace("*", "").startswith(begins), said
        before = self.browser.execute_script(WORDS).lower()
        yield re.findall(r"`([^`]+)`", said)
        after = self.browser.execute_script(WORDS).lower()
        for label in re.findall(r"\*\*([^*]+)\*\*", said):
            assert label.lower() in before or label.lower() in after, f"no “{label}” on the page of step {self.at + 1}"
        self.at += 1

    def end(self):
        assert self.at == len(self.steps), self.steps[self.at :]


def test_pictures_and_addresses_of_the_guides_are_there():
    for guide in GUIDES.glob("*.md"):
        for target in re.findall(r"\]\(([^)#]+)\)", guide.read_text()):
            assert target.startswith("http") or (guide.parent / target).exists(), f"{guide.name}: {target}"
    readme = (DOCS.parent / "README.md").read_text()
    assert all(f"docs/guides/{g.name}" in readme for g in GUIDES.iterdir())


def test_a_first_study(brook_server, browser):
    with client(brook_server) as http:
        whole = study_from(demo.studies()[0].model_dump(mode="json") | {"points": []})
        slug = take_in(http, whole)
        up_to_date(http, slug)
    guide, name = Guide("first-study.md", browser), "hanging_and_standing"
    browser.get(brook_server)
    with guide.step("On the shelf, open"):
        click(browser, f"a[href='/studies/{slug}']")
        wait(browser, lambda: text_of(browser, "#answer") == "Only “Hanging and standing” holds every limit.")
    with guide.step("A row is a variant"):
        click(browser, f"#row-{name} th a")
        wait(browser, lambda: all_of(browser, "svg.drawing"))
    with guide.step("Type `33 mm`") as (size,):
        type_into(browser, "hanging", size)
        wait(browser, lambda: "out of date" in text_of(browser, "aside.sheet"))
    with guide.step("Back on the Board"):
        click(browser, "nav.pages a")
        wait(browser, lambda: all_of(browser, f"#row-{name} td.stale"))
        press(browser, ".board-actions button.do")
    with guide.step("On Runs"):
        browser.get(f"{brook_server}/studies/{slug}/run/{name}")
        wait(browser, lambda: text_of(browser, ".state-line") == "converged", 300)
    with guide.step("Results shows"):
        browser.get(f"{brook_server}/studies/{slug}/results/{name}")
        wait(browser, lambda: drawn(browser, "speed"))
        send(browser, "#quantity", "pressure")
        wait(browser, lambda: drawn(browser, "pressure"))
    with guide.step("Compare has"):
        browser.get(f"{brook_server}/studies/{slug}/compare")
        wait(browser, lambda: all_of(browser, "#ranked"))
    with guide.step("Press Undo"):
        press(browser, "#undo")
        wait(browser, lambda: document(brook_server, slug) == whole)
        browser.get(f"{brook_server}/studies/{slug}")
        wait(browser, lambda: not all_of(browser, "td.stale"))
    guide.end()


def test_from_a_cad_file_to_a_mesh(brook_server, browser, headers):
    empty = {"title": "Drawn header", "variants": [{"name": "header", "title": "Header", "geometry": {"kind": "space"}}], "mesh_plan": {"bulk": "12 mm", "wall": "6 mm"}}  # fmt: skip
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate(empty))
    at, guide = f"{brook_server}/studies/{slug}", Guide("cad-to-mesh.md", browser)
    browser.get(f"{at}/geometry/header")
    wait(browser, lambda: all_of(browser, "form.bring"))
    with guide.step("On Geometry of a variant"):
        send_file(browser, "form.bring", headers[0])
        wait(browser, lambda: "header.stl" in text_of(browser, ".space-sheet"), 60)
    with guide.step("The file does not say its unit") as (unit,):
        page = {"page": "geometry", "name": "header", "pointer": "/variants/0/geometry/parts/0/unit", "value": unit}
        with client(brook_server) as http:  # a choice of the sheet
            assert http.post(f"/studies/{slug}/edit", data=page).status_code == 200
        browser.refresh()
        settled(browser)
    with guide.step("Press Wrap it") as (place,):
        press(browser, "button[aria-label^='Wrap it']")
        wait(browser, lambda: all_of(browser, "input[aria-label='x of the wet point of the wrap']"))
        type_into(browser, "x of the wet point of the wrap", place)
        wait(browser, lambda: "leaks out through a hole" in text_of(browser, ".space-sheet"), 120)
    with guide.step("The water leaks out") as names:
        settled(browser)
        press(browser, "#show-leak")
        for beside, name in zip(("header", "branch_1", "branch_2"), names, strict=True):
            close_as(browser, beside, name)
    with guide.step("Type `12 mm`") as (width, size):
        type_into(browser, "Width of holes that are closed", width)
        type_into(browser, "Size of triangles of the wrap", size)
        wait(browser, lambda: "The surface is closed" in text_of(browser, "#headline"), 90)
    with guide.step("Take the water out"):
        settled(browser)
        press(browser, "#body-form button")
        wait(browser, lambda: "closed, volume" in text_of(browser, "#headline"), 60)
        settled(browser)
    browser.get(f"{at}/mesh/header")
    wait(browser, lambda: "This will make about" in text_of(browser, ".sheet"))
    with guide.step("On Mesh the sheet says") as (height,):
        press(browser, "[aria-label='Add layers along walls']")
        wait(browser, lambda: all_of(browser, "[aria-label='Number of layers']"))
        type_into(browser, "Number of layers", "3")
        type_into(browser, "Height of layers", height)
        wait(browser, lambda: "all together" in text_of(browser, ".sheet"))
    with guide.step("Press Build this mesh"):
        press(browser, ".sheet button.do")
        wait(browser, lambda: "Layers along header" in text_of(browser, ".sheet"), 90)
        assert all_of(browser, ".show-cell")
    guide.end()


def test_how_far_to_trust_a_number(brook_server, browser):
    with client(brook_server) as http:
        slug = take_in(http, tray(title="How sure"))
    name, first = "hanging", "still"
    guide = Guide("how-sure.md", browser)
    browser.get(f"{brook_server}/studies/{slug}")
    wait(browser, lambda: all_of(browser, "#aim-form"))

    def ended(what):
        wait(
            browser,
            lambda: all_of(browser, ".aim-said") and re.match(f"{what}.*ended", text_of(browser, ".aim-said")),
            150,
        )

    with guide.step("On the Board, press"):
        press(browser, "#aim-form button[value=decide]")
        ended("Until it is decided")
    with guide.step("Press Bands for every"):
        press(browser, "#aim-form button[value=bands]")
        ended("Bands")
    with guide.step("Readings now stand"):
        wait(browser, lambda: "±" in text_of(browser, "#stage"))
        with client(brook_server) as http:  # a limit within the band
            reading = http.get(f"/api/studies/{slug}/variants/{name}").json()["readings"][0]
            limit = f"{100 * reading['value']:.5f} %"
            value = {"pointer": "/requirements/0/limit/value", "value": limit, "page": "board"}
            assert http.post(f"/studies/{slug}/edit", data=value).status_code == 200
        browser.refresh()
        wait(browser, lambda: "undecided" in text_of(browser, f"#row-{name}"))
    with guide.step("Press how sure"):
        press(browser, f"#row-{name} [data-requirement={first}] .sure-link")
        wait(browser, lambda: all_of(browser, f"#{first} .series-graph"))
    with guide.step("What a band does not know"):
        browser.get(f"{brook_server}/evidence")
        wait(browser, lambda: all_of(browser, "table"))
    guide.end()


def test_heat(brook_server, browser):
    raw = channel().model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate(raw))
    at, guide = f"{brook_server}/studies/{slug}", Guide("heat.md", browser)
    browser.get(f"{at}/set-up/duct")
    with guide.step("On Set-up, say"):
        choose(browser, "Whether temperatures are computed", "computed too")
        wait(browser, lambda: "say the temperature of what enters through inlet" in text_of(browser, ".sheet"))
    with guide.step("Choose the patch") as (patch, warm):
        browser.execute_script("document.querySelector('[aria-label=\"Patch of the heat statement\"]').value = arguments[0]", patch)  # fmt: skip
        press(browser, "form[hx-post$='set_heat_patch'] button")
        wait(browser, lambda: all_of(browser, "[aria-label='Temperature of inlet']"))
        type_into(browser, "Temperature of inlet", "30 mm")
        wait(browser, lambda: "what is written is a length" in text_of(browser, ".sheet"))
        assert attribute(browser, "[aria-label='Temperature of inlet']", "value") == "30 mm"
        type_into(browser, "Temperature of inlet", warm)
        wait(browser, lambda: "what is written is a length" not in text_of(browser, ".sheet"))
    with guide.step("Say that the flow is") as (duration,):
        choose(browser, "Steady or in time", "is followed in time")
        wait(browser, lambda: "Fields are kept every" in text_of(browser, ".sheet"))
        type_into(browser, "Duration", duration)
        wait(browser, lambda: document(brook_server, slug).set_up.timing.duration == duration)
    browser.get(f"{at}/run/duct")
    with guide.step("On Runs press"):
        press(browser, ".sheet button.do")
        wait(browser, lambda: text_of(browser, ".state-line") == "ran to its end", 200)
    browser.get(f"{at}/results/duct")
    with guide.step("Results has the field"):
        wait(browser, lambda: attribute(browser, "#stage", "data-drawn"))
        assert all_of(browser, "#moment, [aria-label*='oment']")
    guide.end()


def test_a_cluster(browser, tmp_path):
    from brook.web.server import create_app
    from tests.conftest import serving

    guide, cluster = Guide("cluster.md", browser), None
    browser.get("about:blank")
    try:
        with guide.step("The key."):
            data = tmp_path / "data"
            told = subprocess.run([sys.executable, "-m", "brook.cli", "keys", "--data", str(data)], capture_output=True, text=True, check=True)  # fmt: skip
            assert "queue.pem" in told.stdout
            data.rename(tmp_path / "other")
        with guide.step("The scheduler,"):
            cluster = Cluster(tmp_path)
            assert cluster.address.startswith("tls://")
        with guide.step("A worker on each"):
            cluster.add()
            cluster.add()
        with serving(create_app(cluster.data, scheduler=cluster.address)) as address, guide.step("The server:"):
            browser.get(f"{address}/desk")
            wait(browser, lambda: "A cluster of 2 workers" in text_of(browser, "#stage"), 60)
            wait(browser, lambda: "2 with 1 core and" in text_of(browser, "#stage"))
            with client(address) as http:
                slug = take_in(http, tray(title="On a cluster"))
                up_to_date(http, slug)
            browser.get(f"{address}/desk")
            wait(browser, lambda: len(all_of(browser, "#ended tbody tr")) == 2)
    finally:
        if cluster is not None:
            cluster.close()
    guide.end()
