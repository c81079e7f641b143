"""From a defective file over a wrap to a mesh with layers, its worst cell, and the same plan on another file."""

import pytest
from selenium.common.exceptions import ElementNotInteractableException, StaleElementReferenceException, TimeoutException

from brook.core.study import Study
from tests.web.driving import all_of, attribute, complaints, press, text_of, type_into, wait
from tests.web.helpers import client, document, take_in
from tests.web.test_shapes import close_as, enter, headers, send_file, settled

__all__ = ["headers"]
pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture
def defective(brook_server, headers):
    """A study with the defective header in mm."""
    empty = {"title": "Wrapped", "variants": [{"name": "header", "title": "Header", "geometry": {"kind": "space"}}]}
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate(empty))
        page = {"page": "geometry", "name": "header"}
        file = {"file": (headers[0].name, headers[0].read_bytes())}
        http.post(f"/studies/{slug}/geometry/header/files", files=file, data=page)
        unit = {"pointer": "/variants/0/geometry/parts/0/unit", "value": "mm", **page}
        assert http.post(f"/studies/{slug}/edit", data=unit).status_code == 200
        plan = {"bulk": "12 mm", "wall": "6 mm"}
        for name, size in plan.items():
            http.post(f"/studies/{slug}/edit", data={"pointer": f"/mesh_plan/{name}", "value": size, "page": "mesh"})
    return slug


def test_a_defective_header_is_wrapped_and_meshed_with_layers(brook_server, browser, headers, defective):
    at = f"{brook_server}/studies/{defective}"
    browser.get(f"{at}/geometry/header")
    settled(browser)
    press(browser, "button[aria-label^='Wrap it']")
    wait(browser, lambda: all_of(browser, "input[aria-label='x of the wet point of the wrap']"))
    type_into(browser, "x of the wet point of the wrap", "100 mm")

    # all is open: the leak is told, drawn, and looked at
    wait(browser, lambda: "leaks out through a hole" in text_of(browser, ".space-sheet"), 120)
    settled(browser)
    press(browser, "#show-leak")
    wait(browser, lambda: text_of(browser, ".space-ring").startswith("leak, about"))

    for beside, name in (("header", "inlet"), ("branch_1", "outlet_1"), ("branch_2", "outlet_2")):
        close_as(browser, beside, name)
    type_into(browser, "Width of holes that are closed", "12 mm")
    type_into(browser, "Size of triangles of the wrap", "2.5 mm")
    wait(browser, lambda: "The surface is closed" in text_of(browser, "#headline"), 90)
    settled(browser)
    press(browser, "#body-form button")
    wait(browser, lambda: "closed, volume" in text_of(browser, "#headline"), 60)
    settled(browser)
    assert "7 patches" in text_of(browser, "#headline")

    # how far the wrap lies from what it wraps, as colour: caps span the openings
    press(browser, "#show-away")
    wait(browser, lambda: "mm away, 99 % of its area" in text_of(browser, "#tool-says"), 60)
    assert "distance of the wrap from what is wrapped, mm" in text_of(browser, "#legend")
    press(browser, "#show-away")
    wait(browser, lambda: not text_of(browser, "#legend").strip())

    browser.get(f"{at}/mesh/header")
    wait(browser, lambda: "This will make about" in text_of(browser, ".sheet"))
    press(browser, "[aria-label='Add layers along walls']")
    wait(browser, lambda: all_of(browser, "[aria-label='Number of layers']"))
    type_into(browser, "Number of layers", "3")
    type_into(browser, "Height of layers", "0.6 mm")
    wait(browser, lambda: "all together 2.18 mm" in text_of(browser, ".sheet"))
    press(browser, ".sheet button.do")
    wait(browser, lambda: "Layers along header" in text_of(browser, ".sheet"), 90)
    assert "will do" in text_of(browser, ".verdict-line")
    first = text_of(browser, ".sheet table:last-of-type")

    # what cells are bad at, on the cut that the page begins with; the worst cell, near; then a cut elsewhere
    wait(browser, lambda: browser.execute_script("return document.querySelector('#field')?.width > 100"))
    for quantity in ("non_orthogonality", "skewness", "layer", "size"):
        browser.execute_script(
            "const q = document.querySelector('#quantity'); q.value = arguments[0]; q.dispatchEvent(new Event('change'))",
            quantity,
        )
        wait(browser, lambda quantity=quantity: attribute(browser, "#stage", "data-drawn") == quantity)
    assert not all_of(browser, ".picture-problem")
    press(browser, ".show-cell")
    wait(browser, lambda: attribute(browser, "#stage", "data-drawn") != "mesh")
    browser.execute_script(
        "const a = document.querySelector('#cut-across'); a.value = 'x'; a.dispatchEvent(new Event('change'))"
    )
    wait(browser, lambda: attribute(browser, "#field", "data-axes") == "yz")
    enter(browser, "#cut-place", "900 mm")
    wait(browser, lambda: "the mesh lies between" in text_of(browser, "#cut-place-why"))
    enter(browser, "#cut-place", "60 mm")
    wait(browser, lambda: "/x/0.06" in attribute(browser, "#field", "data-mesh"))

    # another file in the same place: the same wrap, plan and names
    browser.get(f"{at}/geometry/header")
    settled(browser)
    send_file(browser, ".part details", headers[1])
    wait(browser, lambda: "4 of 4 patches are found by name" in text_of(browser, ".swap"))
    press(browser, ".swap button[type=submit]")
    wait(
        browser,
        lambda: "closed, volume" in text_of(browser, "#headline") and "box 250 mm" in text_of(browser, ".space-sheet"),
        90,
    )
    browser.get(f"{at}/mesh/header")
    wait(browser, lambda: "out of date" in text_of(browser, ".sheet"))
    press(browser, ".sheet button.do")
    wait(
        browser,
        lambda: "As built" in text_of(browser, ".sheet") and "out of date" not in text_of(browser, ".sheet"),
        90,
    )
    assert text_of(browser, ".sheet table:last-of-type") != first
    assert document(brook_server, defective).mesh_plan.layers.number == 3
    assert not [c for c in complaints(browser) if "422" not in c["message"]]


