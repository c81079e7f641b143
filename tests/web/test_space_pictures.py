"""Pictures in space: layers are added, moved and read off, kept as plates and drawn for all variants."""

import json
from io import BytesIO

import av
import httpx
import numpy as np
import pytest
from selenium.webdriver import ActionChains
from typer.testing import CliRunner

from brook.cli import app
from brook.core.study import Study
from tests.web.driving import all_of, at_rest, complaints, dragged, drawn, each, one, press, text_of, wait
from tests.web.helpers import client, document, take_in, up_to_date
from tests.web.test_space_results import PIPES, enter

pytestmark = [pytest.mark.browser, pytest.mark.server]


@pytest.fixture(scope="module")
def pipes(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate({**PIPES, "title": "Pipes looked at"}))
        up_to_date(http, slug)
    return slug


def opened(browser, address):
    browser.get(address)
    browser.execute_script("sessionStorage.clear()")
    browser.get(address)
    wait(browser, lambda: drawn(browser, "speed"))


def said(browser, k=0):
    found = each(browser, ".layer .layer-says")
    return found[k] if k < len(found) else ""


def add(browser, kind):
    press(
        browser,
        f".layer-add button:nth-of-type({['cut', 'walls', 'surface', 'cylinder', 'streamlines'].index(kind) + 1})",
    )


def pixels(browser):
    """How many different colours the canvas shows, roughly."""
    script = """
      const c = document.querySelector('.space-canvas'), p = c.getContext('2d').getImageData(0, 0, c.width, c.height).data, seen = new Set();
      for (let k = 0; k < p.length; k += 64) seen.add((p[k] >> 4) << 8 | (p[k + 1] >> 4) << 4 | p[k + 2] >> 4);
      return seen.size"""
    return browser.execute_script(script)


