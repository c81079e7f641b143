"""Pages and their answers to bad input, without a browser."""

import csv
import io
import json
import re

import pytest

from brook.core.study import read_study, study_text
from brook.core.study.document import study_from
from tests.core.studies import baffle, raw_tray, tray, variant
from tests.web.helpers import client, plain, take_in, up_to_date

pytestmark = pytest.mark.server
PAGES = ("", "/geometry", "/mesh", "/set-up", "/run", "/results", "/compare")
HEIGHT = "/variants/1/geometry/shapes/0/height"


@pytest.fixture
def http(brook_server):
    with client(brook_server) as http:
        yield http


@pytest.fixture
def slug(http):
    return take_in(http, tray())


@pytest.fixture(scope="module")
def done(brook_server):
    """A study whose variants have all run."""
    with client(brook_server) as http:
        slug = take_in(http, tray(title="Done tray"))
        up_to_date(http, slug)
        yield slug


def test_an_empty_study_has_all_its_pages(http):
    slug = take_in(http, study_from({"format": "brook-study", "version": 1, "title": "Empty"}))
    for page in PAGES:
        answer = http.get(f"/studies/{slug}{page}")
        assert answer.status_code == 200
        assert "variant" in plain(answer.text).lower() or "computed" in plain(answer.text)


def test_a_new_study_begins_with_a_variant_and_says_what_is_missing(http):
    answer = http.post("/studies", data={"title": "Spray header"}, follow_redirects=True)
    assert "Spray header" in answer.text
    assert "nothing moves the fluid" in plain(answer.text)


@pytest.mark.parametrize("page", PAGES)
def test_pages_of_a_done_study(http, done, page):
    answer = http.get(f"/studies/{done}{page}")
    assert answer.status_code == 200
    assert "Hanging" in answer.text
    assert "script-src" not in answer.headers["content-security-policy"]
    assert "default-src 'self'" in answer.headers["content-security-policy"]
    assert "<script>" not in answer.text


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b'{"format": "brook-study",', "not valid JSON: line 1"),
        (b'{"format": "brook-study", "version": 9}', "document has version 9; this Brook reads version 1"),
        (b"PK\x03\x04", "not valid JSON"),
        (b"\xff\xfe", "not text in UTF-8"),
        (b"[1, 2]", "is not a Brook study"),
        (b" " * 2_000_001, "may have 2 MB"),
        (json.dumps({**raw_tray(), "meshplan": {}}).encode(), "'meshplan' is not a field"),
    ],
)
def test_a_bad_document_is_refused_with_the_reason_and_nothing_kept(http, content, words):
    before = http.get("/").text.count("<article")
    answer = http.post("/import", files={"document": ("bad.json", content, "application/json")})
    assert answer.status_code == 422
    assert words in plain(answer.text).replace("&#39;", "'").replace("&#34;", '"')
    assert http.get("/").text.count("<article") == before


def edit(http, slug, pointer, value, was=None, page="geometry", name="hanging"):
    data = {"pointer": pointer, "value": value, "page": page, "name": name}
    return http.post(f"/studies/{slug}/edit", data=data | ({"was": was} if was is not None else {}))


@pytest.mark.parametrize(
    ("pointer", "value", "words"),
    [
        (HEIGHT, "-5 mm", "more than zero"),
        (HEIGHT, "25", "a unit is missing"),
        (HEIGHT, "25 kg", "what is written is a kg"),
        (HEIGHT, "dpth", "did you mean depth"),
        (HEIGHT, "200 mm", "beyond the top side"),
        ("/mesh_plan/bulk", "0.02 mm", "may not be larger than in the bulk"),
        ("/set_up/boundaries/0/speed", "<b>fast</b>", "does not fit here"),
    ],
)
def test_a_wrong_value_stays_as_typed_with_the_reason_beside_it(http, slug, pointer, value, words):
    answer = edit(http, slug, pointer, value, page={"m": "mesh", "s": "set-up"}.get(pointer[1], "geometry"))
    assert answer.status_code == 200
    text = answer.text.replace("&#39;", "'")
    assert words in text
    assert 'aria-invalid="true"' in text
    assert "<b>fast" not in text
    assert http.get(f"/studies/{slug}/document.json").text == study_text(tray())


