"""Operating points: what is computed is each variant at each of them; the worst one decides."""

import pytest

from brook.core.answer import Standing, best_of, folded, sentence
from brook.core.checks import check, prepare
from brook.core.editing import EditRefused, act, set_value
from brook.core.results import Judgement
from brook.core.stages.following import follow_of
from brook.core.stages.keys import stage_keys
from brook.core.study import DocumentError, case_name, read_study, study_text
from brook.core.study.document import study_from
from tests.core.studies import tray


@pytest.fixture(scope="module")
def study():
    plain = set_value(tray(), "/named_values/supply", "8 mm/s")
    plain = act(plain, "add_point", title="As usual", name="supply", value="8 mm/s")
    return act(plain, "add_point", title="High water", name="supply", value="12 mm/s")


def changed(study, **parts):
    return study_from(study.model_dump(mode="json") | parts)


def test_each_variant_is_computed_at_each_point(study):
    assert [c.name for c in study.cases] == [
        f"{v.name}-at-{p}" for v in study.variants for p in ("as_usual", "high_water")
    ]
    assert study.cases[1].title == f"{study.variants[0].title}, high water"
    again = read_study(study_text(study))
    assert again == study
    assert not [p for p in check(study) if p.path.startswith("/points")]
    usual, high = (
        prepare(study, study.variant(f"{study.variants[0].name}-at-{p}")) for p in ("as_usual", "high_water")
    )
    assert (usual.boundaries[0].speed, high.boundaries[0].speed) == pytest.approx((0.008, 0.012))


def test_what_was_computed_without_points_is_that_of_the_one_that_changes_nothing(study):
    """And two points leave shape and mesh as they are."""
    plain = changed(study, points=[])
    keys = [stage_keys(s, prepare(s, s.variant(n))) for s, n in (
        (plain, study.variants[0].name), (study, study.cases[0].name), (study, study.cases[1].name),
    )]  # fmt: skip
    assert keys[0] == keys[1]
    assert keys[1].mesh == keys[2].mesh
    assert keys[1].run != keys[2].run


def test_points_without_values_or_with_what_nobody_uses_are_told_at_their_place(study):
    empty = changed(study, points=[{"name": "as_usual", "title": "As usual"}])
    assert {p.path: p.message for p in check(empty)}["/points/0/named_values"].startswith(
        "say which named values hold at 'As usual'"
    )
    wrong = act(study, "set_at_point", pointer="/points/1", name="suply", value="3 mm/s")
    assert "did you mean" in {p.path: p.message for p in check(wrong)}["/points/1/named_values/suply"]
    with pytest.raises(EditRefused, match="speed"):
        set_value(study, "/points/1/named_values/supply", "12 mm")
    with pytest.raises(EditRefused, match="no operating point 'night'"):
        set_value(study, "/requirements/0/at", "night")
    assert set_value(study, "/requirements/0/at", "high_water").requirements[0].at == "high_water"


def case(value, margin, loss, complete=True):
    verdict = "pass" if margin >= 0 else "fail"
    return Standing(
        "x",
        "X",
        complete,
        {"still": (value, Judgement(verdict, margin, "")), "loss": (loss, Judgement("open", None, ""))},
    )


def test_the_worst_point_decides():
    wishes = [("loss", "smallest")]
    points = ["As usual", "High water"]
    even = folded("Even", "even", [case(0.1, 0.5, 50.0), case(0.3, -0.2, 90.0)], points, wishes)
    flat = folded("Flat", "flat", [case(0.1, 0.4, 60.0), case(0.15, 0.1, 80.0)], points, wishes)
    tall = folded("Tall", "tall", [case(0.1, 0.4, 70.0), case(0.15, 0.1, 75.0)], points, wishes)
    assert even.values["still"][0] == 0.3
    assert even.worst == {"still": "High water", "loss": "High water"}
    assert not even.holds
    assert best_of([even, flat, tall], wishes) is tall  # least of the worst losses
    assert sentence([even, flat], flat, {"still": "Still water"}) == "Only “Flat” holds every limit."
    assert not folded(
        "Even", "even", [case(0.1, 0.5, 5.0), case(0.1, 0.5, 5.0, complete=False)], points, wishes
    ).complete


def test_boxes_that_follow_a_run_do_so_at_every_point(study):
    said = {"variant": study.variants[0].name, "run": "0" * 20, "cells": 5000}
    follows = changed(study, mesh_plan={**study.mesh_plan.model_dump(mode="json"), "way": "boxes", "follows": [said]})
    for case in follows.cases[:2]:
        assert follow_of(prepare(follows, case)).cells == 5000
    assert follow_of(prepare(follows, follows.cases[2])) is None


def test_names_of_cases_lead_to_their_variant(study):
    assert case_name("even", "high_water") == "even-at-high_water"
    assert study.index_of(study.variant(study.cases[-1].name)) == len(study.variants) - 1
    with pytest.raises(KeyError):
        study.variant(f"{study.variants[0].name}-at-night")


def test_more_cases_than_anybody_computes_are_refused(study):
    points = [{"name": f"p{k}", "title": f"P {k}", "named_values": {"supply": "1 mm/s"}} for k in range(12)]
    variants = [study.variants[0].model_dump(mode="json") | {"name": f"v{k}"} for k in range(21)]
    with pytest.raises(DocumentError, match="252 cases; at most 240"):
        changed(study, points=points, variants=variants)