def test_a_picture_in_space_is_built_of_layers(brook_server, browser, pipes):
    opened(browser, f"{brook_server}/studies/{pipes}/results/long")
    wait(browser, lambda: "mean speed" in said(browser))
    assert said(browser).startswith("23.")  # cm²: nearly 20 mm by 120 mm
    wait(browser, lambda: pixels(browser) > 40)
    coloured = pixels(browser)

    # across the pipe: the mean of Poiseuille's flow, by its own place; one that misses is said and nothing moves
    enter(browser, ".layer [aria-label='Cut across']", "x")
    wait(browser, lambda: "mean speed 20.0 mm/s" in said(browser))
    enter(browser, ".layer [aria-label='Place of the cut']", "150 mm")
    assert said(browser) == "the mesh lies between 0 mm and 120 mm along this direction"
    enter(browser, ".layer [aria-label='Place of the cut']", "90 mm")
    wait(browser, lambda: "mean speed 20.0 mm/s" in said(browser))

    # turned askew it is typed by two angles, and moved along the direction it has then: an ellipse, longer by 1/cos 60°
    enter(browser, ".layer [aria-label='Cut across']", "askew")
    wait(browser, lambda: all_of(browser, ".layer [type=number]"))
    enter(browser, ".layer [aria-label='Turned round z, in degrees']", "60")
    enter(browser, ".layer [aria-label='Turned up, in degrees']", "0")
    wait(browser, lambda: said(browser).startswith("6.") and "mean speed 20.0" in said(browser))
    place = "return document.querySelector(\".layer [aria-label='Place of the cut']\").value"
    assert browser.execute_script(place).startswith("30")  # half of 120 mm, times cos 60°
    enter(browser, ".layer [aria-label='Place of the cut']", "200 mm")
    assert "lies between" in said(browser)
    enter(browser, ".layer [aria-label='Place of the cut']", "40 mm")
    wait(browser, lambda: said(browser).startswith("6.") and "mean speed 20.0" in said(browser))
    enter(browser, ".layer [aria-label='Cut across']", "x")
    wait(browser, lambda: said(browser).startswith("3.") and "mean speed 20.0" in said(browser))
    enter(browser, ".layer [aria-label='Place of the cut']", "90 mm")

    # its handle follows the pointer
    place = "document.querySelector(\".layer [aria-label='Place of the cut']\").value"
    dragged(browser, ".cut-handle", (60, 25), lambda: browser.execute_script(f"return {place}") != "90 mm")
    moved = float(browser.execute_script(f"return {place}").split()[0])
    assert 90 < moved < 120

    # where it is as fast as half the largest speed: a tube of 1/√2 of the radius
    add(browser, "surface")
    wait(browser, lambda: "% of what is meshed" in said(browser, 1))
    enter(browser, ".layer [aria-label='Value on the surface']", "20 mm/s")
    wait(browser, lambda: "mean speed 20" in said(browser, 1))
    assert float(said(browser, 1).split(" cm²")[0]) == pytest.approx(53.3, abs=2)
    enter(browser, ".layer [aria-label='Value on the surface']", "3 Pa")
    assert said(browser, 1) == "a value in mm/s"
    enter(browser, ".layer [aria-label='Value on the surface']", "90 mm/s")
    wait(browser, lambda: said(browser, 1).startswith("Nowhere: speed goes from 0 mm/s to 40"))

    # on a cylinder of half the radius the speed is ¾ of the largest everywhere
    add(browser, "cylinder")
    wait(browser, lambda: "mean speed" in said(browser, 2))
    enter(browser, ".layer [aria-label='Radius of the cylinder']", "5 mm")
    for axis in "yz":
        enter(browser, f".layer [aria-label='{axis} of the axis']", "0")
    wait(browser, lambda: said(browser, 2).startswith("37.") and "mean speed 30" in said(browser, 2))
    enter(browser, ".layer [aria-label='Radius of the cylinder']", "50 mm")
    wait(browser, lambda: said(browser, 2) == "Not shown: this cylinder does not cut this mesh.")
    press(browser, ".layer.cylinder button[title]")

    # the fluid is followed from one end to the other
    add(browser, "streamlines")
    wait(browser, lambda: "24 streamlines; ends: 24 end; 24 from patch to patch in 3.0" in said(browser, 2))
    assert len(all_of(browser, ".durations rect")) > 3
    enter(browser, ".layer [aria-label='How they are drawn']", "1")
    enter(browser, "#motes", "1")
    wait(browser, lambda: pixels(browser) > coloured)
    enter(browser, "#motes", "")

    # walls in pressure, one of them by name; a strange name is said
    add(browser, "walls")
    wait(browser, lambda: "mean speed" in said(browser, 3))
    enter(browser, ".layer [aria-label='Patches, separated by commas']", "wall")
    assert said(browser, 3) == "there is no patch wall; there are start, end, side"
    enter(browser, ".layer [aria-label='Patches, separated by commas']", "side")
    enter(browser, "#quantity", "pressure")
    wait(browser, lambda: "mean pressure 97" in said(browser, 3))
    enter(browser, "#colour-how", "bands")
    wait(browser, lambda: len({*each(browser, "#legend rect[fill^=rgb]", "fill")}) == 9)

    # speed goes by decades; a velocity has none, which is said, and it stays round nothing
    ends = "return [...document.querySelectorAll('#legend .handle')].slice(0, 1).flatMap(h => ['min', 'max'].map(e => Number(h.getAttribute(`aria-value${e}`))))"
    enter(browser, "#quantity", "speed")
    enter(browser, "#colour-how", "log")
    wait(browser, lambda: "speed" in text_of(browser, "#legend") and browser.execute_script(ends)[0] > 0)
    enter(browser, "#quantity", "velocity_x")
    wait(browser, lambda: "no decades" in text_of(browser, "#legend"))
    low, high = browser.execute_script(ends)
    assert low == pytest.approx(-high)
    enter(browser, "#colour-how", "smooth")
    enter(browser, "#quantity", "pressure")
    wait(browser, lambda: "mean pressure 97" in said(browser, 3))

    # the view is kept with the tab
    press(browser, ".layer.patches button[title]")
    wait(browser, lambda: len(all_of(browser, ".layer")) == 3)
    browser.refresh()
    wait(browser, lambda: drawn(browser, "pressure"))
    wait(browser, lambda: len(all_of(browser, ".layer")) == 3)
    assert not [c for c in complaints(browser) if "422" not in c["message"]]


