"""Strange numbers, names and documents: a sentence in answer, never an error of Brook's own."""

import copy
import io
import json
import xml.dom.minidom
from types import SimpleNamespace

import httpx
import openpyxl
import pytest
from fastapi.testclient import TestClient

from brook.core.checks import check, prepare
from brook.core.editing import act
from brook.core.results.exports import FORMATS, Column, Curve, Sheet
from brook.core.stages.keys import stage_keys
from brook.core.study import study_text
from brook.core.study.document import study_from
from brook.store import Store
from brook.store.tables import StudyRow
from brook.web.hub import Hub
from brook.web.server import create_app, make_shapes, tidy_shapes
from brook.web.studio import Studio
from tests.core.studies import raw_tray, tray

HUGE = "1" + 30 * "0"
LONG = "9" * 5000


@pytest.fixture
def http(brook_server):
    with httpx.Client(base_url=brook_server, timeout=30) as client:
        yield client


@pytest.fixture
def slug(http):
    return http.post("/api/studies", content=study_text(tray())).json()["slug"]


@pytest.mark.server
@pytest.mark.parametrize("number", [HUGE, LONG, "-1", "nan", ""])
def test_numbers_that_no_database_holds(http, slug, number):
    pages, api = f"/studies/{slug}", f"/api/studies/{slug}"
    form = {"pointer": "/title", "value": "A", "page": "board", "seen": number}
    answers = [
        http.post(f"{pages}/edit", data=form), http.post(f"{pages}/undo", data=form), http.post(f"{pages}/redo", data=form),
        http.post(f"{pages}/act/remove", data=form), http.get(f"{pages}/history", params={"before": number}),
        http.post(f"{pages}/history/{number}", data={}), http.get(f"{api}/history", params={"before": number}),
        http.get(f"{api}/history", params={"count": number}), http.post(f"{api}/history/{number}", json={}),
        http.put(f"{api}/document", params={"seen": number}, content=study_text(tray())),
        http.post(f"{api}/undo", content=f'{{"seen": {number or 0}}}', headers={"content-type": "application/json"}),
        http.post(f"{api}/edit", content=f'{{"values": {{"/title": "B"}}, "seen": {number or 0}}}'),
        http.post(f"{api}/studies", content=f'{{"format": {number or 0}}}'),
        http.post("/import", files={"document": ("a.json", f'{{"format": "brook-study", "version": {number or 0}}}')}),
        http.post(f"{api}/actions/remove", json={"values": {"pointer": f"/requirements/{number}"}}),
        http.post(f"{api}/actions/move_variant", json={"values": {"name": "plain", "by": number}}),
        http.post(f"{api}/edit", json={"values": {f"/requirements/{number}/title": "x"}}),
    ]  # fmt: skip
    assert [(a.request.url.path[-30:], a.status_code) for a in answers if a.status_code >= 500] == []


@pytest.mark.server
@pytest.mark.parametrize("name", ["study", "action", "raw", "self", "values"])
def test_values_of_an_action_by_any_name(http, slug, name):
    assert http.post(f"/api/studies/{slug}/actions/remove", json={"values": {name: "x"}}).status_code == 404
    page = http.post(f"/studies/{slug}/act/remove", data={f"with_{name}": "x", name: "y"})
    assert page.status_code == 200
    assert "no longer there" in page.text


@pytest.mark.server
def test_a_unit_that_is_none(http):
    raw = raw_tray()
    raw["variants"] = [{"name": "a", "title": "A", "geometry": {"kind": "space"}}]
    slug = http.post("/api/studies", content=json.dumps(raw)).json()["slug"]
    for unit in ("banana", "s", "m^^", "x" * 5000):
        answer = http.get(f"/studies/{slug}/geometry/a/shape.stl", params={"unit": unit})
        assert answer.status_code in (404, 422), unit


def test_units_of_a_file_that_goes_out(tmp_path, monkeypatch):
    from fastapi import HTTPException

    from brook.web.routes import shapes

    space = SimpleNamespace(key="k")
    monkeypatch.setattr(shapes, "_space", lambda *_: SimpleNamespace(prepared=SimpleNamespace(space=space)))
    studio = SimpleNamespace(store=SimpleNamespace(files=SimpleNamespace(has=lambda *_: True)))
    for unit, told in (("banana", "banana"), ("s", "not a unit of length")):
        with pytest.raises(HTTPException) as refused:
            shapes.bring_out(studio, None, "a", "stl", unit)
        assert refused.value.status_code == 422
        assert told in str(refused.value.detail)


# -- what goes out --------------------------------------------------------------------------------

STRANGE = "a\x00b\x08c\x1b[31m \ud800 \uffff $\\frac{"
FORMULAS = ["=1+1", "+1+1", "-1+1", "@SUM(A1)", "-2+3+cmd|' /C calc'!A0", "\t=1", "=HYPERLINK(1)"]


def test_a_table_program_works_nothing_out():
    values = [*FORMULAS, "-5 mm", "+1.5e-3 m^3/s", "-1.2", "plain", -3.5, 7, None]
    sheet = Sheet("=title", (Column("=heading", "", values),))
    lines = FORMATS["csv"].write([sheet, sheet]).decode().splitlines()
    assert lines[:2] == ["'=title", "'=heading"]
    cells = [line.strip('"') for line in lines[2 : 2 + len(values)]]
    assert [c[:1] for c in cells[: len(FORMULAS)]] == ["'"] * len(FORMULAS)
    assert cells[len(FORMULAS) :] == ["-5 mm", "+1.5e-3 m^3/s", "-1.2", "plain", "-3.5", "7", ""]
    page = openpyxl.load_workbook(io.BytesIO(FORMATS["xlsx"].write([sheet]))).worksheets[0]
    assert {c.data_type for c in page["A"][: len(FORMULAS) + 1]} == {"s"}


