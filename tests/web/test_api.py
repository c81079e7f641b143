"""The HTTP API: the same operations, and what no request may do to it."""

import json

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brook.core.editing import ACTIONS
from brook.core.study import read_study, study_text
from tests.core.studies import tray
from tests.web.helpers import client, up_to_date

pytestmark = pytest.mark.server


@pytest.fixture(scope="module")
def http(brook_server):
    with client(brook_server) as http:
        yield http


def take_in(http, study):
    answer = http.post("/api/studies", content=study_text(study).encode())
    assert answer.status_code == 201, answer.text
    return answer.json()["slug"]


@pytest.fixture
def slug(http):
    slug = take_in(http, tray())
    yield slug
    http.delete(f"/api/studies/{slug}")


def test_the_job_by_api_alone(http, slug):
    """Edit, run, read, undo: what the pages do, as JSON."""
    base = f"/api/studies/{slug}"
    assert http.get(base).json()["variants"] == ["plain", "hanging"]
    edit = http.post(f"{base}/edit", json={"values": {"/named_values/supply": "5 mm/s"}, "who": "a script"})
    assert edit.json() == {"changes": 2, "message": ""}
    act = http.post(f"{base}/actions/add_plot", json={"values": {
        "quantity": "velocity_x", "start_x": "60 mm", "start_y": "0 mm", "end_x": "60 mm", "end_y": "60 mm",
        "along": "y", "title": "Middle"}})  # fmt: skip
    assert act.json()["changes"] == 3
    assert http.get(f"{base}/problems").json() == []
    assert http.post(f"{base}/variants/hanging/run", json={}).json() == {"queued": ["hanging"]}
    assert http.post(f"{base}/run", json={}).json() == {"queued": ["plain"]}
    up_to_date(http, slug)
    found = http.get(f"{base}/variants/hanging").json()
    assert (found["run"], found["fresh"], found["ready"]) == ("converged", True, True)
    still = {r["requirement"]: r for r in found["readings"]}["still"]
    assert still["unit"] == "1"
    assert 0 < still["value"] < 1
    assert len(http.get(f"{base}/variants/hanging/history").json()["residuals"]["momentum"]) > 20
    plot = http.get(f"{base}/plots/middle", params={"variants": "hanging"}).json()
    assert (plot["x_unit"], plot["y_unit"], len(plot["curves"])) == ("mm", "mm/s", 1)
    assert {f["patch"] for f in http.get(f"{base}/variants/hanging/forces").json()} >= {"inlet", "floor", "baffle"}
    assert http.post(f"{base}/undo", json={}).json()["message"].startswith("Undone: Add plot")
    assert [s["current"] for s in http.get(f"{base}/history").json()] == [False, True, False]
    assert http.get(f"{base}/history").json()[1]["who"] == "a script"


def test_refusals_say_where_and_what(http, slug):
    base = f"/api/studies/{slug}"
    wrong = http.post(f"{base}/edit", json={"values": {"/named_values/supply": "5"}})
    assert wrong.status_code == 422
    (problem, *_) = wrong.json()["detail"]["problems"]
    assert "unit" in problem["message"]
    late = http.post(f"{base}/edit", json={"values": {"/title": "New"}, "was": {"/title": "Other"}})
    assert late.status_code == 422
    assert http.post(f"{base}/edit", json={"values": {"/nothing": "x"}}).status_code == 404
    assert http.post(f"{base}/actions/nothing", json={}).status_code == 404
    assert http.get("/api/studies/none").status_code == 404
    assert http.get("/api/nothing").json()["detail"]


def test_a_document_can_be_put_in_place_and_taken_back(http, slug):
    base = f"/api/studies/{slug}"
    document = http.get(f"{base}/document").json()
    document["title"] = "Another"
    assert http.put(f"{base}/document", json=document).json()["changes"] == 2
    assert http.get(base).json()["title"] == "Another"
    document["variants"][0]["geometry"]["depth"] = 7
    assert http.put(f"{base}/document", json=document).status_code == 422
    http.post(f"{base}/undo", json={})
    assert http.get(base).json()["title"] == "Short tray"


def test_it_describes_itself(http):
    described = http.get("/api/openapi.json").json()
    assert described["openapi"].startswith("3.")
    paths = described["paths"]
    assert "/api/studies/{slug}/actions/{action}" in paths
    assert all(path.startswith("/api/") for path in paths)
    assert set(http.get("/api/actions").json()) == set(ACTIONS)


# -- whatever is sent: never an error of the server, never half a change ---------------------------