def test_an_edit_changes_the_document_and_nothing_else(http, slug):
    assert edit(http, slug, HEIGHT, "20 mm", was="25 mm").status_code == 200
    changed = read_study(http.get(f"/studies/{slug}/document.json").text)
    assert changed.variants[1].geometry.shapes[0].height == "20 mm"
    raw = raw_tray()
    raw["variants"][1]["geometry"]["shapes"][0]["height"] = "20 mm"
    assert changed == study_from(raw)


def test_two_people_do_not_overwrite_each_other_unseen(http, slug):
    edit(http, slug, HEIGHT, "20 mm", was="25 mm")
    answer = edit(http, slug, HEIGHT, "15 mm", was="25 mm")
    assert "meanwhile somebody changed this to" in answer.text
    assert "20 mm" in http.get(f"/studies/{slug}/document.json").text


def test_undo_redo_and_back_to_any_point(http, slug):
    edit(http, slug, HEIGHT, "20 mm")
    edit(http, slug, HEIGHT, "18 mm")
    page = plain(http.post(f"/studies/{slug}/undo", data={"page": "geometry", "name": "hanging"}).text)
    assert "Undone: Hanging: height of baffle, 20 mm → 18 mm" in page
    assert read_study(http.get(f"/studies/{slug}/document.json").text).variants[1].geometry.shapes[0].height == "20 mm"
    assert "Done again" in http.post(f"/studies/{slug}/redo", data={"page": "geometry"}).text
    assert "nothing to do again" in http.post(f"/studies/{slug}/redo", data={"page": "geometry"}).text
    http.post("/my-name", data={"my_name": "A. Fell"})
    assert "after step 1" in http.post(f"/studies/{slug}/history/1").text
    assert http.get(f"/studies/{slug}/document.json").text == study_text(tray())
    edit(http, slug, HEIGHT, "21 mm")
    page = plain(http.get(f"/studies/{slug}/history").text)
    assert "25 mm → 21 mm from step 1" in page
    assert "A. Fell" in page
    assert "Not done" in http.post(f"/studies/{slug}/history/99").text


def test_an_action_waits_until_the_window_has_seen_what_others_did(http, slug):
    seen = int(re.search(r'name="seen" value="(\d+)"', http.get(f"/studies/{slug}").text)[1])
    edit(http, slug, HEIGHT, "20 mm")
    data = {"page": "board", "pointer": "/requirements/0", "seen": seen}
    answer = http.post(f"/studies/{slug}/act/remove", data=data, headers={"X-Brook-Window": "another"})
    assert "meanwhile somebody in another window changed this study" in answer.text
    answer = http.post(f"/studies/{slug}/undo", data={"seen": seen}, headers={"X-Brook-Window": "another"})
    assert "meanwhile" in answer.text
    assert len(read_study(http.get(f"/studies/{slug}/document.json").text).requirements) == 3


def test_a_refused_form_keeps_all_that_was_typed(http, slug):
    data = {"page": "board", "title": "Slow water", "reading": "tray.sped.mean", "limit": "at_most", "with_value": "3 mm/s",
            "error_at": "add-requirement"}  # fmt: skip
    page = http.post(f"/studies/{slug}/act/add_requirement", data=data).text
    assert "did you mean speed" in page
    for kept in ("Slow water", "tray.sped.mean", "3 mm/s"):
        assert f'value="{kept}"' in page


def test_what_is_not_there_is_a_404_and_never_an_error(http, slug):
    fresh = take_in(http, tray(named_values={**raw_tray()["named_values"], "supply": "3.3 mm/s"}))
    for address in ("/studies/none", f"/studies/{slug}/geometry/none", f"/studies/{slug}/nothing", "/views/run/x/speed.f32",
                    f"/views/run/{'0' * 20}/speed.f32", f"/views/run/{'0' * 20}/passwd", f"/studies/{slug}/variants/plan/fields.vtu", f"/studies/{fresh}/variants/plain/fields.vtu"):  # fmt: skip
        assert http.get(address).status_code == 404, address
    for action, data in (
        ("nothing", {}),
        ("remove", {"pointer": "/x"}),
        ("add_variant", {"source": "none"}),
        ("set_boundary", {}),
    ):
        answer = http.post(f"/studies/{slug}/act/{action}", data={"page": "board", **data})
        assert answer.status_code == 200
        assert "no longer there" in answer.text
    assert http.get(f"/studies/{slug}/document.json").text == study_text(tray())


