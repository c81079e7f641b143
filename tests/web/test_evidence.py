"""The page Evidence: every case with its figures, and curves beside published points."""

import json

import pytest

from brook.core.verification import Curve, cases
from brook.web.graph import graph
from brook.web.routes.evidence import FIGURES, shown
from tests.web.helpers import client


def test_figures_of_every_case_are_there_and_within_their_tolerance():
    """Those of quick cases are measured anew in `tests/core/test_pipeline.py`."""
    known = json.loads(FIGURES.read_text())["cases"]
    assert set(known) == set(cases())
    outside = [(n, c["what"]) for n, case in known.items() for c in case["comparisons"] if not c["passed"]]
    assert not outside


def test_words_of_a_comparison():
    case = {
        "comparisons": [
            {
                "reference": 2.0,
                "measured": 1.99,
                "difference": -0.005,
                "tolerance": 0.01,
                "scale": None,
                "at_least": False,
            },
            {"reference": 1.9, "measured": 2.01, "difference": 0.11, "tolerance": 0, "scale": None, "at_least": True},
            {
                "reference": 0.0,
                "measured": 1e-14,
                "difference": 1e-14,
                "tolerance": 1e-6,
                "scale": 1.0,
                "at_least": False,
            },
        ]
    }
    rows = [(r["wanted"], r["found"], r["off"], r["allowed"]) for r in shown(case)]
    assert rows == [("2", "1.99", "−0.5 %", "± 1 %"), ("at least 1.9", "2.01", "", ""), ("0", "0", "0", "± 1e-06")]


@pytest.mark.parametrize("logarithmic", [False, True])
def test_a_graph_keeps_its_line_between_its_axes(logarithmic):
    line = ([1.0, 10.0, 300.0], [0.02, 0.5, 3.0])
    drawn = graph(Curve.of("a", "x", "y", line, ([10.0], [0.5]), "exact", logarithmic).__dict__)
    for pair in drawn["path"].split():
        x, y = map(float, pair.split(","))
        assert drawn["left"] <= x <= drawn["right"]
        assert drawn["top"] <= y <= drawn["bottom"]
    assert drawn["places"] == [drawn["path"].split()[1].split(",")]
    assert 3 <= len(drawn["across"]) <= 9


@pytest.mark.server
def test_the_page_answers_first(brook_server):
    with client(brook_server) as http:
        page = http.get("/evidence")
        assert page.status_code == 200
        assert "agree with what is published" in page.text
        for name in cases():
            assert f'id="{name}"' in page.text
        assert page.text.count('class="measured"') >= 8
        assert 'href="/evidence"' in http.get("/").text
