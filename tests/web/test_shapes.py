"""Shapes in space in a real browser: from a defective file to a closed, named fluid, and on to another file."""

import json

import pytest
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver import ActionChains, Keys

from brook.core.geometry.files import write_file
from brook.core.study import Study
from brook.demo.spray_header import Header, drawn_header, with_defects
from tests.core.surfaces import cube
from tests.web.driving import all_of, complaints, each, keys, one, press, send, text_of, type_into, wait
from tests.web.helpers import client, document, take_in

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def headers(tmp_path_factory):
    """Two headers with two branches, as files in mm: the first with defects, the second with its branches elsewhere."""
    folder = tmp_path_factory.mktemp("shapes")
    first = with_defects(drawn_header(Header((0.05, 0.15), length=0.2)))
    second = drawn_header(Header((0.06, 0.18), length=0.25))
    paths = []
    for name, surface in (("header", first), ("longer-header", second)):
        path = folder / f"{name}.stl"
        path.write_bytes(write_file(path.name, surface.placed(1000 * surface.points)))
        paths.append(path)
    return paths


def settled(browser):
    """The page is shown, and nothing is being made."""
    script = "return document.querySelector('#stage')?.dataset.opened && document.querySelector('#space-view')?.dataset.state === 'shown' && !document.querySelector('.working, .htmx-request')"
    return wait(browser, lambda: browser.execute_script(script))


def send_file(browser, selector, path):
    send(browser, f"{selector} input[type=file]", str(path))
    press(browser, f"{selector} button[type=submit]")


def enter(browser, selector, text):
    """Types into a field and presses Enter; begins again when the page was swapped in between."""
    for _ in range(5):
        try:
            send(browser, selector, Keys.CONTROL, "a")
            send(browser, selector, text, Keys.ENTER)
            return
        except StaleElementReferenceException:
            continue
    raise AssertionError(f"nothing could be typed into {selector}")


def finding_counts(browser):
    script = "return [...document.querySelectorAll('button.finding')].map((b) => b.textContent.trim().split(/\\s+(.*)/).slice(0, 2))"
    return {words: int(count) for count, words in browser.execute_script(script)}


def close_as(browser, beside, name):
    """Names the opening at a patch."""
    script = """
      const form = [...document.querySelectorAll('form.opening')].find((f) => f.querySelector('b').textContent === arguments[0]);
      form.querySelector('[name=patch]').value = arguments[1];
      form.requestSubmit();"""
    browser.execute_script(script, beside, name)
    wait(browser, lambda: one(browser, f"input[value='{name}']"))
    settled(browser)


