"""Bad input gets a message at its place."""

import pytest

from brook.core.checks import check
from brook.core.study.document import study_from
from tests.core.studies import baffle, raw_tray, tray, variant


def problems_of(change):
    raw = raw_tray()
    change(raw)
    return {p.path: p.message for p in check(study_from(raw))}


def test_a_good_study_has_no_problems():
    assert check(tray()) == []


def put(path, value):
    def change(raw):
        *parents, last = path.strip("/").split("/")
        for step in parents:
            raw = raw[int(step)] if isinstance(raw, list) else raw[step]
        raw[last] = value

    return change


def test_a_wall_of_a_drawing_turns_about_z_only():
    found = problems_of(put("/set_up/boundaries", [{"kind": "turning", "patch": "lid", "axis": "x"}]))
    assert "about an axis along z only" in found["/set_up/boundaries/0/axis"]


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [
        ("/mesh_plan/bulk", "-3 mm", "more than zero"),
        ("/mesh_plan/bulk", "3", "a unit is missing: this is a length"),
        ("/mesh_plan/bulk", "3 s", "this is a length, for example 25 mm; what is written is a time"),
        ("/mesh_plan/growth", "1", "cells have to grow"),
        ("/set_up/fluid/temperature", "120 degC", "water is known here as a liquid from 0.01 °C to 99.85 °C"),
        ("/set_up/boundaries/0/speed", "-8 mm/s", "more than zero"),
        ("/set_up/boundaries/0/speed", "suply", "did you mean supply"),
        ("/set_up/boundaries/0/patch", "inlt", "'inlt' is not a patch: did you mean inlet"),
        ("/set_up/materials", {"tary": {"kind": "library"}}, "there is no body 'tary': did you mean tray"),
        ("/set_up/heat", {"sources": [{"body": "tary"}]}, "there is no body 'tary': did you mean tray"),
        ("/requirements/0/reading", "try.speed.mean", "'try' is not a patch, body or box here: did you mean tray"),
        ("/requirements/0/reading", "tray.sped.mean", "did you mean speed"),
        ("/requirements/0/reading", "tray.speed.avg", "'avg' of speed is not known"),
        ("/requirements/0/reading", "tray.flow.total", "cannot be read on a body"),
        ("/requirements/0/reading", "tray.speed", "say a quantity and a statistic"),
        ("/requirements/0/reading", "tray.speed.share_below(3 Pa)", "has to be a speed"),
        ("/requirements/1/limit/value", "6", "a unit is missing"),
        ("/requirements/1/limit/value", "6 Pa", "the reading is a speed"),
        ("/requirements/1/unit", "Pa", "'Pa' is not"),
        ("/places/egg_layer/top", "-1 mm", "lies before"),
        ("/named_values/supply", "4 mm/s + 1", "cannot be put together"),
        ("/named_values/depth", "length / 2 + depth", "made from itself"),
        ("/named_values/h", "4 mm", "already has a meaning"),
        ("/run_rules/residual", "1 Pa", "this is a plain number"),
    ],
)  # fmt: skip
def test_a_wrong_value_is_named_at_its_place(path, value, words):
    found = problems_of(put(path, value))
    assert words in found.get(path, str(found))


def test_too_many_cells_are_refused_at_the_size_that_makes_them():
    assert "million cells" in problems_of(put("/mesh_plan", {"bulk": "0.03 mm", "wall": "0.03 mm"}))["/mesh_plan/bulk"]


def test_no_outlet_and_nothing_that_moves():
    found = problems_of(lambda raw: raw["set_up"]["boundaries"].pop(1))
    assert "an inlet but no outlet" in found["/set_up/boundaries"]
    found = problems_of(lambda raw: raw["set_up"].update(boundaries=[]))
    assert "nothing moves the fluid" in found["/set_up/boundaries"]


def test_two_statements_on_one_patch():
    found = problems_of(lambda raw: raw["set_up"]["boundaries"].append({"kind": "slip", "patch": "inlet"}))
    assert "already said of 'inlet'" in found["/set_up/boundaries/2/patch"]


def test_a_patch_that_one_variant_lacks_is_no_misspelling():
    requirement = {
        "name": "baffle_pressure",
        "title": "On the baffle",
        "reading": "baffle.pressure.max",
        "limit": {"kind": "smallest"},
    }
    assert check(tray(requirements=[requirement])) == []


def test_a_variant_may_override_a_named_value():
    longer = {**variant("longer", "Longer", [baffle(left="150 mm")]), "named_values": {"length": "200 mm"}}
    assert check(tray(variants=[longer])) == []
    found = {p.path for p in check(tray(variants=[variant("plain", "Plain", [baffle(left="150 mm")])]))}
    assert found == {"/variants/0/geometry/shapes/0/left"}


def test_an_empty_study_says_what_is_missing():
    found = {p.path: p.kind for p in check(study_from({"format": "brook-study", "version": 1, "title": "New"}))}
    assert found == {"/variants": "missing"}