def test_values_are_read_under_the_pointer_and_seeds_and_planes_are_clicked(brook_server, browser, pipes):
    opened(browser, f"{brook_server}/studies/{pipes}/results/long")
    canvas = one(browser, ".space-canvas")
    browser.execute_script("document.querySelector('[data-look=y]').click()")

    def at(x, y, click=False):
        moves = (
            ActionChains(browser)
            .move_to_element_with_offset(canvas, x - 1, y)
            .move_to_element_with_offset(canvas, x, y)
        )
        (moves.click() if click else moves).perform()

    def strip():
        at(70, 0)
        return "speed 39" in text_of(browser, "#strip") or "speed 40" in text_of(browser, "#strip")

    wait(browser, strip)  # in the middle of the pipe
    add(browser, "streamlines")
    wait(browser, lambda: "24 streamlines" in said(browser, 1))
    enter(browser, ".layer [aria-label='Where streamlines begin']", "places")
    wait(browser, lambda: "Click where" in text_of(browser, "#tool-says"))
    at(70, 0, click=True)
    wait(browser, lambda: said(browser, 1).startswith("1 streamline; ends: 1 end; 1 from patch to patch in 3.0"))
    at(40, 10, click=True)
    wait(browser, lambda: said(browser, 1).startswith("2 streamlines"))
    browser.execute_script("document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'Escape', bubbles: true}))")
    wait(browser, lambda: text_of(browser, "#tool-says").strip() == "")
    # three places on one line make no plane
    enter(browser, ".layer [aria-label='Cut across']", "three")
    wait(browser, lambda: "three places" in text_of(browser, "#tool-says"))
    for x in (-60, 40, 90):
        at(x, 0, click=True)
    wait(browser, lambda: "on one line" in text_of(browser, "#tool-says"))
    enter(browser, ".layer [aria-label='Cut across']", "look")
    wait(browser, lambda: "faces you" in text_of(browser, "#tool-says"))
    assert not complaints(browser)


def test_a_plate_in_space_is_drawn_for_all_variants_and_says_where_one_has_nothing(brook_server, browser, pipes):
    opened(browser, f"{brook_server}/studies/{pipes}/results/long")
    enter(browser, ".layer [aria-label='Cut across']", "x")
    wait(browser, lambda: "mean speed 20.0" in said(browser))
    enter(browser, ".layer [aria-label='Place of the cut']", "90 mm")
    wait(browser, lambda: "mean speed 20.0" in said(browser))
    # the other variant less this one: it has no fluid there
    enter(browser, "#less", "short")
    wait(browser, lambda: "100 % of it lies where the other has no fluid" in said(browser))
    enter(browser, ".layer [aria-label='Place of the cut']", "30 mm")
    wait(browser, lambda: "less Short" in text_of(browser, "#legend"))
    enter(browser, "#less", "")
    enter(browser, ".layer [aria-label='Place of the cut']", "90 mm")
    wait(browser, lambda: "mean speed 20.0" in said(browser))
    enter(browser, "#keep-view [name=title]", "Far down in space")
    press(browser, "#keep-view button")
    wait(browser, lambda: "Far down in space" in text_of(browser, ".plates-list"))
    plate = document(brook_server, pipes).plates[-1]
    assert plate.layers[0].through[0] == pytest.approx(0.09)
    assert plate.look.perspective

    browser.get(f"{brook_server}/studies/{pipes}/compare?plate={plate.name}")
    wait(
        browser,
        lambda: str(browser.execute_script("return document.getElementById('stage').dataset.drawn")).startswith(
            "scene"
        ),
    )
    assert [text.strip() for text in each(browser, ".plate-says")] == ["", "the plane does not cut this mesh"]
    # the cut is dragged in one picture and moves in both
    ActionChains(browser).drag_and_drop_by_offset(at_rest(browser, ".cut-handle"), -70, -30).perform()
    wait(browser, lambda: [text.strip() for text in each(browser, ".plate-says")] == ["", ""])

    browser.get(f"{brook_server}/studies/{pipes}/results/short?plate={plate.name}")
    wait(browser, lambda: "Not shown: the plane does not cut this mesh." in said(browser))
    assert not [c for c in complaints(browser) if "422" not in c["message"]]