def test_a_change_from_another_site_is_refused(http, slug):
    answer = http.post(f"/studies/{slug}/remove", headers={"Origin": "http://elsewhere.example"})
    assert answer.status_code == 403
    assert http.get(f"/studies/{slug}").status_code == 200


def test_exports_of_a_done_study(http, done):
    table = list(csv.DictReader(io.StringIO(http.get(f"/studies/{done}/readings.csv").text)))
    assert len(table) == 6
    assert {row["up_to_date"] for row in table} == {"yes"}
    history = list(csv.DictReader(io.StringIO(http.get(f"/studies/{done}/variants/hanging/histories.csv").text)))
    assert float(history[-1]["still"]) == pytest.approx(float(table[3]["value_si"]), abs=5e-3)
    vtu = http.get(f"/studies/{done}/variants/hanging/fields.vtu")
    assert vtu.content.startswith(b"<")
    assert b"velocity" in vtu.content
    drawn = http.get(f"/studies/{done}/variants/hanging/histories.svg").text
    assert all(words in drawn for words in ("Residuals", "Still water / %", "Fastest / mm/s", "iteration"))


def test_a_changed_study_hatches_and_a_change_back_does_not(http, done):
    assert "stale" not in http.get(f"/studies/{done}").text
    board = edit(http, done, HEIGHT, "20 mm", page="board").text
    assert board.count('class="reading stale"') == 3
    assert "Bring “Hanging” up to date" in board
    board = edit(http, done, HEIGHT, "25 mm", page="board").text
    assert "stale" not in board
    assert "All up to date" in board


def test_a_limit_is_judged_anew_without_a_run(http, done):
    board = edit(http, done, "/requirements/0/limit/value", "0.1 %", page="board").text
    assert "stale" not in board
    assert "No variant holds every limit" in plain(board)
    edit(http, done, "/requirements/0/limit/value", "40 %", page="board")


def test_a_diverged_run_says_where_and_keeps_the_study(http):
    raw = raw_tray()
    wild = tray(
        title="Wild",
        named_values={**raw["named_values"], "supply": "40 m/s"},
        set_up={**raw["set_up"], "convection": "central"},
        variants=[variant("hanging", "Hanging", [baffle()])],
    )
    slug = take_in(http, wild)
    up_to_date(http, slug)
    page = plain(http.get(f"/studies/{slug}/run/hanging").text)
    assert "Diverged in iteration" in page
    assert "near (" in page
    board = http.get(f"/studies/{slug}").text
    assert "the run diverged" in board
    assert "verdict" not in board
    assert "No run converged" in board


def test_a_study_can_be_removed(http, slug):
    assert http.post(f"/studies/{slug}/remove").status_code == 303
    assert http.get(f"/studies/{slug}").status_code == 404


