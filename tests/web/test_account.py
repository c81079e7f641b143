"""What a mesh lost of a shape, on its page: told, shown, mended by a key; and a run that does not begin."""

import pytest

from tests.core.test_account import tray, valve
from tests.web.driving import attribute, complaints, press, text_of, wait
from tests.web.helpers import client, document, plain, take_in, up_to_date

pytestmark = [pytest.mark.browser, pytest.mark.server]


def test_what_a_mesh_lost_is_told_shown_and_mended(brook_server, browser):
    case = valve()
    with client(brook_server) as http:
        slug = take_in(http, case)
        up_to_date(http, slug)
        board = plain(http.get(f"/studies/{slug}").text)
        assert "will not do" in board
        assert "not begun: the mesh lost 98 % of housing" in board
    browser.get(f"{brook_server}/studies/{slug}/mesh/a")
    wait(browser, lambda: "it lost 98" in text_of(browser, ".verdict-line"))
    assert "a gap of 500 µm against cells of 2." in text_of(browser, ".loss")
    wait(browser, lambda: browser.execute_script("return document.querySelector('#field')?.width > 100"))
    browser.execute_script("document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'n', bubbles: true}))")
    wait(
        browser, lambda: attribute(browser, "#field", "data-mesh").split("/cut/")[1][0] in "xz"
    )  # beyond the mesh along y
    press(browser, "[aria-label='Cells of at most 0.25 mm at ball']")
    wait(browser, lambda: document(brook_server, slug).mesh_plan.patches == {"ball": "0.25 mm"})
    # allowed, the mesh is the same and its verdict another
    with client(brook_server) as http:
        for pointer, value in (("/mesh_plan/losses", "100 %"),):
            http.post(f"/studies/{slug}/act/drop_patch_size", data={"patch": "ball", "page": "mesh", "name": "a"})
            http.post(f"/studies/{slug}/edit", data={"pointer": pointer, "value": value, "page": "mesh", "name": "a"})
        page = plain(http.get(f"/studies/{slug}/mesh/a").text)
        assert "This mesh will do" in page
        assert "The mesh lost 98 % of housing" in page
        assert "Build this mesh" not in page
    assert not complaints(browser)


def test_what_a_plane_mesh_lost_is_walked_through_on_its_canvas(brook_server, browser):
    with client(brook_server) as http:
        slug = take_in(http, tray("boxes", "12 mm"))
        up_to_date(http, slug)
        assert "not begun: the mesh lost" in plain(http.get(f"/studies/{slug}").text)
    browser.get(f"{brook_server}/studies/{slug}/mesh/a")
    wait(browser, lambda: "of baffle" in text_of(browser, ".verdict-line"))
    wait(browser, lambda: browser.execute_script("return document.querySelector('#field')?.width > 100"))
    browser.execute_script("document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'n', bubbles: true}))")
    wait(
        browser,
        lambda: browser.execute_script(
            "return document.querySelector('#quantity').value == 'size' && document.activeElement.id == 'field'"
        ),
    )
    press(browser, "[aria-label^='Cells of at most'][aria-label$='at baffle']")
    wait(browser, lambda: document(brook_server, slug).mesh_plan.patches == {"baffle": "1 mm"})
    assert not complaints(browser)
