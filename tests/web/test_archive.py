"""A study as one file: into another data folder and back whole, hostile ones refused, and room cleared by rule."""

import json
import shutil
import zipfile
from datetime import timedelta

import numpy as np
import pytest
from sqlalchemy import update
from typer.testing import CliRunner

from brook.cli import app
from brook.runs.archive.taking import ArchiveRefused, take_in
from brook.runs.archive.writing import ABOUT, write_archive
from brook.store import Store
from brook.store.clearing import clear, taken
from brook.store.tables import ResultRow, now
from brook.web.studio import studio_alone
from tests.core.studies import tray
from tests.web.driving import all_of, press, text_of, wait
from tests.web.helpers import client, up_to_date
from tests.web.helpers import take_in as import_study


def quiet(_):
    return


@pytest.fixture(scope="module")
def slug(brook_server):
    with client(brook_server) as http:
        slug = import_study(http, tray(title="Archived"))
        up_to_date(http, slug)
        change = {"page": "board", "pointer": "/named_values/supply", "value": "5 mm/s", "was": "4 mm/s"}
        assert http.post(f"/studies/{slug}/edit", data=change).status_code == 200
        up_to_date(http, slug)
    return slug


@pytest.fixture(scope="module")
def archive(brook_app, slug, tmp_path_factory):
    out = tmp_path_factory.mktemp("archive") / "study.zip"
    assert write_archive(brook_app.state.studio.store, slug, out, "all", quiet) == []
    return out


def changed(archive, out, change):
    """An archive whose files somebody changed, with sizes and hashes made to fit."""
    import hashlib

    with zipfile.ZipFile(archive) as source:
        files = {n: source.read(n) for n in source.namelist()}
    about = json.loads(files.pop(ABOUT))
    change(files, about)
    for name, content in files.items():
        if name in about["files"]:
            about["files"][name] = [len(content), hashlib.sha256(content).hexdigest()]
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as to:
        for name, content in files.items():
            to.writestr(name, content)
        to.writestr(ABOUT, json.dumps(about))
    return out


@pytest.mark.server
def test_a_study_goes_to_another_data_folder_whole(brook_app, slug, archive, tmp_path):
    with studio_alone(tmp_path / "new") as studio:
        there, words = take_in(studio.store, archive, quiet, "study.zip", "A. Fell")
        assert words == []
        ours, theirs = brook_app.state.studio.state(slug), studio.state(there)
        assert theirs.study == ours.study
        assert theirs.answer == ours.answer
        for a, b in zip(ours.variants, theirs.variants, strict=True):
            assert b.fresh
            assert [r.value for r in a.readings] == [r.value for r in b.readings]
            source = studio.source(theirs, b)
            assert source is not None
            assert "from the archive study.zip" in b.run.summary["came"]
        mine, other = (s.store.revisions(x.row.id) for s, x in ((brook_app.state.studio, ours), (studio, theirs)))
        assert [r.what for r in other[1:]] == [r.what for r in mine]
        assert other[0].who == "A. Fell"
        studio.go_back(there, 1)  # earlier results came along
        assert all(v.fresh for v in studio.state(there).variants)
        again, words = take_in(studio.store, archive, quiet)
        assert again != there
        assert words
        assert all(w.endswith("ours stay") for w in words)
    out, run = tmp_path / "small.zip", CliRunner()
    data = brook_app.state.studio.store.data
    assert (
        run.invoke(app, ["archive", slug, "--out", str(out), "--results", "nothing", "--data", str(data)]).exit_code
        == 0
    )
    assert out.stat().st_size < archive.stat().st_size / 3
    told = run.invoke(app, ["take-in", str(out), "--data", str(tmp_path / "third")])
    assert (told.exit_code, told.stdout.strip()) == (0, "archived")
    assert run.invoke(app, ["archive", "none", "--out", str(out), "--data", str(data)]).exit_code == 1
    assert run.invoke(app, ["take-in", str(tmp_path / "none.zip"), "--data", str(data)]).exit_code == 1


HOSTILE = {
    "is no file of an archive": lambda f, a: f.update({"results/run/../../brook.db": b"x"}),
    "not those that it lists": lambda f, a: f.update({"shapes/" + "a" * 20: b"x"}),
    "its document cannot be read": lambda f, a: f.update({"study.json": b'{"format": "brook-study"}'}),
    "its document cannot be read: ": lambda f, a: f.update({"study.json": b"[" * 100_000}),
    "its history cannot be read": lambda f, a: f.update({"history.jsonl": b'{"number": "1"}\n'}),
    "results.json cannot be read": lambda f, a: f.update({"results.json": b"{"}),
    "has version 9": lambda f, a: a.update(version=9),
    "does not say so": lambda f, a: a.update(of="something"),
    "would have": lambda f, a: (f.update({"results.json": b" " * 300_000_000}),),
}


@pytest.mark.server
@pytest.mark.parametrize("words", HOSTILE)
def test_hostile_archives_are_refused_and_leave_nothing(archive, tmp_path, words):
    bad = changed(archive, tmp_path / "bad.zip", HOSTILE[words])
    store = Store(tmp_path / "data")
    with pytest.raises(ArchiveRefused, match=words):
        take_in(store, bad, quiet)
    assert store.studies() == []
    assert not [p for p in (tmp_path / "data/results").rglob("*") if p.is_file()]
    assert not list((tmp_path / "data/arriving").iterdir())
    store.close()


