"""Cells in rows and bodies of their own on the pages: put together, meshed, taken out as files and brought in again."""

import io

import numpy as np
import pytest

from brook.core.mesh.files import read_mesh, write_mesh
from brook.core.study import Study
from tests.core.test_mesh_files import halved
from tests.web.driving import all_of, complaints, press, text_of, type_into, wait
from tests.web.helpers import client, document, take_in
from tests.web.test_shapes import settled

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture
def empty(brook_server):
    study = {"title": "Rows", "variants": [{"name": "weir", "title": "Weir", "geometry": {"kind": "space"}}],
             "set_up": {"boundaries": [{"kind": "velocity", "patch": "left", "speed": "5 mm/s"}, {"kind": "pressure", "patch": "right"}]}}  # fmt: skip
    with client(brook_server) as http:
        return take_in(http, Study.model_validate(study))


def test_a_sheet_is_put_together_meshed_taken_out_and_brought_in(brook_server, browser, empty):
    at = f"{brook_server}/studies/{empty}"
    browser.get(f"{at}/geometry/weir")
    browser.execute_script("const s = document.querySelector('[aria-label=\"Kind of solid\"]'); s.value = 'sheet'")
    press(browser, "form[hx-post$='add_solid'] button")
    wait(browser, lambda: "brings its own cells, with 4 patches" in text_of(browser, "#headline"), 60)
    press(browser, "[aria-label='Leave cells of sheet empty']")
    wait(browser, lambda: "leave no cell" in text_of(browser, "#headline"), 60)
    press(browser, "[aria-label='Add columns after 1 of sheet']")
    wait(browser, lambda: all_of(browser, "[aria-label='End of columns 2 of sheet']"))
    press(browser, "[aria-label='Add rows after 1 of sheet']")
    wait(browser, lambda: all_of(browser, "[aria-label='End of rows 2 of sheet']"))
    wait(browser, lambda: "with 5 patches" in text_of(browser, "#headline"), 60)
    type_into(browser, "First cell of columns 2 of sheet", "1 mm")
    type_into(browser, "Cells of columns 2 of sheet", "25")
    settled(browser)

    browser.get(f"{at}/mesh/weir")
    wait(browser, lambda: "brings its own cells" in text_of(browser, ".sheet"))
    press(browser, ".sheet button.do")
    wait(browser, lambda: "This mesh will do" in text_of(browser, ".sheet"), 60)
    link = all_of(browser, "a[href$='.cgns']")[0].get_attribute("href")
    with client(brook_server) as http:
        answer = http.get(link)
        assert answer.status_code == 200
        mesh = read_mesh("weir.cgns", answer.content)
        assert mesh.is_plane
        assert http.get(link.replace(".cgns", ".stl")).status_code == 404
        page = {"page": "geometry", "name": "weir"}
        http.post(f"/studies/{empty}/act/remove", data={"pointer": "/variants/0/geometry/parts/0", **page})
        sent = http.post(
            f"/studies/{empty}/geometry/weir/files",
            files={"file": ("weir.cgns", io.BytesIO(answer.content))},
            data=page,
        )
        assert sent.status_code == 200
    part = document(brook_server, empty).variants[0].geometry.parts[0]
    assert part.file == "weir.cgns"
    with client(brook_server) as http:
        http.post(f"/studies/{empty}/edit", data={"pointer": "/variants/0/geometry/parts/0/unit", "value": "m", **page})
    browser.get(f"{at}/geometry/weir")
    wait(browser, lambda: "with 5 patches" in text_of(browser, "#headline"), 60)
    browser.get(f"{at}/mesh/weir")
    press(browser, ".sheet button.do")
    wait(
        browser, lambda: f"{mesh.cell_count}" in text_of(browser, ".sheet table:last-of-type").replace("\u202f", ""), 60
    )
    assert np.isfinite(mesh.volume).all()
    assert not complaints(browser)


def test_a_body_of_its_own_is_meshed_with_the_fluid_around_and_the_flow_is_shown(brook_server, browser, empty):
    names = {side: side for side in ("south", "north", "floor", "lid")} | {"west": "left", "east": "right"}
    with client(brook_server) as http:
        raw = document(brook_server, empty).model_dump(mode="json")
        raw["variants"][0]["geometry"] = {
            "kind": "space",
            "parts": [{"kind": "box", "name": "duct", "width": "60 mm", "depth": "20 mm", "height": "20 mm", "patches": names},
                      {"kind": "sphere", "name": "stone", "action": "apart", "x": "25 mm", "y": "10 mm", "z": "10 mm", "diameter": "9 mm",
                       "patch": "stone"}],
            "bodies": [{"name": "water", "x": "3 mm", "y": "10 mm", "z": "10 mm"},
                       {"name": "stone", "holds": "solid", "x": "25 mm", "y": "10 mm", "z": "10 mm"}],
        }  # fmt: skip
        raw["mesh_plan"] |= {"bulk": "4 mm", "wall": "2.5 mm", "patches": {"stone": "1.5 mm"}}
        assert http.put(f"/api/studies/{empty}/document", json=raw).status_code == 200
    at = f"{brook_server}/studies/{empty}"
    browser.get(f"{at}/geometry/weir")
    wait(
        browser,
        lambda: "water: closed" in text_of(browser, "#headline") and "stone: closed" in text_of(browser, "#headline"),
        60,
    )
    browser.get(f"{at}/mesh/weir")
    press(browser, "[aria-label='Add layers along walls']")
    wait(browser, lambda: all_of(browser, "[aria-label='On which side of walls between bodies']"))
    type_into(browser, "Number of layers", "2")
    press(browser, ".sheet button.do")
    wait(browser, lambda: "Cells in stone" in text_of(browser, ".sheet"), 90)
    assert "Layers along stone" in text_of(browser, ".sheet")
    with client(brook_server) as http:
        http.post(f"/studies/{empty}/bring-up-to-date", data={"page": "run", "only": "weir", "until": "readings"})
    browser.get(f"{at}/results/weir")
    wait(browser, lambda: "Ledger of flow" in text_of(browser, ".sheet"), 120)
    wait(browser, lambda: browser.execute_script("return document.querySelector('#field')?.width > 100"))
    assert not complaints(browser)


def test_bodies_of_a_mesh_file_can_be_given_materials(brook_server, browser, empty, tmp_path):
    write_mesh(tmp_path / "halves.vtu", halved((4, 2, 2), ("plate", "stream"), "joint"))
    file = {"file": ("halves.vtu", (tmp_path / "halves.vtu").read_bytes())}
    with client(brook_server) as http:
        page = {"page": "geometry", "name": "weir"}
        assert http.post(f"/studies/{empty}/geometry/weir/files", files=file, data=page).status_code == 200
    browser.get(f"{brook_server}/studies/{empty}/geometry/weir")
    wait(browser, lambda: "8 in plate, 8 in stream, with 7 patches" in text_of(browser, "#headline"), 60)
    assert all_of(browser, "#patch-rows tr[data-patch='joint']")
    with client(brook_server) as http:
        for action, said in (("set_heat", {"on": "yes"}), ("set_material", {"body": "plate", "kind": "copper"})):
            done = http.post(f"/studies/{empty}/act/{action}", data={**said, "page": "set-up", "name": "weir"})
            assert done.status_code == 200
        page = http.get(f"/studies/{empty}/set-up/weir").text
    assert "Material of plate" in page
    assert "Material of stream" in page
    assert document(brook_server, empty).set_up.materials["plate"].substance == "copper"
