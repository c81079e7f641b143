"""Shapes in space through the API: files in, what is said of them, and what no request may do."""

import json
import time
from html import unescape

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brook.core.editing.space import ACTIONS
from brook.core.geometry.files import read_file, write_file
from brook.core.study import Study, read_study, study_text
from tests.core.surfaces import cube
from tests.web.helpers import client

pytestmark = pytest.mark.server


@pytest.fixture(scope="module")
def http(brook_server):
    with client(brook_server) as http:
        yield http


def take_in(http, *parts):
    geometry = {"kind": "space", "parts": list(parts)}
    study = Study.model_validate({"title": "Block", "variants": [{"name": "a", "title": "A", "geometry": geometry}]})
    answer = http.post("/api/studies", content=study_text(study).encode())
    assert answer.status_code == 201, answer.text
    return answer.json()["slug"]


def made(http, slug, seconds=60):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        told = http.get(f"/api/studies/{slug}/shapes/a").json()
        if told["state"] != "working":
            return told
        time.sleep(0.1)
    raise AssertionError("the shape was not made in time")


def test_a_shape_is_brought_in_closed_and_brought_out(http):
    slug = take_in(http)
    base = f"/api/studies/{slug}"
    assert http.get(f"{base}/shapes/a").json()["state"] == "none"
    before = http.get(f"{base}/document").text
    for name, data in (("bad.stl", b"\0" * 200), ("../../up.ply", b"ply\nformat ascii 1.0\n"), ("x.zip", b"PK")):
        answer = http.post(f"{base}/shapes/a/files", files={"file": (name, data)})
        assert answer.status_code == 422
        assert len(answer.json()["detail"]["problems"][0]["message"]) < 200
    assert http.get(f"{base}/document").text == before

    surface = cube()
    opened = surface.only(surface.patch != surface.patches.index("lid"))
    answer = http.post(f"{base}/shapes/a/files", files={"file": ("cube.ply", write_file("a.ply", opened))})
    assert answer.json()["triangles"] == 10
    http.post(f"{base}/edit", json={"values": {"/variants/0/geometry/parts/0/unit": "m"}})
    said = made(http, slug)["said"]
    assert [o["edges"] for o in said["openings"]] == [4]
    rim = dict(zip("xyz", map(str, said["openings"][0]["rim"]), strict=True))
    for action, values in (
        ("close_opening", {"variant": "0", "patch": "inlet", "beside": said["openings"][0]["patch"], **rim}),
        ("set_body", {"variant": "0", "name": "water", "x": "0.5", "y": "0.5", "z": "0.5"}),
    ):
        answer = http.post(f"{base}/actions/{action}", json={"values": values})
        assert answer.status_code == 200, answer.text
    told = made(http, slug)
    assert told["said"]["bodies"][0]["volume"] == pytest.approx(1.0)
    assert {p["name"] for p in told["said"]["bodies"][0]["patches"]} == {
        "west",
        "east",
        "south",
        "north",
        "floor",
        "inlet",
    }
    out = http.get(f"/studies/{slug}/geometry/a/shape.obj").content
    back = read_file("a.obj", out)
    assert back.is_closed
    assert back.volume == pytest.approx(1e9)  # in mm


def test_a_document_without_its_file_says_so_and_takes_it_when_it_comes(http):
    data = write_file("cube.obj", cube(7.0))
    slug = take_in(http)
    http.post(f"/api/studies/{slug}/shapes/a/files", files={"file": ("cube.obj", data)})
    part = http.get(f"/api/studies/{slug}/document").json()["variants"][0]["geometry"]["parts"][0]
    gone = {**part, "content": "0123456789abcdef0123", "unit": "mm"}
    elsewhere = take_in(http, gone)
    told = made(http, elsewhere)
    assert told["state"] == "failed"
    assert "cube.obj is not here" in told["words"]
    assert "cube.obj is not here" in http.get(f"/studies/{elsewhere}/geometry/a").text
    values = {"pointer": "/variants/0/geometry/parts/0", "file": "cube.obj", "content": part["content"], "unit": "mm"}
    http.post(f"/api/studies/{elsewhere}/actions/swap_file", json={"values": values})
    assert made(http, elsewhere)["said"]["volume"] == pytest.approx(343e-9)


def edit(http, slug, pointer, value, was):
    form = {"page": "geometry", "name": "a", "pointer": pointer, "value": value, "was": was}
    return http.post(f"/studies/{slug}/edit", data=form).text