def test_a_defective_header_becomes_a_closed_named_fluid_and_another_file_takes_its_place(
    brook_server, browser, headers
):
    browser.get(f"{brook_server}/")
    send(browser, "#title", "Header from nothing")
    send(browser, "#kind", "a shape")
    press(browser, "form[action='/studies'] button")
    wait(browser, lambda: "There is no shape yet" in text_of(browser, "#stage"))

    # what is no shape is refused in one line, and changes nothing
    bad = headers[0].with_name("bad.stl")
    bad.write_bytes(b"solid nonsense\nfacet nowhere\n")
    send_file(browser, "form.bring", bad)
    wait(browser, lambda: "was not taken in" in text_of(browser, ".notice"))

    send_file(browser, "form.bring", headers[0])
    wait(browser, lambda: all_of(browser, ".units"))
    settled(browser)
    assert "likely" in text_of(browser, ".units .likely")
    press(browser, ".units .unit.likely")  # millimetres
    wait(browser, lambda: "box 200 mm × 63.0 mm × 106 mm" in text_of(browser, ".space-sheet"))
    settled(browser)

    found = finding_counts(browser)
    assert found["triangles turned against their neighbours"] == 9
    assert found["double triangles"] == 1
    assert found["holes and slits"] == 6  # inlet, two outlets, the boss, the seam, a hair
    keys(browser, "n")
    wait(browser, lambda: text_of(browser, ".space-ring").startswith("hole of 60 edges"))

    for beside, name in (("header", "inlet"), ("branch_1", "outlet_1"), ("branch_2", "outlet_2")):
        close_as(browser, beside, name)
    assert len(all_of(browser, "form.opening")) == 1  # only the hole is left to decide about

    enter(browser, "#findings [name=largest]", "300 mm")
    wait(browser, lambda: all_of(browser, "#do-all"))
    assert "triangles turned against their neighbours 9 → 0" in text_of(browser, "#proposal")
    press(browser, "#do-all")
    wait(browser, lambda: "No defects" in text_of(browser, "#findings"))
    settled(browser)
    assert "now set the wet point" in text_of(browser, "#headline")

    press(browser, "#body-form button")
    wait(browser, lambda: "closed, volume" in text_of(browser, "#headline"))
    settled(browser)
    assert "water: closed, volume 650 mL, 7 patches" in text_of(browser, "#headline")

    send_file(browser, ".part details", headers[1])
    wait(browser, lambda: "4 of 4 patches are found by name" in text_of(browser, ".swap"))
    press(browser, ".swap button[type=submit]")
    wait(browser, lambda: "box 250 mm" in text_of(browser, ".space-sheet"))
    settled(browser)
    assert "closed, volume 805 mL, 7 patches" in text_of(browser, "#headline")
    names = browser.execute_script(
        "return [...document.querySelectorAll('#patch-rows tr')].map((r) => r.dataset.patch).sort()"
    )
    assert names == ["branch_1", "branch_2", "end", "header", "inlet", "outlet_1", "outlet_2"]
    browser.execute_script("document.querySelector('#undo').click()")
    wait(browser, lambda: "box 200 mm" in text_of(browser, ".space-sheet"))
    expected = [c for c in complaints(browser) if "422" not in c["message"]]
    assert not expected
    _mesh_of_it(brook_server, browser)


def _mesh_of_it(brook_server, browser):
    """The plan with its estimate, a size at one patch, the mesh built and cut on the page."""
    browser.get(browser.current_url.split("?")[0].replace("/geometry", "/mesh"))
    wait(browser, lambda: "This will make about" in text_of(browser, ".sheet"))
    browser.execute_script("document.querySelector('[name=patch]').value = 'outlet_1'")
    enter(browser, "input[name=size]", "3 mm")
    wait(browser, lambda: "At outlet_1 they are at most" in text_of(browser, ".sheet"))
    press(browser, ".sheet button.do")
    wait(browser, lambda: "As built" in text_of(browser, ".sheet"), 90)
    assert "This mesh will do" in text_of(browser, ".verdict-line")
    wait(browser, lambda: browser.execute_script("return document.querySelector('#field')?.width > 100"))
    assert "Cut across" in text_of(browser, "#stage")


@pytest.fixture
def open_cube(brook_server, tmp_path):
    """A study with a cube of 1 m without its lid."""
    surface = cube()
    surface = surface.only(surface.patch != surface.patches.index("lid"))
    study = Study.model_validate(
        {"title": "Box", "variants": [{"name": "box", "title": "Box", "geometry": {"kind": "space"}}]}
    )
    with client(brook_server) as http:
        slug = take_in(http, study)
        content = write_file("box.obj", surface)
        answer = http.post(
            f"/studies/{slug}/geometry/box/files", files={"file": ("box.obj", content)}, data={"page": "geometry"}
        )
        assert answer.status_code == 200, answer.text
        http.post(
            f"/studies/{slug}/edit",
            data={"page": "geometry", "pointer": "/variants/0/geometry/parts/0/unit", "value": "m", "name": "box"},
        )
    return slug