@pytest.mark.server
def test_a_damaged_file_is_refused_and_what_is_no_zip(archive, tmp_path):
    store = Store(tmp_path / "data")
    raw = bytearray(archive.read_bytes())
    raw[len(raw) // 2] ^= 255
    for content in (bytes(raw), b"no zip", b"", archive.read_bytes()[: len(raw) // 2]):
        bad = tmp_path / "bad.zip"
        bad.write_bytes(content)
        with pytest.raises(ArchiveRefused):
            take_in(store, bad, quiet)
    assert store.studies() == []
    store.close()


def of_mesh(change):
    """Changes the arrays of every mesh."""
    import io

    def do(files, about):
        for name in [n for n in files if n.endswith("mesh.npz")]:
            with np.load(io.BytesIO(files[name])) as kept:
                arrays = {n: kept[n].copy() for n in kept.files}
            change(arrays)
            to = io.BytesIO()
            np.savez(to, **arrays)
            files[name] = to.getvalue()

    return do


def of_said(change):
    def do(files, about):
        said = json.loads(files["results.json"])
        for result in said["results"].values():
            change(result)
        files["results.json"] = json.dumps(said).encode()

    return do


def pickled(arrays):
    arrays["points"] = np.array([{"a": 1}], dtype=object)


UNSOUND = {
    "not all corners are points": of_mesh(lambda a: a["face_points"].__setitem__(5, 10**6)),
    "not all sides of faces are cells": of_mesh(lambda a: a["owner"].__setitem__(0, -3)),
    "not all faces have their corners": of_mesh(lambda a: a["face_offsets"].__setitem__(3, 2**30)),
    "cannot be read": of_mesh(pickled),
    "lacks its": of_said(lambda r: r["summary"].pop("cells", None)),
    "what is said of it cannot": of_said(lambda r: r["summary"].update(mesh_key="../../etc") if r["stage"] == "run" else None),
    "its value is no number": of_said(lambda r: r["summary"].update(value="4") if r["stage"] == "reading" else None),
}  # fmt: skip


@pytest.mark.server
@pytest.mark.parametrize("words", UNSOUND)
def test_results_that_cannot_be_right_stay_out_and_the_study_comes_in(archive, tmp_path, words):
    bad = changed(archive, tmp_path / "bad.zip", UNSOUND[words])
    with studio_alone(tmp_path / "data") as studio:
        slug, left = take_in(studio.store, bad, quiet)
        assert any(words in told for told in left)
        state = studio.state(slug)
        assert state.study.title == "Archived"
        if "value" not in words:
            assert not any(v.run.summary for v in state.variants)


@pytest.mark.server
def test_a_forged_request_and_a_guessed_order_get_nothing(brook_server, slug):
    with client(brook_server) as http:
        forged = http.post("/archives?name=x.zip", content=b"x", headers={"origin": "http://elsewhere.example"})
        assert forged.status_code == 403
        assert http.post(f"/studies/{slug}/archive", headers={"sec-fetch-site": "cross-site"}).status_code == 403
        for address in (f"/studies/{slug}/archive/{'0' * 16}/file", "/archives/..%2F..", f"/api/archives/{'0' * 16}"):
            assert http.get(address).status_code == 404
        assert http.post(f"/studies/{slug}/archive", data={"choice": "everything"}).status_code == 422


@pytest.mark.server
def test_earlier_results_go_by_rule_and_what_is_shown_stays(brook_app, slug, archive, tmp_path):
    with studio_alone(tmp_path / "data") as studio:
        there, _ = take_in(studio.store, archive, quiet)
        found = studio.keeping.taken()
        assert found.earlier
        assert found.shown
        assert studio.keeping.clear(1) == (0, 0)  # all too new
        with studio.store.writing() as session:
            session.execute(update(ResultRow).values(at=now() - timedelta(days=40)))
        due = studio.keeping.due(studio.keeping.taken(), 30)
        assert {k.key for k in due} == {k.key for k in found.earlier}
        assert studio.keeping.clear(30, "A. Fell")[0] == len(due)
        assert "by A. Fell" in studio.keeping.rule.last
        state = studio.state(there)
        assert all(v.fresh and studio.source(state, v) for v in state.variants)
        after = studio.keeping.taken()
        assert after.earlier == []
        assert len(after.shown) == len(found.shown)
        kept = [k for k in taken(studio.store, set()).shown]
        assert clear(studio.store, kept) == 0  # the newest of a case is never taken away


@pytest.mark.server
def test_room_and_archive_in_the_browser(brook_app, brook_server, browser, slug, tmp_path):
    browser.get(f"{brook_server}/room")
    wait(browser, lambda: all_of(browser, "#by-study"))
    with client(brook_server) as http:
        for wrong in ("0", "-3", "a week", "99999999999999"):
            assert "is no number of days" in http.get("/room", params={"days": wrong, "part": "body"}).text
        assert "is no number of days" not in http.get("/room", params={"days": "7"}).text
    assert "are free; Brook takes" in text_of(browser, ".answer")
    assert not all_of(browser, "#clearing button.do")  # all of today
    press(browser, f"#{slug} button")
    wait(browser, lambda: "The archive," in text_of(browser, f"#{slug} .made"), 60)
    file = next(brook_app.state.studio.orders.folder.glob("*.zip"))
    kept = tmp_path / "mine.zip"
    shutil.copyfile(file, kept)
    press(browser, "#rule input[type=checkbox]")
    wait(browser, lambda: brook_app.state.studio.keeping.rule.on)
    brook_app.state.studio.keeping.change(30, False)
    browser.get(brook_server)
    browser.find_element("css selector", "#archive").send_keys(str(kept))
    wait(browser, lambda: all_of(browser, "#take-archive button:enabled"))
    press(browser, "#take-archive button")
    wait(browser, lambda: "to the study" in text_of(browser, "#take-archive .sent"), 60)
    press(browser, "#take-archive .sent a")
    wait(browser, lambda: "/studies/archived" in browser.current_url)