@pytest.mark.parametrize("suffix", FORMATS)
def test_control_characters_in_titles_leave_files_readable(suffix):
    curve = Curve(STRANGE, (0.0, 1.0), (0.0, 1.0))
    sheet = Sheet(STRANGE, (Column(STRANGE, "", [STRANGE, 1.0]),), "", (curve, curve), STRANGE, STRANGE)
    content = FORMATS[suffix].write([sheet, sheet])
    if suffix == "svg":
        xml.dom.minidom.parseString(content)
    if suffix == "xlsx":
        assert openpyxl.load_workbook(io.BytesIO(content)).worksheets


@pytest.mark.server
def test_a_study_with_a_strange_title_goes_out(http):
    raw = raw_tray(title="a\x01b\x1bc", variants=[{**raw_tray()["variants"][0], "title": "v\x02"}])
    slug = http.post("/api/studies", content=json.dumps(raw)).json()["slug"]
    for page in ("", "/geometry", "/history", "/readings.csv", "/readings.xlsx", "/document.json"):
        assert http.get(f"/studies/{slug}{page}").status_code == 200, page


# -- documents that refer to themselves, or are of another time ------------------------------------


def places_of(raw, at=""):
    """Pointers of all texts that hold a value."""
    if isinstance(raw, dict | list):
        for key, inner in raw.items() if isinstance(raw, dict) else enumerate(raw):
            yield from places_of(inner, f"{at}/{key}")
    elif isinstance(raw, str) and any(c.isdigit() for c in raw) and not at.endswith(("title", "name")):
        yield at


def put(raw, pointer, value):
    *way, last = pointer.split("/")[1:]
    for step in way:
        raw = raw[int(step)] if isinstance(raw, list) else raw[step]
    raw[int(last) if isinstance(raw, list) else last] = value


def test_a_value_made_from_itself_anywhere_stops_no_page():
    """Each value in turn, with and without an outlet: there is a problem, and no key and no error."""
    whole = raw_tray()
    whole["named_values"] |= {"loop": "loop", "other": "loop + 1 mm"}
    for name in ("loop", "other"):
        for pointer in places_of(whole):
            for outlets in (2, 1, 0):
                raw = copy.deepcopy(whole)
                put(raw, pointer, name)
                raw["set_up"]["boundaries"] = raw["set_up"]["boundaries"][:outlets]
                for one in raw["variants"]:
                    one["geometry"]["openings"] = one["geometry"]["openings"][:outlets]
                try:
                    study = study_from(raw)
                except ValueError:
                    continue
                problems = check(study)
                assert any("loop" in p.message or "loop" in p.path for p in problems), pointer
                for variant in study.variants:
                    prepared = prepare(study, variant)
                    assert not prepared.ready
                    assert stage_keys(study, prepared) is None, pointer


def test_the_named_value_is_told_once():
    study = study_from(raw_tray(named_values={"length": "length", "depth": "60 mm", "supply": "4 mm/s"}))
    assert len([p for p in check(study) if p.path == "/named_values/length"]) == 1
    with pytest.raises(ValueError, match="made from itself"):
        act(tray(), "add_named_value", name="loop", value="loop")


@pytest.fixture
def old(tmp_path):
    """A store with a good study, and one whose document and kept run are of a version that is no longer read."""
    store = Store(tmp_path)
    good, bad = (store.add_study(tray(), "new") for _ in range(2))
    old_text = json.dumps({**raw_tray(), "version": 0})
    with store.writing() as session:
        session.get(StudyRow, store.study_row(bad).id).document = old_text
    row = store.study_row(good)
    run = store.add_run(row.id, "plain", old_text, "readings")
    store.change_run(run.id, state="paused")
    checkpoint = store.files.of_run(run.id).checkpoint
    checkpoint.parent.mkdir(parents=True)
    checkpoint.write_bytes(b"old")
    yield store, good, bad
    store.close()


def test_what_an_older_brook_kept_stops_no_page(old, tmp_path):
    store, good, bad = old
    app = create_app(tmp_path, workers=1)
    studio = app.state.studio = Studio(store, SimpleNamespace(ready=False), Hub(store))
    http = TestClient(app, base_url="http://127.0.0.1", headers={"accept": "text/html"}, raise_server_exceptions=False)
    tidy_shapes(studio)
    make_shapes(studio)
    shelf = http.get("/")
    assert shelf.status_code == 200
    assert "written by another version of Brook" in shelf.text
    for page in ("", "/geometry", "/mesh", "/set-up", "/run", "/results", "/compare", "/history"):
        assert http.get(f"/studies/{good}{page}").status_code == 200, page
        other = http.get(f"/studies/{bad}{page}")
        assert other.status_code == 409
        assert "written by another version of Brook" in other.text
    assert http.get(f"/studies/{bad}/document.json").json()["version"] == 0
    assert http.get("/find.json").status_code == 200
    listed = http.get("/api/studies").json()
    assert [s["answer"][:40] for s in listed if s["slug"] == bad] == ["this study was written by another versio"]
    assert http.post(f"/studies/{bad}/remove", follow_redirects=False).status_code == 303
    assert [row.slug for row in store.studies()] == [good]