def test_what_cannot_be_is_said_where_it_was_typed(brook_server, browser, defective):
    browser.get(f"{brook_server}/studies/{defective}/mesh/header")
    press(browser, "[aria-label='Add layers along walls']")
    wait(browser, lambda: all_of(browser, "[aria-label='Height of layers']"))
    wait(browser, lambda: all_of(browser, "form[hx-post$='/act/add_layers'] option"), 60)
    press(browser, "form[hx-post$='/act/add_layers'] button")
    wait(browser, lambda: "every other wall" in text_of(browser, ".sheet"))
    assert len(document(brook_server, defective).mesh_plan.layers.groups[0].patches) == 1
    press(browser, "[aria-label='Layers there are as the others']")
    wait(browser, lambda: "every other wall" not in text_of(browser, ".sheet"))
    type_into(browser, "Height of layers", "20 mm")
    wait(browser, lambda: "all layers together would be" in text_of(browser, ".sheet"))
    type_into(browser, "Growth from layer to layer", "7")
    wait(browser, lambda: "each layer may be 1 to 2 times" in text_of(browser, ".sheet"))
    size = "[aria-label='Size of cells in the zone']"
    entered(browser, size, "50 mm", lambda: "may not be larger than in the bulk" in text_of(browser, ".sheet"))
    entered(browser, size, "2 mm", lambda: document(brook_server, defective).mesh_plan.zones)
    assert document(brook_server, defective).mesh_plan.zones[0].size == "2 mm"


def entered(browser, selector, text, shown):
    """Types into a field and waits for what follows; again where the page was swapped under the keys."""
    for _ in range(5):
        try:
            enter(browser, selector, text)
            wait(browser, shown, 8)
        except (TimeoutException, StaleElementReferenceException, ElementNotInteractableException):
            continue
        return
    raise AssertionError(f"nothing came of {text} in {selector}")