def test_what_the_flow_carries_is_said_run_read_and_exported(http):
    """From statements on Set-up to readings on the board, the residual's curve and a file."""
    slug = take_in(http, tray(title="Dyed tray"))
    page = {"page": "set-up"}
    assert "Nothing but itself" in plain(http.get(f"/studies/{slug}/set-up").text)
    http.post(f"/studies/{slug}/act/add_scalar", data={"kind": "tracer", **page})
    http.post(f"/studies/{slug}/act/set_inflow", data={"scalar": "tracer", "patch": "inlet", **page})
    http.post(f"/studies/{slug}/act/add_scalar", data={"kind": "age", **page})
    text = plain(http.get(f"/studies/{slug}/set-up").text)
    assert "What enters through inlet holds" in text
    assert "is how long ago the fluid came in" in text
    http.post(f"/studies/{slug}/act/add_requirement", data={"title": "Dye that leaves", "reading": "weir.tracer.mixed", "limit": "smallest",
                                                           "page": "board"})  # fmt: skip
    up_to_date(http, slug)
    assert "Dye that leaves" in http.get(f"/studies/{slug}").text
    history = http.get(f"/api/studies/{slug}/variants/hanging/history").json()
    assert list(history["residuals"]) == ["momentum", "mass", "tracer", "age"]
    table = list(csv.DictReader(io.StringIO(http.get(f"/studies/{slug}/variants/hanging/histories.csv").text)))
    assert float(table[-1]["tracer_residual"]) < 1e-3
    (dye,) = [r for v in http.get(f"/api/studies/{slug}/variants").json() if v["name"] == "hanging" for r in v["readings"]
              if r["requirement"] == "dye_that_leaves"]  # fmt: skip
    assert "g/m" in dye["shown"]
    assert (
        "Mean age" in http.get(f"/studies/{slug}/results/hanging").text
        or "mean age" in http.get(f"/studies/{slug}/results/hanging").text
    )


def test_the_regime_is_told_where_nothing_is_said_to_enter(http):
    sides = {"left": "end", "right": "end", "bottom": "bed", "top": "lid"}
    outer = {"name": "box", "left": "0 mm", "bottom": "0 mm", "width": "200 mm", "height": "40 mm", "patches": sides}
    slug = take_in(http, study_from({
        "format": "brook-study", "version": 1, "title": "Lid", "variants": [{"name": "plain", "title": "Plain", "geometry": {"outer": outer}}],
        "set_up": {"boundaries": [{"kind": "sliding", "patch": "lid", "velocity_x": "1 m/s"}]},
    }))  # fmt: skip
    text = plain(http.get(f"/studies/{slug}/set-up/plain").text)
    assert (
        "It will flow at 1.00 m/s (the speed of lid)" in text or "It will flow at 1000 mm/s (the speed of lid)" in text
    )
    assert "4 × the area over the length of the walls: likely turbulent" in text


