"""What goes out to other programs, from the page and the command line: fields, scenes, movies; and why one does not."""

import json
import zipfile
from io import BytesIO
from itertools import pairwise

import meshio
import numpy as np
import pytest
import trimesh
from PIL import Image
from typer.testing import CliRunner
from vtkmodules.vtkIOCGNSReader import vtkCGNSReader
from vtkmodules.vtkIOHDF import vtkHDFReader

from brook.cli import app
from brook.core.study import Study
from tests.core.test_fields_out import array_of, grid_of
from tests.web.driving import all_of, complaints, drawn, press, text_of, wait
from tests.web.helpers import client, take_in, up_to_date
from tests.web.test_space_results import PIPES

pytestmark = [pytest.mark.browser, pytest.mark.server]

LINES = {"kind": "streamlines", "begin": "line", "places": [[0.01, -0.005, 0.0], [0.01, 0.005, 0.0]], "count": 6}
CUT = {"kind": "cut", "through": [0.03, 0, 0], "across": [0, 1, 0]}


@pytest.fixture(scope="module")
def pipes(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate({**PIPES, "title": "Pipes handed out"}))
        up_to_date(http, slug)
        for title, layer in (("Moving", LINES), ("Still", CUT)):
            picture = {"layers": [layer], "look": None, "colours": "smooth"}
            data = {"quantity": "speed", "title": title, "picture": json.dumps(picture), "page": "results"}
            assert http.post(f"/studies/{slug}/act/add_plate_in_space", data=data).status_code == 200
    return slug


@pytest.fixture
def command(brook_app, pipes):
    folder = ["--data", str(brook_app.state.studio.store.data)]

    def run(name, *more):
        return CliRunner().invoke(app, [name, pipes, *folder, *map(str, more)])

    return run


def test_fields_are_written_from_the_page(brook_server, browser, pipes, tmp_path):
    at = f"{brook_server}/studies/{pipes}/results/long"
    browser.get(at)
    wait(browser, lambda: all_of(browser, "#make-file"))
    browser.execute_script("""
      const form = document.querySelector('#make-file');
      form.querySelector('[value=vorticity_size]').checked = true;
      form.kind.value = 'vtkhdf';""")
    press(browser, "#make-file > button")
    wait(browser, lambda: "The file" in text_of(browser, "#file-says"), 60)
    link = all_of(browser, "#file-says a")[0].get_attribute("href")
    with client(brook_server) as http:
        path = tmp_path / "a.vtkhdf"
        path.write_bytes(http.get(link).content)
        grid = grid_of(vtkHDFReader(), path)
        speed = array_of(grid, "speed")
        assert speed.max() == pytest.approx(0.04, rel=0.05)  # twice the mean
        assert array_of(grid, "vorticity_size").shape == speed.shape
        patches = tmp_path / "p.vtu"
        patches.write_bytes(http.get(f"/studies/{pipes}/variants/long/patches.vtu").content)
        assert "friction" in meshio.read(patches).cell_data
        for data, words in (
            ({"kind": "cgns", "of": "patches"}, "take .vtu or .vtkhdf for patches"),
            ({"kind": "vtu", "when": "every"}, "this run kept no moments"),
            ({"kind": "vtu", "quantity": "wish"}, "there is no quantity"),
        ):
            begun = http.post(f"{at}/files", data=data).text
            order = begun.split("/made/")[1][:16] if "/made/" in begun else ""
            if order:
                wait(browser, lambda o=order: "No file" in http.get(f"{at}/made/{o}").text, 60)
                begun = http.get(f"{at}/made/{order}").text
            assert words in begun
        assert http.post(f"{at}/files", data={"kind": "doc"}).status_code == 422
    assert complaints(browser) == []


