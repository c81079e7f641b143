"""Ready-made starts: each fills in statements that run as they stand."""

import pytest

from brook.core.checks import check, prepare
from brook.core.editing import EditRefused, act
from brook.core.editing.begins import BEGINS
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Study
from tests.core.studies import raw_tray, tray


def fresh():
    return act(Study(title="New"), "add_variant", title="First variant", kind="plane")


@pytest.mark.parametrize("kind", BEGINS)
def test_a_start_runs_as_it_stands(kind):
    study = act(fresh(), "begin_with", kind=kind)
    assert check(study) == []
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    assert abs(outcome.fields.velocity).max() > 1e-4


def test_a_start_finds_the_patches_that_a_study_has_and_takes_the_last_one_back():
    study = act(act(tray(), "begin_with", kind="fan"), "begin_with", kind="inner")
    said = {b.patch: b.kind for b in study.set_up.boundaries}
    assert said == {"inlet": "velocity", "weir": "pressure"}
    assert study.set_up.turbulence is None
    assert study.named_values == tray().named_values


def test_a_study_without_patches_for_it_says_what_is_missing():
    raw = raw_tray()
    for variant in raw["variants"]:
        variant["geometry"]["openings"] = []
        variant["geometry"]["outer"]["patches"] = dict.fromkeys(("left", "right", "bottom", "top"), "shell")
        variant["geometry"]["shapes"] = []
    raw |= {"set_up": {}, "requirements": []}
    study = Study.model_validate(raw)
    with pytest.raises(EditRefused, match="name a patch for what enters"):
        act(study, "begin_with", kind="inner")
    assert act(study, "begin_with", kind="sealed").set_up.heat.patches[0].patch == "shell"