def test_turbulence_is_said_run_and_read(http):
    """From a laminar channel to a turbulent one with a rough bed: statements, warnings, y⁺ and residuals."""
    sides = {"left": "west", "right": "east", "bottom": "bed", "top": "lid"}
    outer = {"name": "race", "left": "0 mm", "bottom": "0 mm", "width": "200 mm", "height": "40 mm", "patches": sides}
    bare = study_from({
        "format": "brook-study", "version": 1, "title": "Race",
        "variants": [{"name": "plain", "title": "Plain", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "4 mm", "wall": "2 mm"},
        "set_up": {"boundaries": [{"kind": "velocity", "patch": "west", "speed": "1 m/s"}, {"kind": "pressure", "patch": "east"}]},
    })  # fmt: skip
    slug = take_in(http, bare)
    page = {"page": "set-up", "name": "plain"}
    assert "likely turbulent; a laminar answer may be wrong" in plain(http.get(f"/studies/{slug}/set-up/plain").text)
    http.post(f"/studies/{slug}/act/set_turbulence", data={"kind": "sst", **page})
    http.post(f"/studies/{slug}/act/set_incoming", data={"pointer": "/set_up/turbulence", "kind": "duct", **page})
    http.post(f"/studies/{slug}/act/set_rough", data={"patch": "bed", **page})
    text = plain(http.get(f"/studies/{slug}/set-up/plain").text)
    assert "bed is rough, as by sand grains of" in text
    assert "What comes in is told" in text
    assert "likely turbulent" not in text
    refused = http.post(
        f"/studies/{slug}/edit", data={"pointer": "/set_up/turbulence/rough/0/height", "value": "-1 mm", **page}
    )
    assert "more than zero" in plain(refused.text)
    http.post(f"/studies/{slug}/act/add_requirement", data={"title": "Largest y+", "reading": "bed.y_plus.max", "limit": "smallest",
                                                           "page": "board"})  # fmt: skip
    up_to_date(http, slug)
    assert "y⁺ of first cells at walls" in plain(http.get(f"/studies/{slug}/run/plain").text)
    results = plain(http.get(f"/studies/{slug}/results/plain").text)
    assert "Walls as the turbulent run found them" in results
    assert "First layer for y⁺ 1" in results
    history = http.get(f"/api/studies/{slug}/variants/plain/history").json()
    assert list(history["residuals"]) == ["momentum", "mass", "k", "omega"]
    (told,) = http.get(f"/api/studies/{slug}/variants").json()
    assert 10 < told["readings"][0]["value"] < 300


def test_a_pair_is_named_driven_and_read(http):
    """From walls alone to a channel that water goes round in: pair on Mesh, drive on Set-up, drop on the board."""
    sides = {"left": "west", "right": "east", "bottom": "bed", "top": "lid"}
    outer = {"name": "pass", "left": "0 mm", "bottom": "0 mm", "width": "4 mm", "height": "8 mm", "patches": sides}
    bare = study_from({
        "format": "brook-study", "version": 1, "title": "Pass between plates",
        "variants": [{"name": "plain", "title": "Plain", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "0.5 mm", "wall": "0.5 mm"},
    })  # fmt: skip
    slug = take_in(http, bare)
    page = {"page": "mesh", "name": "plain"}
    assert "west , lid" not in plain(http.get(f"/studies/{slug}/set-up").text)
    http.post(
        f"/studies/{slug}/act/add_pair",
        data={"with_patch": "west", "with_kind": "shift", "patch": "west", "kind": "shift", **page},
    )
    http.post(f"/studies/{slug}/edit", data={"pointer": "/mesh_plan/pairs/0/x", "value": "4 mm", **page})
    text = plain(http.get(f"/studies/{slug}/set-up/plain").text)
    assert "What comes in through west left through east : a periodic pair" in text
    assert "All other patches ( bed , lid ) are still walls" in text
    http.post(f"/studies/{slug}/act/set_boundary", data={"patch": "west", "kind": "periodic", "page": "set-up"})
    http.post(
        f"/studies/{slug}/edit", data={"pointer": "/set_up/boundaries/0/drive", "value": "mass_flow", "page": "set-up"}
    )
    http.post(
        f"/studies/{slug}/edit", data={"pointer": "/set_up/boundaries/0/mass_flow", "value": "10 g/s", "page": "set-up"}
    )
    assert "Mass flow in through west" in http.get(f"/studies/{slug}/set-up/plain").text
    http.post(f"/studies/{slug}/act/add_requirement", data={"title": "Drop over a period", "reading": "west.pressure.mean - east.pressure.mean",
                                                           "limit": "smallest", "page": "board"})  # fmt: skip
    up_to_date(http, slug)
    assert "match those of east" in plain(http.get(f"/studies/{slug}/mesh/plain").text)
    (told,) = http.get(f"/api/studies/{slug}/variants").json()
    (drop,) = told["readings"]
    # 12 μ u L / h² at 20 °C: 12 · 1.002 mPa s · 1.25 mm/s · 4 mm / (8 mm)²
    assert drop["value"] == pytest.approx(12 * 1.002e-3 * 1.25e-3 * 4e-3 / 64e-6, rel=0.02)
    history = http.get(f"/api/studies/{slug}/variants/plain/history").json()
    assert list(history["residuals"]) == ["momentum", "mass", "drive"]


def test_a_table_is_made_on_the_board_and_a_wrong_one_keeps_what_was_typed(http, slug):
    form = {"with_name": "inlet_speed", "along": "mm", "unit": "mm/s", "page": "board", "error_at": "set-table"}
    refused = http.post(f"/studies/{slug}/act/set_table", data={**form, "points": "0 0\n5 fast"}).text
    assert "line 2 of the points is no place and value" in plain(refused)
    assert "5 fast" in refused
    made = plain(http.post(f"/studies/{slug}/act/set_table", data={**form, "points": "0 0\n5 8\n60 0"}).text)
    assert "inlet_speed : mm/s by mm, 3 points from 0 to 60 mm" in made
    http.post(f"/studies/{slug}/act/remove", data={"pointer": "/tables/inlet_speed", "page": "board"})
    assert "inlet_speed" not in plain(http.get(f"/studies/{slug}").text)