def test_what_cannot_be_asked_of_a_layer_is_said(brook_server, pipes):
    base = f"{brook_server}/studies/{pipes}/variants/long"
    run = (
        httpx.get(f"{brook_server}/studies/{pipes}/results/long")
        .text.split('id="scene-view"')[1]
        .split('data-run="')[1][:20]
    )
    cut = {"kind": "cut", "through": [0.06, 0, 0], "across": [1, 0, 0]}
    for recipe, quantity, status, words in (
        (cut, "speed", 200, ""),
        (cut, "nonsense", 404, "nonsense"),
        ({**cut, "across": [0, 0, 0]}, "speed", 422, "a place and a direction"),
        ({**cut, "through": [9, 0, 0]}, "speed", 422, "does not cut this mesh"),
        ({**cut, "sides": 3}, "speed", 422, "sides"),
        ({"kind": "sphere"}, "speed", 422, "sphere"),
        ({"kind": "patches", "patches": ["lid"]}, "speed", 404, "lid"),
        ({"kind": "streamlines", "patch": "side"}, "speed", 422, "nothing passes side"),
        ({"kind": "surface", "of": "nonsense", "level": 1}, "speed", 404, "nonsense"),
        ("{", "speed", 422, "JSON"),
    ):
        asked = {"quantity": quantity, "recipe": recipe if isinstance(recipe, str) else json.dumps(recipe)}
        answer = httpx.get(f"{base}/layer/{run}.bin", params=asked, headers={"accept": "application/json"})
        assert answer.status_code == status, (recipe, answer.text)
        assert words in answer.text or not words
    gone = {"quantity": "speed", "recipe": json.dumps(cut)}
    assert "newer result" in httpx.get(f"{base}/layer/{'0' * 20}.bin", params=gone).text
    assert httpx.get(f"{base}/boundary/{'0' * 20}.bin").status_code == 404
    with client(brook_server) as http:
        for picture, words in (
            ("{}", "no picture in space"),
            ('{"layers": [], "look": null, "colours": "smooth"}', "shows nothing yet"),
        ):
            data = {"quantity": "speed", "picture": picture, "page": "results", "name": "long"}
            assert words in http.post(f"/studies/{pipes}/act/add_plate_in_space", data=data).text


def test_curves_in_space_are_clicked_typed_and_compared(brook_server, browser, pipes):
    opened(browser, f"{brook_server}/studies/{pipes}/results/long")
    browser.execute_script("document.querySelector('[data-look=y]').click()")
    canvas = one(browser, ".space-canvas")
    browser.execute_script("document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'p', bubbles: true}))")
    wait(browser, lambda: "Click the start" in text_of(browser, "#tool-says"))
    for x in (-90, 90):
        ActionChains(browser).move_to_element_with_offset(canvas, x, 12).click().perform()
    wait(browser, lambda: len(all_of(browser, ".curve-plot")) == 1)
    line = document(brook_server, pipes).plots[0].lines[0]
    assert float(line.start_x.split()[0]) > 60 > float(line.end_x.split()[0])  # from +y, x runs to the left
    assert line.start_z == line.end_z
    wait(browser, lambda: len(all_of(browser, "figure.curve-plot[data-shown='1']")) > 0)

    base = f"{brook_server}/studies/{pipes}"
    middle = {
        "start_x": "0 mm",
        "start_y": "0 mm",
        "start_z": "0 mm",
        "end_x": "120 mm",
        "end_y": "0 mm",
        "end_z": "0 mm",
    }
    with client(brook_server) as http:
        http.post(
            f"{base}/act/add_plot",
            data={**middle, "quantity": "pressure", "over": "sections", "title": "Falls", "page": "results"},
        )
        across = {**middle, "start_x": "90 mm", "start_z": "-10 mm", "end_x": "90 mm", "end_z": "10 mm"}
        http.post(
            f"{base}/act/add_plot",
            data={**across, "quantity": "speed", "along": "z", "title": "Across", "page": "results"},
        )
        falls, there = (http.get(f"{base}/plots/{name}/curves.json").json() for name in ("falls", "across"))
    # the pressure falls evenly, Δp = 8 η L ū / R² = 1.92 Pa per 120 mm
    assert falls["words"] == "mean pressure of sections"
    long = falls["curves"][0]
    steps = [b - a for a, b in zip(long["y"], long["y"][1:], strict=False)]
    assert (long["y"][0] - long["y"][-1]) / (59 / 60) == pytest.approx(
        1920 if falls["y_unit"] == "mPa" else 1.92, rel=0.06
    )
    assert min(steps) == pytest.approx(max(steps), rel=0.2)
    # twice the mean in the middle, nothing at the walls; the shorter pipe has nothing there, which its curve says
    assert [c["title"] for c in there["curves"]] == ["Long", "Short (no fluid along this line)"]
    speeds = [v for v in there["curves"][0]["y"] if v is not None]
    assert max(speeds) == pytest.approx(40, rel=0.04)
    assert not complaints(browser)