POINTERS = st.sampled_from([
    "/title", "/named_values/supply", "/variants/0/geometry/outer/width", "/variants/1/geometry/shapes/0/height",
    "/requirements/0/limit/value", "/mesh_plan/bulk", "/set_up/boundaries/0/speed", "/plates/0", "/", "", "/variants/99",
    "/run_rules/iterations", "/requirements/-1/title", "/variants", "/places/egg_layer/top", "/set_up/boundaries/0/kind",
    "/plots/0/lines/0/start_x", "/fields/slow",
])  # fmt: skip
TEXTS = st.one_of(
    st.sampled_from(["5 mm/s", "20 mm", "-1 mm", "1e400 mm", "1/0", "depth * 2", "((", "0", "speed", "plain", "inlet", "1", "-1",
                     "nan", "inf", "0,0,0", "1,2,1", "speed * 2", "9" * 400, "a.b.c", "if(1,2,3)", "x^x^x"]),
    st.text(max_size=40),
)  # fmt: skip
EDITS = st.tuples(st.just("edit"), st.dictionaries(POINTERS, TEXTS, min_size=1, max_size=3))
KEYS = st.sampled_from(["pointer", "title", "name", "value", "variant", "source", "patch", "kind", "to", "quantity", "start_x",
                        "start_y", "end_x", "end_y", "camera", "range", "reading", "limit", "by", "axis", "low", "high", "position"])  # fmt: skip
ACTS = st.tuples(st.sampled_from(sorted(ACTIONS)), st.dictionaries(KEYS, st.one_of(POINTERS, TEXTS), max_size=6))
STEPS = st.tuples(st.sampled_from(["undo", "redo", "history/1", "history/7"]), st.just({}))


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(wishes=st.lists(st.one_of(EDITS, ACTS, STEPS), min_size=1, max_size=4))
def test_no_request_breaks_the_server_or_leaves_half_a_change(http, slug, wishes):
    base = f"/api/studies/{slug}"
    for what, values in wishes:
        before, changes = http.get(f"{base}/document").text, http.get(base).json()["changes"]
        address = f"{base}/{what}" if what.startswith(("edit", "undo", "redo", "history")) else f"{base}/actions/{what}"
        answer = http.post(address, json={"values": values} if values or "actions" in address else {})
        assert answer.status_code < 500, (what, values, answer.text)
        after = http.get(f"{base}/document").text
        read_study(after)
        now = http.get(base).json()["changes"]
        if answer.status_code >= 400:
            assert (after, now) == (before, changes)
        else:
            assert now - changes in (0, 1)
        assert (now == changes) <= (after == before)


BODIES = st.one_of(
    st.binary(max_size=200), st.text(max_size=200).map(lambda t: json.dumps(t).encode()),
    st.recursive(st.none() | st.booleans() | st.floats() | st.text(max_size=8), lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3), max_leaves=8).map(lambda v: json.dumps(v).encode()),
)  # fmt: skip
ADDRESSES = ["/api/studies", "/api/studies/{}/edit", "/api/studies/{}/undo", "/api/studies/{}/run", "/api/studies/{}/actions/remove",
             "/api/studies/{}/variants/plain/run", "/api/studies/{}/history/1", "/studies/{}/edit", "/studies/{}/act/add_plot",
             "/studies/{}/undo", "/import", "/studies", "/studies/{}/plots/none/reference", "/studies/{}/geometry/plain/preview"]  # fmt: skip


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    address=st.sampled_from(ADDRESSES),
    body=BODIES,
    kind=st.sampled_from(
        ["application/json", "application/x-www-form-urlencoded", "multipart/form-data; boundary=x", "text/plain"]
    ),
)
def test_no_body_breaks_the_server(http, slug, address, body, kind):
    answer = http.post(address.format(slug), content=body, headers={"content-type": kind})
    assert answer.status_code < 500, (address, body, answer.text)


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(path=st.lists(st.one_of(st.sampled_from(["studies", "api", "variants", "plain", "run", "results", "plots", "views", "..", "history", "field", "forces", "readings.csv", "readings.exe", "document.json", "compare"]), st.text(max_size=6)), max_size=5),
       query=st.dictionaries(st.sampled_from(["part", "plate", "a", "before", "begin", "at", "count", "variants"]), st.text(max_size=8), max_size=2))  # fmt: skip
def test_no_address_breaks_the_server(http, slug, path, query):
    try:
        url = httpx.URL("/" + "/".join([path[0] if path else "", slug, *path[1:]]), params=query)
    except httpx.InvalidURL:
        return
    assert http.get(url).status_code < 500


# -- what stands before every request ---------------------------------------------------------------


def test_only_its_own_names_and_pages_are_answered(http, slug):
    assert http.get("/", headers={"Host": "evil.example"}).status_code == 421
    for headers in (
        {"Origin": "http://evil.example"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Sec-Fetch-Site": "same-site"},
        {"Origin": "null"},
    ):
        answer = http.post(f"/api/studies/{slug}/edit", json={"values": {"/title": "Stolen"}}, headers=headers)
        assert answer.status_code == 403
    assert http.get(f"/api/studies/{slug}").json()["title"] == "Short tray"


def test_large_bodies_are_refused_with_or_without_their_length(http):
    assert http.post("/api/studies", content=b" " * 5_000_000).status_code == 413

    def endless():
        for _ in range(600):
            yield b" " * 10_000

    assert http.post("/api/studies", content=endless()).status_code == 413


def test_every_answer_carries_the_headers(http):
    for address in ("/", "/api/studies", "/nothing", "/static/app.js"):
        headers = http.get(address).headers
        assert "'unsafe-inline'" not in headers["content-security-policy"].split("style-src")[0]
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["x-frame-options"] == "DENY"
