"""Two people, or two programs, at one study: nobody erases or undoes what the other did without being told."""

import httpx
import pytest

from brook.core.study import study_text
from brook.store import Author, Meanwhile, NotOwn, Store
from tests.core.studies import tray

pytestmark = pytest.mark.server


@pytest.fixture
def http(brook_server):
    with httpx.Client(base_url=brook_server, timeout=30) as client:
        yield client


@pytest.fixture
def slug(http):
    return http.post("/api/studies", content=study_text(tray())).json()["slug"]


def test_an_old_document_does_not_erase_what_another_program_wrote(http, slug):
    base = f"/api/studies/{slug}"
    seen = http.get(base).json()["changes"]
    mine = http.get(f"{base}/document").json()
    assert (
        http.post(f"{base}/edit", json={"values": {"/brief/notes": "weir is 2 mm off"}, "seen": seen}).status_code
        == 200
    )
    mine["title"] = "Mine"
    stale = http.put(f"{base}/document", params={"seen": seen}, json=mine)
    assert stale.status_code == 409
    assert "meanwhile" in stale.text
    assert http.get(f"{base}/document").json()["brief"]["notes"] == "weir is 2 mm off"
    for what, body in (
        ("edit", {"values": {"/title": "Mine"}}), ("actions/remove", {"values": {"pointer": "/requirements/0"}}),
        ("undo", {}), ("redo", {}), ("history/1", {}),
    ):  # fmt: skip
        assert http.post(f"{base}/{what}", json={**body, "seen": seen}).status_code == 409, what
    now = http.get(base).json()["changes"]
    assert http.put(f"{base}/document", params={"seen": now}, json=mine).status_code == 200


def test_a_value_that_says_what_it_replaces_goes_beside_others(http, slug):
    """Two who change different values of one study do not hinder each other."""
    base = f"/api/studies/{slug}"
    seen = http.get(base).json()["changes"]
    http.post(f"{base}/edit", json={"values": {"/brief/notes": "noted"}, "seen": seen})
    title = http.get(f"{base}/document").json()["title"]
    values = {"values": {"/title": "Other"}, "was": {"/title": title}, "seen": seen}
    assert http.post(f"{base}/edit", json=values).status_code == 200


def test_undo_takes_back_only_ones_own(http, slug):
    base = f"/api/studies/{slug}"
    http.post(f"{base}/edit", json={"values": {"/title": "By Ada"}, "who": "Ada"})
    seen = http.get(base).json()["changes"]
    for other in ({"who": "Ben", "seen": seen}, {"seen": seen}, {"who": "Ben"}):
        refused = http.post(f"{base}/undo", json=other)
        assert refused.status_code == 409
        assert "was done by Ada" in refused.text
        assert "go to step 1 in the history" in refused.text
    assert http.post(f"{base}/undo", json={"who": "Ada"}).json()["message"].startswith("Undone")


def test_windows_of_one_browser_are_one_person(tmp_path):
    store = Store(tmp_path)
    mine, also_mine, other = Author("", "b1.w1"), Author("", "b1.w2"), Author("", "b2.w1")
    slug = store.add_study(tray(), "new", mine)

    def change(title, author):
        store.change_study(slug, tray(title=title), f"title {title}", store.study_row(slug).changes, author)

    change("Second", mine)
    with pytest.raises(NotOwn, match="somebody else"):
        store.undo(slug, other)
    with pytest.raises(NotOwn):
        store.undo(slug, Author())
    assert store.undo(slug, also_mine) == "title Second"
    seen = store.study_row(slug).changes
    change("Third", also_mine)  # the same person, but this window has not seen it
    with pytest.raises(Meanwhile):
        store.undo(slug, Author("", "b1.w1", seen))
    store.close()


def test_a_change_that_comes_between_is_not_overwritten(http, brook_app, slug, monkeypatch):
    """Somebody changes the study after it was looked at whether anybody had, and before the document is kept."""
    store, base = brook_app.state.studio.store, f"/api/studies/{slug}"
    mine = http.get(f"{base}/document").json()
    minded = store.mind_others

    def meanwhile(study, author):
        minded(study, author)
        row = store.study_row(study)
        store.change_study(study, tray(title="Came between"), "between", row.changes)

    monkeypatch.setattr(store, "mind_others", meanwhile)
    answer = http.put(f"{base}/document", json={**mine, "title": "Mine"}, params={"seen": 1})
    assert answer.status_code == 409
    assert http.get(f"{base}/document").json()["title"] == "Came between"


@pytest.mark.parametrize(
    ("came", "to"),
    [
        ("http://127.0.0.1:1/studies/x?part=y", "/"), ("https://else.where/studies/x", "/"), ("nonsense", "/"), ("", "/"),
        ("{server}//else.where/x", "/else.where/x"), ("{server}/\\else.where/x", "/else.where/x"),
        ("{server}///else.where", "/else.where"), ("{server}/studies/x/history?a=b", "/studies/x/history?a=b"),
    ],
)  # fmt: skip
def test_saying_ones_name_leads_nowhere_else(http, brook_server, came, to):
    answer = http.post("/my-name", data={"my_name": "A. Fell"}, headers={"Referer": came.format(server=brook_server)})
    assert (answer.status_code, answer.headers["location"]) == (303, to)