def test_a_plate_is_drawn_on_the_command_line(brook_app, brook_server, pipes, tmp_path):
    with client(brook_server) as http:
        picture = {
            "layers": [{"kind": "cut", "through": [0.09, 0, 0], "across": [1, 0, 0]}],
            "look": None,
            "colours": "smooth",
        }
        data = {"quantity": "speed", "title": "On paper", "picture": json.dumps(picture), "page": "results"}
        assert http.post(f"/studies/{pipes}/act/add_plate_in_space", data=data).status_code == 200
    folder = ["--data", str(brook_app.state.studio.store.data)]

    def draw(*more):
        return CliRunner().invoke(app, ["picture", pipes, *folder, *more])

    done = draw("--plate", "on_paper", "--out", str(tmp_path / "p.png"), "--size", "400x300")
    assert done.exit_code == 2, done.output  # one of the two has nothing there
    assert "short: cut: the plane does not cut this mesh" in done.output
    assert [p.name for p in tmp_path.iterdir()] == ["p-long.png"]
    assert (tmp_path / "p-long.png").read_bytes()[:4] == b"\x89PNG"
    assert draw("--plate", "on_paper", "--variant", "long", "--out", str(tmp_path / "q.png")).exit_code == 0
    for more, words in (
        (("--plate", "nothing"), "'nothing' is not a plate of this study; there are: "),
        (("--plate", "on_paper", "--variant", "wide"), "'wide' is not a variant of this study; there are: long, short"),
        (("--plate", "on_paper", "--size", "40x30"), "'40x30' is no size"),
    ):
        refused = draw(*more, "--out", str(tmp_path / "r.png"))
        assert refused.exit_code == 1
        assert words in refused.output
    assert "pictures are written as .png" in draw("--plate", "on_paper", "--out", "x.jpg").output


def test_a_plate_turns_and_its_cut_moves_in_a_movie(brook_app, brook_server, pipes, tmp_path):
    with client(brook_server) as http:
        picture = {
            "layers": [{"kind": "cut", "through": [0.09, 0, 0], "across": [1, 0, 0]}],
            "look": None,
            "colours": "smooth",
        }
        data = {"quantity": "speed", "title": "On film", "picture": json.dumps(picture), "page": "results"}
        assert http.post(f"/studies/{pipes}/act/add_plate_in_space", data=data).status_code == 200

    def made(out, *more):
        folder = [
            "--data",
            str(brook_app.state.studio.store.data),
            "--size",
            "400x300",
            "--pictures",
            "3",
            "--out",
            str(tmp_path / out),
        ]
        return CliRunner().invoke(app, ["movie", pipes, "--plate", "on_film", "--variant", "long", *folder, *more])

    for over in ("turn", "cut"):
        done = made(f"{over}.webm", "--over", over)
        assert done.exit_code == 0, done.output
        assert "3 pictures, about" in done.output
        with av.open(str(tmp_path / f"{over}.webm")) as box:
            first, *_, last = [frame.to_ndarray(format="rgb24") for frame in box.decode(video=0)]
        assert first.shape[1] == 400
        assert np.abs(first.astype(int) - last).max() > 60  # it moves
    assert made("p.png", "--over", "cut").exit_code == 0
    assert len(list(tmp_path.glob("p-*.png"))) == 3
    for more, words in (
        (("--over", "time"), "this run kept no moments"), (("--over", "wish"), "'wish' is nothing that goes on; it is time, turn, cut"),
        (("--size", "10x10"), "'10x10' is no size"),
    ):  # fmt: skip
        refused = made("r.webm", *more)
        assert refused.exit_code == 1
        assert words in refused.output
    assert not (tmp_path / "r.webm").exists()
    assert "movies are written as" in made("r.gif", "--over", "turn").output


