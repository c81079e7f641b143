"""Formulas of the time and of the place beside their statements, as graphs and in words."""

from dataclasses import replace

import pytest

from brook.core.checks import prepare
from brook.web.formula_graphs import formula_graphs
from tests.core.test_within import duct

PROFILE = {"profile": {"along": "mm", "unit": "m/s", "points": [[10, 1], [40, 2]]}}
OUT = {"kind": "pressure", "patch": "outlet"}


class Variant:
    def __init__(self, study):
        self.variant = study.variants[0]
        self.prepared = prepare(study, self.variant)


class State:
    def __init__(self, study):
        self.study = study


def graphs(study):
    return formula_graphs(State(study), Variant(study))


def test_a_value_by_place_stands_along_its_patch():
    study = duct(boundaries=[{"kind": "velocity", "patch": "inlet", "speed": "profile(y)"}, OUT], tables=PROFILE)
    ((pointer, (made,)),) = graphs(study).items()
    assert pointer == "/set_up/boundaries/0"
    assert (made["x"], made["y"]) == ("along inlet in mm", "speed in m/s")
    assert made["words"].startswith("From 1.00 m/s to 2.00 m/s. 4")
    assert "beyond the ends of its table" in made["words"]


@pytest.mark.parametrize("rate", ["2 mg/s * pulse(t, 1 s, 3 s)", "burst"])
def test_a_value_by_the_time_stands_over_the_whole_run(rate):
    timing = {"kind": "in_time", "duration": "10 s", "step": "1 s"}
    study = duct(
        {"kind": "release", "substance": "dye", "rate": rate}, timing=timing, scalars=[{"kind": "tracer", "name": "dye", "title": "Dye"}],
    )  # fmt: skip
    study = study.model_copy(update={"named_values": {"burst": "2 mg/s * pulse(t, 1 s, 3 s)"}})
    (made,) = graphs(study)["/set_up/within/0"]
    assert (made["x"], made["words"]) == ("t in s", "From 0 mg/s to 2.00 mg/s.")


def test_what_stays_the_same_has_no_graph():
    assert graphs(duct()) == {}


def test_a_value_by_place_stands_along_the_middle_of_a_patch_in_space():
    """0.2 m along y and 0.1 m along z: y goes from 0.3 to 0.5 m."""
    study = duct(boundaries=[{"kind": "velocity", "patch": "inlet", "speed": "2 m/s * y / (1 m)"}, OUT])
    variant = Variant(study)
    variant.prepared = replace(variant.prepared, shape=None)
    spans = {"inlet": [[[0, 0.3, 0], [0, 0.5, 0]], [[0, 0.4, -0.05], [0, 0.4, 0.05]]], "outlet": []}
    along, across = formula_graphs(State(study), variant, spans)["/set_up/boundaries/0"]
    assert (along["x"], along["words"]) == ("along inlet, y in mm", "From 0.600 m/s to 1.00 m/s.")
    assert (across["x"], across["words"]) == ("across inlet, z in mm", "It is 800 mm/s all along.")