def test_a_step_is_tried_shown_and_kept_or_left(brook_server, browser, open_cube):
    browser.get(f"{brook_server}/studies/{open_cube}/geometry/box")
    settled(browser)
    press(browser, ".fill-opening")
    wait(browser, lambda: "2 triangles more" in text_of(browser, ".trial"))
    settled(browser)
    wait(browser, lambda: "try=" in browser.current_url)
    press(browser, "#leave-trial")
    wait(browser, lambda: not all_of(browser, ".trial"))
    assert not document(brook_server, open_cube).variants[0].geometry.steps
    press(browser, ".fill-opening")
    wait(browser, lambda: all_of(browser, "#keep-trial"))
    press(browser, "#keep-trial")
    wait(browser, lambda: "Fill the hole" in text_of(browser, "#mend-steps"))
    settled(browser)
    assert "holds 1.00 m³" in text_of(browser, "#headline")


def test_the_view_turns_cuts_hides_and_stands_in_the_address(brook_server, browser, open_cube):
    browser.get(f"{brook_server}/studies/{open_cube}/geometry/box")
    settled(browser)
    keys(browser, "z")
    keys(browser, "c")
    press(browser, "#patch-rows tr[data-patch='west'] .hide-patch")
    wait(browser, lambda: all(part in browser.current_url for part in ("view=", "hide=west", "cut=x:0.5")))
    address = browser.current_url
    browser.get(f"{brook_server}/studies/{open_cube}")
    browser.execute_script("sessionStorage.clear()")
    browser.get(address)
    settled(browser)
    assert text_of(browser, "tr[data-patch='west'] .hide-patch") == "show"
    assert browser.execute_script("return document.querySelector('#cut-axis').value") == "x"
    before = browser.execute_script("return location.search")
    send(browser, ".space-canvas", Keys.ARROW_LEFT)
    wait(browser, lambda: browser.execute_script("return location.search") != before)
    keys(browser, "a")
    wait(browser, lambda: "hide=" not in browser.current_url)


def test_a_patch_gets_another_name_everywhere(brook_server, browser, open_cube):
    browser.get(f"{brook_server}/studies/{open_cube}/geometry/box")
    settled(browser)
    type_into(browser, "Name of the patch floor", "bed")
    wait(browser, lambda: all_of(browser, "tr[data-patch='bed']"))
    step = document(brook_server, open_cube).variants[0].geometry.steps[0]
    assert json.loads(step.model_dump_json()) == {"kind": "rename", "patch": "floor", "to": "bed"}


def test_edges_are_measured_and_patches_in_a_box_become_one(brook_server, browser, open_cube):
    browser.get(f"{brook_server}/studies/{open_cube}/geometry/box")
    settled(browser)
    keys(browser, "z")
    canvas = one(browser, ".space-canvas")
    browser.execute_script("arguments[0].value = 'edge'; arguments[0].onchange()", one(browser, "#pick-kind"))
    ActionChains(browser).move_to_element(canvas).click().perform()
    wait(browser, lambda: "edge 1.414 m long; bends by 0.0°; within floor" in text_of(browser, "#pick-words"))
    browser.execute_script("arguments[0].value = 'box'; arguments[0].onchange()", one(browser, "#pick-kind"))
    width, height = canvas.size["width"] - 20, canvas.size["height"] - 20
    drag = ActionChains(browser).move_to_element_with_offset(canvas, -width // 2, -height // 2).click_and_hold()
    drag.move_by_offset(width // 2, height // 2).move_by_offset(width // 2 - 5, height // 2 - 5).release().perform()
    wait(browser, lambda: "5 patches" in text_of(browser, "#pick-words"))
    type_into(browser, "Name of all these patches together", "walls")
    press(browser, "#pick-does button:last-child")
    wait(browser, lambda: all_of(browser, "tr[data-patch='walls']"))
    rows = each(browser, "#patch-rows tr", "data-patch")
    assert not {"west", "east", "south", "north", "floor"} & set(rows)