def test_what_is_seen_is_saved_as_a_scene(brook_server, browser, pipes):
    browser.get(f"{brook_server}/studies/{pipes}/results/long?plate=moving")
    wait(browser, lambda: drawn(browser, "speed"))
    browser.execute_script("""
      window.kept = null;
      const made = URL.createObjectURL;
      URL.createObjectURL = (blob) => { window.kept = blob; return made(blob); };""")
    press(browser, "#scene-file")
    wait(browser, lambda: text_of(browser, "#tool-says") == "The scene is saved.", 60)
    size = browser.execute_script("return window.kept.size")
    with client(brook_server) as http:
        run = browser.execute_script("return document.querySelector('#scene-view').dataset.run")
        plate = {"name": "seen", "title": "Seen", "quantity": "speed", "layers": [LINES, CUT]}
        at = f"/studies/{pipes}/variants/long/scene/{run}.glb"
        answer = http.post(at, json={"plate": json.dumps(plate)})
        scene = trimesh.load(BytesIO(answer.content), file_type="glb")
        assert {name.split(" ", 1)[1] for name in scene.geometry} == {"streamlines lines", "cut"}
        assert size > 1000
        assert (
            "streamlines"
            in http.post(at, json={"plate": json.dumps({**plate, "layers": [{**LINES, "places": []}]})}).text
        )
        assert http.post(at, json={"plate": "{}"}).status_code == 422
    assert complaints(browser) == []


def test_the_same_on_the_command_line(command, pipes, tmp_path):
    done = command("fields", "--variant", "long", "--out", tmp_path / "a.cgns", "--quantity", "total_pressure")
    assert done.exit_code == 0, done.output
    reader = vtkCGNSReader()
    reader.SetFileName(str(tmp_path / "a.cgns"))
    reader.UpdateInformation()
    reader.EnableAllCellArrays()
    zone = grid_of(reader, tmp_path / "a.cgns").GetBlock(0).GetBlock(0)
    assert array_of(zone, "VelocityMagnitude").max() == pytest.approx(0.04, rel=0.05)
    assert array_of(zone, "PressureStagnation").max() > array_of(zone, "Pressure").max()
    for more, words in (
        (("--variant", "wide"), "'wide' is not a variant"), (("--variant", "long", "--every-moment"), "written as .zip"),
        (("--variant", "long", "--of", "lines"), "'lines' has no values"),
    ):  # fmt: skip
        refused = command("fields", *more, "--out", tmp_path / "b.vtu")
        assert refused.exit_code == 1
        assert words in refused.output
    assert not (tmp_path / "b.vtu").exists()
    assert "fields are written as" in command("fields", "--variant", "long", "--out", tmp_path / "b.doc").output
    assert command("picture", "--plate", "still", "--variant", "long", "--out", tmp_path / "s.glb").exit_code == 0
    assert "cut" in next(iter(trimesh.load(tmp_path / "s.glb").geometry))


def frames_of(path):
    with zipfile.ZipFile(path) as packed:
        return [np.asarray(Image.open(packed.open(name))).astype(int) for name in packed.namelist()]


def test_dashes_go_along_streamlines_and_variants_into_one_another(command, tmp_path):
    size = ("--size", "400x300", "--variant", "long")
    done = command(
        "movie", "--plate", "moving", "--over", "flow", "--pictures", "8", "--out", tmp_path / "f.zip", *size
    )
    assert done.exit_code in (0, 2), done.output
    frames = frames_of(tmp_path / "f.zip")
    assert len(frames) == 8
    assert all(np.abs(a - b).max() > 60 for a, b in pairwise(frames))  # it moves
    # as many dashes in each: what comes in goes out
    dashes = [(np.abs(f[40:340] - frames[0][60, 5]).max(axis=2) > 60).sum() for f in frames]
    assert max(dashes) < 1.3 * min(dashes)
    done = command(
        "movie", "--plate", "still", "--over", "variants", "--pictures", "10", "--out", tmp_path / "v.zip", *size
    )
    assert done.exit_code == 0, done.output
    frames = frames_of(tmp_path / "v.zip")
    assert np.abs(frames[0] - frames[2]).max() == 0  # one stands,
    assert np.abs(frames[0] - frames[5]).max() > 60  # the other stands,
    assert (
        0 < np.abs(frames[4] - frames[0]).mean() < np.abs(frames[5] - frames[0]).mean()
    )  # and between them it goes over
    refused = command("movie", "--plate", "still", "--over", "flow", "--out", tmp_path / "n.webm", *size)
    assert "no streamlines along which something could go" in refused.output
    assert "it is time, turn, cut, flow, variants" in command("movie", "--plate", "still", "--over", "wish", "--out", tmp_path / "n.webm", *size).output  # fmt: skip
