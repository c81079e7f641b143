"""Solids from files that touch, on the pages: what they share, what nearly touches, and who touches whom in the mesh."""

import io

import pytest

from brook.core.geometry.files import write_file
from brook.core.study.document import study_from
from tests.core.test_bodies import box
from tests.core.test_contacts import divided, moved, named
from tests.core.test_sheets import SHEETS
from tests.web.driving import attribute, click, text_of, wait
from tests.web.helpers import client, document, plain, take_in

pytestmark = [pytest.mark.browser, pytest.mark.server]


def study():
    bodies = [("water", "fluid", 10, 10, 10), ("plate", "solid", 35, 15, 5), ("chip", "solid", 45, 25, 12)]
    return study_from({
        "format": "brook-study", "version": 1, "title": "Driver on a plate",
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "bodies": [
            {"name": n, "holds": h, "x": f"{x} mm", "y": f"{y} mm", "z": f"{z} mm"} for n, h, x, y, z in bodies]}}],
        "mesh_plan": {"bulk": "5 mm", "wall": "2.5 mm"},
        "set_up": {"boundaries": []},
    })  # fmt: skip


def files(apart):
    duct = divided(named(box("duct", (0, 0, 0), (0.1, 0.06, 0.04)), "duct"), 1)
    plate = divided(named(box("plate", (0.03, 0.01, 0), (0.04, 0.04, 0.01)), "plate"), 2)
    chip = named(box("chip", (0.04, 0.02, 0.01), (0.01, 0.01, 0.005)), "chip")
    return {"duct": duct, "plate": plate, "chip": moved(divided(chip, 3), z=apart)}


def test_solids_from_files_touch_within_a_tolerance_that_stands_on_the_page(brook_server, browser):
    with client(brook_server) as http:
        slug = take_in(http, study())
        page = {"page": "geometry", "name": "a"}
        for k, (name, surface) in enumerate(files(2e-5).items()):
            content = write_file("part.stl", surface.placed(1000 * surface.points))
            sent = http.post(
                f"/studies/{slug}/geometry/a/files", files={"file": (f"{name}.stl", io.BytesIO(content))}, data=page
            )
            assert sent.status_code == 200
            http.post(
                f"/studies/{slug}/edit", data={"pointer": f"/variants/0/geometry/parts/{k}/unit", "value": "mm", **page}
            )
    browser.get(f"{brook_server}/studies/{slug}/geometry/a")
    wait(browser, lambda: "chip and plate nearly touch over 1.00 cm²" in text_of(browser, "#touching"), 60)
    assert "plate and duct share 16.0 cm²" in text_of(browser, "#touching")
    with client(brook_server) as http:
        http.post(
            f"/studies/{slug}/edit", data={"pointer": "/variants/0/geometry/touching", "value": "0.05 mm", **page}
        )
    browser.get(f"{brook_server}/studies/{slug}/geometry/a")
    wait(browser, lambda: "chip and plate share 1.00 cm²" in text_of(browser, "#touching"), 60)
    assert document(brook_server, slug).variants[0].geometry.touching == "0.05 mm"
    with client(brook_server) as http:
        http.post(f"/studies/{slug}/bring-up-to-date", data={"page": "mesh", "name": "a", "only": "a", "until": "mesh"})
    browser.get(f"{brook_server}/studies/{slug}/mesh/a")
    wait(browser, lambda: "plate touches chip" in plain(browser.page_source), 90)


def test_a_patch_that_is_to_end_in_the_water_is_said_to_be_a_sheet(brook_server, browser):
    tank = {"kind": "box", "name": "tank", "x": "0 m", "y": "0 m", "z": "0 m", "width": "3 m", "depth": "1 m", "height": "1 m",
            "patches": dict.fromkeys(("west", "east", "south", "north", "floor", "lid"), "wall")}  # fmt: skip
    body = {"name": "water", "x": "0.1 m", "y": "0.1 m", "z": "0.1 m"}
    raw = study().model_dump(mode="json") | {"title": "Baffle"}
    raw["variants"][0]["geometry"] = {"kind": "space", "parts": [tank], "bodies": [body]}
    raw["mesh_plan"] = {"bulk": "200 mm", "wall": "100 mm"}
    page = {"page": "geometry", "name": "a"}
    with client(brook_server) as http:
        slug = take_in(http, study_from(raw))
        content = write_file("part.stl", SHEETS["bent"]())
        sent = http.post(
            f"/studies/{slug}/geometry/a/files", files={"file": ("vane.stl", io.BytesIO(content))}, data=page
        )
        assert sent.status_code == 200
        http.post(f"/studies/{slug}/edit", data={"pointer": "/variants/0/geometry/parts/1/unit", "value": "m", **page})
    browser.get(f"{brook_server}/studies/{slug}/geometry/a")
    button = '[aria-label="vane is a sheet with fluid on both sides"]'
    wait(browser, lambda: attribute(browser, button, "type") is not None, 60)
    assert "say that vane is a sheet" in plain(browser.page_source)
    click(browser, button)
    wait(browser, lambda: "5480 cm² on each side" in text_of(browser, "#closing"), 60)
    assert document(brook_server, slug).variants[0].geometry.sheets == ("vane",)
    assert "water: closed" in plain(browser.page_source)
    with client(brook_server) as http:
        http.post(f"/studies/{slug}/bring-up-to-date", data={"page": "mesh", "name": "a", "only": "a", "until": "mesh"})
    browser.get(f"{brook_server}/studies/{slug}/mesh/a")
    wait(browser, lambda: "1.10 m²" in plain(browser.page_source), 90)