def test_a_movie_is_made_from_the_page_and_one_that_cannot_be_says_why(brook_server, browser, pipes):
    with client(brook_server) as http:
        picture = {
            "layers": [{"kind": "cut", "through": [0.09, 0, 0], "across": [1, 0, 0]}],
            "look": None,
            "colours": "smooth",
        }
        data = {"quantity": "speed", "title": "Round and round", "picture": json.dumps(picture), "page": "results"}
        assert http.post(f"/studies/{pipes}/act/add_plate_in_space", data=data).status_code == 200
        at = f"{brook_server}/studies/{pipes}/results/long"
        browser.get(at)
        wait(browser, lambda: all_of(browser, "#make-movie"))
        plate = document(brook_server, pipes).plates[-1].name
        browser.execute_script("document.querySelector('#make-movie [name=plate]').value = arguments[0]", plate)
        press(browser, "#make-movie button")
        wait(
            browser,
            lambda: "pictures" in text_of(browser, "#movie-says") or "more" in text_of(browser, "#movie-says"),
            90,
        )
        press(browser, "#movie-says button")  # it takes a while; a shorter one is asked for without the page
        wait(browser, lambda: "No movie: stopped" in text_of(browser, "#movie-says"), 60)
        begun = http.post(f"{at}/movies", data={"plate": plate, "over": "turn", "kind": ".mp4", "pictures": "4"}).text
        film = begun.split("/made/")[1][:16]
        wait(browser, lambda: "The movie" in http.get(f"{at}/made/{film}").text, 90)
        with av.open(BytesIO(http.get(f"{at}/made/{film}/file").content)) as box:
            assert len(list(box.decode(video=0))) == 4
        told = http.post(f"{at}/movies", data={"plate": plate, "over": "time", "pictures": "4"}).text
        if "/made/" in told:  # it may have failed at once
            film = told.split("/made/")[1][:16]
            wait(browser, lambda: "No movie" in http.get(f"{at}/made/{film}").text, 60)
            told = http.get(f"{at}/made/{film}").text
        assert "this run kept no moments" in told
        assert http.get(f"{at}/made/0123456789abcdef").status_code == 404
        assert http.post(f"{at}/movies", data={"plate": plate, "kind": ".gif"}).status_code == 422
    assert complaints(browser) == []


def test_a_plate_in_space_is_drawn_while_its_run_computes(brook_server, browser):
    slow = {
        **PIPES,
        "title": "Pipes under way",
        "variants": PIPES["variants"][:1],
        "run_rules": {"residual": "1e-30", "iterations": 20000},
    }
    cuts = [{"kind": "cut", "through": [x, 0, 0], "across": [1, 0, 0]} for x in (0.03, 0.09, 0.5)]
    picture = {"layers": cuts, "look": None, "colours": "smooth"}
    with client(brook_server) as http:
        slug = take_in(http, Study.model_validate(slow))
        data = {"quantity": "speed", "title": "Two discs", "picture": json.dumps(picture), "page": "results"}
        http.post(f"/studies/{slug}/act/add_plate_in_space", data=data)
        http.post(f"/studies/{slug}/bring-up-to-date", data={"page": "board"})
    try:
        browser.get(f"{brook_server}/studies/{slug}/run/long")
        wait(browser, lambda: all_of(browser, "#live-plate"))
        enter(browser, "#live-plate", "two_discs")
        wait(browser, lambda: one(browser, "#live-view").get_attribute("data-at"))
        assert text_of(browser, "#live-says") == "the plane does not cut this mesh"
        wait(browser, lambda: pixels(browser) > 15)
        before = int(one(browser, "#live-view").get_attribute("data-at"))
        wait(browser, lambda: int(one(browser, "#live-view").get_attribute("data-at") or 0) > before)
        enter(browser, "#live-plate", "")
        wait(browser, lambda: one(browser, "#field").is_displayed())
        assert httpx.get(f"{brook_server}/studies/{slug}/run/long/live/plate/two_discs/7.bin").status_code == 404
        assert httpx.get(f"{brook_server}/studies/{slug}/run/long/live/plate/other/0.bin").status_code == 404
    finally:
        with client(brook_server) as http:
            http.post(f"/studies/{slug}/stop-run", data={"page": "board", "only": "long"})
    assert not complaints(browser)


def test_a_mesh_that_was_made_before_boundaries_were_kept_has_one_too(brook_app, brook_server, pipes):
    store = brook_app.state.studio.store
    key = store.latest(store.study_row(pipes).id)[("long", "run")][1]["mesh_key"]
    kept = store.files.folder("mesh", key) / "boundary.bin"
    before = kept.read_bytes()
    kept.unlink()
    try:
        assert httpx.get(f"{brook_server}/views/mesh/{key}/boundary.bin").content == before
    finally:
        kept.write_bytes(before)