def test_what_is_typed_wrong_is_answered_where_it_was_typed_and_stays_there(http):
    slug = take_in(http, {"kind": "wing", "name": "bar", "patches": {"start": "near", "end": "far", "side": "skin"}})
    made(http, slug)
    geometry = "/variants/0/geometry"
    page = edit(http, slug, f"{geometry}/parts/0/digits", "24a2", "2412")
    assert "write four digits" in page
    assert 'value="24a2"' in page
    page = http.post(
        f"/studies/{slug}/act/rename_patch",
        data={"page": "geometry", "name": "a", "patch": "skin", "to": "Bad Name", "error_at": "patch-skin"},
    ).text
    assert "is not a name" in page
    assert 'value="Bad Name"' in page
    form = {
        "page": "geometry",
        "name": "a",
        "variant": "0",
        "error_at": "set-body",
        "with_name": "stream",
        "x": "20 furlongs",
        "y": "0 mm",
        "z": "5 mm",
    }
    page = http.post(f"/studies/{slug}/act/set_body", data=form).text
    assert 'value="20 furlongs"' in page
    assert "'furlongs' is not a unit" in unescape(page)
    step = json.dumps({"kind": "name_area", "at": {"x": "0 mm", "y": "0 mm", "z": "0 mm"}, "to": "Bad Name"})
    page = http.get(f"/studies/{slug}/geometry/a", params={"part": "body", "try": step}).text
    assert "This step cannot be done" in page
    assert "is not a name" in page
    assert not http.get(f"/api/studies/{slug}/document").json()["variants"][0]["geometry"]["bodies"]


def test_a_choice_of_yes_and_no_can_be_changed_and_changed_back(http):
    slug = take_in(http, {"kind": "sphere", "name": "ball", "patch": "skin"})
    http.post(f"/api/studies/{slug}/actions/set_tunnel", json={"values": {"variant": "0", "form": "box"}})
    made(http, slug)
    pointer = "/variants/0/geometry/tunnel/on_floor"
    for now, wanted in (("False", "True"), ("True", "False")):
        page = http.get(f"/studies/{slug}/geometry/a").text
        choice = page.split('aria-label="Where the body stands"', 1)[1].split("</select>", 1)[0]
        assert f'"was": "{now}"' in choice
        assert f'<option value="{now}" selected>' in choice
        assert "meanwhile" not in edit(http, slug, pointer, wanted, now)
        tunnel = http.get(f"/api/studies/{slug}/document").json()["variants"][0]["geometry"]["tunnel"]
        assert tunnel["on_floor"] is (wanted == "True")


def test_the_board_shows_a_small_picture_of_a_shape(http):
    part = {"kind": "sphere", "name": "ball", "patch": "skin"}
    slug = take_in(http, part)
    made(http, slug)
    page = http.get(f"/studies/{slug}").text
    address = page.split('<img class="small-shape" src="', 1)[1].split('"', 1)[0]
    assert http.get(address).content.startswith(b"\x89PNG")


TEXTS = st.one_of(
    st.sampled_from(["0", "1", "a", "water", "box", "cylinder", "line", "ring", "west", "[]", "{}", "[1]", "[[0,0],[1,0],[1,1]]", "nan",
                     "1e400", "-1", "/variants/0/geometry/parts/0", "/variants/0/geometry", "/variants/0/geometry/steps/0", "/title",
                     '{"kind": "merge"}', '{"kind": "fill", "at": null}', '[{"kind": "make_outward"}]', '{"kind": "none"}', "[" * 5000,
                     '{"x": "0 mm", "y": "0 mm", "z": "0 mm"}', "mm", "furlong"]),
    st.text(max_size=20),
)  # fmt: skip
KEYS = st.sampled_from(["variant", "kind", "pointer", "file", "content", "unit", "names", "step", "steps", "patch", "beside", "x",
                        "y", "z", "inner", "name", "holds", "form", "points"])  # fmt: skip
WISHES = st.tuples(st.sampled_from(sorted(ACTIONS)), st.dictionaries(KEYS, TEXTS, max_size=8))


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(wishes=st.lists(WISHES, min_size=1, max_size=3))
def test_no_wish_about_a_shape_breaks_the_server(http, wishes):
    slug = take_in(
        http,
        {"kind": "box", "name": "b", "patches": {s: s for s in ("west", "east", "south", "north", "floor", "lid")}},
    )
    base = f"/api/studies/{slug}"
    for action, values in wishes:
        before = http.get(f"{base}/document").text
        answer = http.post(f"{base}/actions/{action}", json={"values": {"variant": "0", **values}})
        assert answer.status_code < 500, (action, values, answer.text)
        after = http.get(f"{base}/document").text
        read_study(after)
        assert answer.status_code < 400 or after == before
    assert http.get(f"/studies/{slug}/geometry/a").status_code == 200
    http.delete(base)
