"""What is metered at patches, shared out over several, and said of several at once."""

import pytest

from brook.core.checks import prepare
from brook.core.checks.advice import Flowing, advice
from brook.core.editing import act
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from

IN = {"kind": "mass", "patch": "inlet", "mass_flow": "0.12 kg/s"}
WARM = {"start": "300 K", "buoyancy": "density", "patches": [
    {"kind": "temperature", "patch": "inlet", "temperature": "400 K"}, {"kind": "temperature", "patch": "wall", "temperature": "300 K"}]}  # fmt: skip
GAS = {"kind": "gas", "viscosity": "0.01 Pa s", "conductivity": "1 W/(m K)"}


def rake(*boundaries, **set_up):
    """A box of 300 by 100 mm, 1 m deep, with three arms upwards."""
    outer = {"name": "box", "left": "0 m", "bottom": "0 m", "width": "300 mm", "height": "100 mm",
             "patches": {"left": "inlet", "right": "wall", "bottom": "wall", "top": "wall"}}  # fmt: skip
    arms = [{"name": f"arm{k}", "action": "add", "left": f"{60 + 90 * k} mm", "bottom": "80 mm", "width": "30 mm", "height": "60 mm",
             "patches": {"left": "wall", "right": "wall", "bottom": "wall", "top": f"branch_{k}"}} for k in range(3)]  # fmt: skip
    air = {"kind": "own", "density": "1.2 kg/m^3", "viscosity": "0.01 Pa s"}
    return study_from({
        "format": "brook-study", "version": 1, "title": "Rake",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": arms}}],
        "mesh_plan": {"bulk": "10 mm", "wall": "10 mm"}, "set_up": {"fluid": air, "boundaries": list(boundaries), **set_up},
    })  # fmt: skip


def prepared_of(study):
    return prepare(study, study.variants[0])


def run(study):
    prepared = prepared_of(study)
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared))


def masses(outcome, *names):
    s, flux = outcome.fields.stencil, outcome.fields.flux[outcome.fields.stencil.inner :]
    return [flux[s.boundary_faces(outcome.fields.mesh.patch(name))].sum() for name in names or ("branch_0", "branch_1", "branch_2")]  # fmt: skip


def share(k, value):
    return {"kind": "share", "patch": f"branch_{k}", "share": value}


@pytest.mark.parametrize("more", [{}, {"fluid": GAS, "heat": WARM}], ids=["alike", "warm_gas"])
def test_mass_is_shared_out_as_said(more):
    outcome = run(rake(IN, share(0, "20 %"), share(1, "30 %"), share(2, "1/2"), **more))
    assert outcome.state == "converged"
    assert masses(outcome) == pytest.approx([0.024, 0.036, 0.06], rel=1e-10)
    assert masses(outcome, "inlet")[0] == pytest.approx(-0.12, rel=1e-10)


def test_the_rest_leaves_where_nothing_is_said_of_how_much():
    drawn = {"kind": "drawn", "patch": "branch_1", "mass_flow": "90 g/s"}
    outcome = run(rake(IN, share(0, "20 %"), drawn, {"kind": "pressure", "patch": "branch_2"}))
    assert masses(outcome) == pytest.approx([0.024, 0.09, 0.006], rel=1e-9)


def test_a_share_of_what_a_pressure_drives_in_follows_it():
    rest = {"kind": "rest", "patch": "inlet", "pressure": "5 Pa"}
    outcome = run(rake(rest, share(0, "20 %"), share(1, "30 %"), {"kind": "pressure", "patch": "branch_2"}))
    found = masses(outcome)
    assert [m / sum(found) for m in found] == pytest.approx([0.2, 0.3, 0.5], rel=1e-6)
    with pytest.raises(ValueError, match="depends on what may leave"):
        run(rake(rest, share(0, "20 %"), share(1, "30 %"), share(2, "50 %")))


def test_shares_that_do_not_add_up_are_no_run():
    for last, words in (("40 %", "add up to 90 %, and nothing else lets the rest out"), ("60 %", "add up to 110 %, more than enters")):  # fmt: skip
        problems = prepared_of(rake(IN, share(0, "20 %"), share(1, "30 %"), share(2, last))).problems
        assert words in problems[0].message
        assert problems[0].path == "/set_up/boundaries/3/share"


def test_a_statement_of_several_patches_is_that_of_each():
    said = rake(IN, {"kind": "share", "patch": "branch_*", "share": "1/3"})
    each = rake(IN, *(share(k, "1/3") for k in range(3)))
    assert stage_keys(said, prepared_of(said)) == stage_keys(each, prepared_of(each))
    assert masses(run(said)) == pytest.approx([0.04] * 3, rel=1e-10)


def test_what_is_said_of_one_patch_goes_before_what_is_said_of_several():
    study = rake(IN, {"kind": "pressure", "patch": "branch_*"})
    study = act(study, "set_boundary", patch="branch_1", kind="wall")
    assert {b.patch: b.kind for b in prepared_of(study).boundaries}["branch_1"] == "wall"
    assert masses(run(study), "branch_1") == [0]
    again = act(study, "set_boundary", patch="branch_*", kind="slip")
    assert sorted(b.kind for b in prepared_of(again).boundaries) == ["mass", "slip", "slip", "wall"]


def test_a_pattern_of_no_patch_is_told():
    problems = prepared_of(rake(IN, {"kind": "pressure", "patch": "brnch_*"})).problems
    assert any("'brnch_*' is not a patch" in p.message for p in problems)
    assert any("has an inlet but no outlet" in p.message for p in problems)


def test_statements_that_say_the_same_become_one_and_each_again():
    alike = rake(IN, *({"kind": "pressure", "patch": f"branch_{k}", "loss": "2"} for k in range(3)))
    (told,) = advice(alike, prepared_of(alike), [], Flowing())
    assert told.change.words == "Say it once of branch_*"
    once = act(alike, told.change.action, **told.change.values)
    assert [b.patch for b in once.set_up.boundaries] == ["inlet", "branch_*"]
    assert stage_keys(once, prepared_of(once)) == stage_keys(alike, prepared_of(alike))
    assert act(once, "say_each", pointer="/set_up/boundaries/1") == alike
    differs = rake(IN, *({"kind": "pressure", "patch": f"branch_{k}", "loss": f"{k}"} for k in range(3)))
    assert advice(differs, prepared_of(differs), [], Flowing()) == []
    with pytest.raises(KeyError, match="not the same"):
        act(differs, "say_once", pattern="branch_*")


def test_what_most_say_becomes_one_and_the_others_stay_what_they_are():
    raw = rake(IN, *({"kind": "pressure", "patch": f"branch_{k}", "loss": "2"} for k in range(3))).model_dump(
        mode="json"
    )
    left = raw["variants"][0]["geometry"]["shapes"][0]["patches"]
    raw["variants"][0]["geometry"]["shapes"][0]["patches"] = left | {"left": "branch_wall"}
    study = study_from(raw)
    once = act(study, "say_once", pattern="branch_*")
    assert [(b.patch, b.kind) for b in once.set_up.boundaries] == [("inlet", "mass"), ("branch_*", "pressure"), ("branch_wall", "wall")]  # fmt: skip
    before, after = ({b.patch: b.kind for b in prepared_of(s).said} for s in (study, once))
    assert after == before | {"branch_wall": "wall"}


def test_what_another_variant_has_says_nothing_of_this_one():
    said = [{"kind": "pressure", "patch": f"nozzle_{k}"} for k in range(3)]
    study = rake(IN, *said)
    assert not any("the same is said" in a.message for a in advice(study, prepared_of(study), [], Flowing()))
