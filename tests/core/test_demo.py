"""The studies that a newcomer finds: each can run as it is."""

import pytest

from brook import demo
from brook.core.checks import check, prepare
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study.space import SpaceGeometry

STUDIES = {study.title: study for study in demo.studies()}


@pytest.mark.parametrize("title", STUDIES)
def test_nothing_keeps_a_demo_study_from_running(title):
    assert check(STUDIES[title]) == []
    assert len(STUDIES[title].variants) >= 3


@pytest.mark.slow
@pytest.mark.parametrize("title", ["Intake bars in slack water", "Intake bars in flood"])
def test_the_teardrop_is_dragged_least(title):
    study = STUDIES[title]
    raw = study.model_dump(mode="json")
    raw["mesh_plan"] |= {"bulk": "12 mm", "wall": "1.5 mm"}
    coarse = type(study).model_validate(raw)
    drags = {}
    for variant in coarse.variants:
        assert not isinstance(variant.geometry, SpaceGeometry)
        prepared = prepare(coarse, variant)
        outcome = solve(coarse, prepared, make_mesh(prepared))
        assert outcome.state == "converged"
        drags[variant.name] = read_all(coarse, prepared, outcome.fields, outcome.history)[0].value
    assert drags["teardrop"] < drags["round"] < drags["square"]
