import contextlib

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.checks import check
from brook.core.editing import ACTIONS, EditRefused, act, edit_words, set_value, set_values, value_of
from brook.core.study import patch_names
from tests.core.studies import tray

HEIGHT = "/variants/1/geometry/shapes/0/height"


def test_a_value_changes_and_all_else_stays():
    study = tray()
    changed = set_value(study, HEIGHT, " 20 mm ")
    assert value_of(changed, HEIGHT) == "20 mm"
    assert set_value(changed, HEIGHT, "25 mm") == study
    assert value_of(study, HEIGHT) == "25 mm"


@pytest.mark.parametrize(
    ("pointer", "text", "words"),
    [
        (HEIGHT, "80 mm", "beyond"),
        (HEIGHT, "-1 mm", "more than zero"),
        (HEIGHT, "20", "a unit is missing"),
        (HEIGHT, "", "nothing is written"),
        ("/named_values/depth", "20 mm", "baffle"),
        ("/set_up/boundaries/0/patch", "Inlet!", "is not a name"),
        ("/run_rules/iterations", "many", "integer"),
        ("/run_rules/iterations", "0", "greater than or equal"),
        ("/set_up/convection", "best", "'limited', 'third', 'central' or 'upwind'"),
        ("/title", "", "nothing is written"),
    ],
)
def test_what_cannot_stand_is_refused(pointer, text, words):
    with pytest.raises(EditRefused, match=words):
        set_value(tray(), pointer, text)


@pytest.mark.parametrize(
    "pointer", ["/nothing", "/variants/9/title", "variants", "/variants", "/variants/0/geometry", "/format/x", ""]
)
def test_an_unknown_place_is_a_key_error(pointer):
    with pytest.raises((KeyError, EditRefused)):
        set_value(tray(), pointer, "x")


def test_work_not_yet_done_is_allowed():
    study = act(tray(), "set_boundary", patch="weir", kind="wall")
    assert [p.kind for p in check(study)] == ["missing", "missing"]
    study = act(study, "set_boundary", patch="weir", kind="pressure")
    assert check(study) == []


def test_a_wrong_document_can_be_mended_step_by_step():
    broken = tray(mesh_plan={"bulk": "3", "wall": "2"})
    half = set_value(broken, "/mesh_plan/bulk", "3 mm")
    assert {p.path for p in check(half)} == {"/mesh_plan/wall"}
    assert check(set_value(half, "/mesh_plan/wall", "2 mm")) == []


def test_a_patch_is_renamed_everywhere():
    study = act(tray(), "rename_patch", patch="weir", to="outfall")
    assert check(study) == []
    assert study.set_up.boundaries[1].patch == "outfall"
    assert study.requirements[2].reading == "inlet.pressure.mean - outfall.pressure.mean"
    assert all(v.geometry.openings[1].patch == "outfall" for v in study.variants)
    with pytest.raises(EditRefused, match="is not a name"):
        act(tray(), "rename_patch", patch="weir", to="The Weir")
    with pytest.raises(EditRefused, match="already said"):
        act(tray(), "rename_patch", patch="weir", to="inlet")


def test_actions_make_what_they_say():
    study = act(tray(), "add_variant", source="hanging", title="Longer")
    assert [v.name for v in study.variants] == ["plain", "hanging", "longer"]
    assert study.variants[2].geometry == study.variants[1].geometry
    study = act(study, "add_shape", variant="0", kind="rectangle")
    assert study.variants[0].geometry.shapes[0].name == "baffle"
    study = act(study, "remove", pointer="/variants/1")
    assert [v.name for v in study.variants] == ["plain", "longer"]
    study = act(
        study, "add_requirement", title="Weir flow", reading="weir.flow.total", limit="at_least", value="5 mL/s"
    )
    assert study.requirements[-1].limit.value == "5 mL/s"
    study = act(study, "limit_kind", pointer="/requirements/0/limit", kind="between")
    assert study.requirements[0].limit.low == "40 %"
    study = act(study, "fluid_kind", kind="own")
    assert study.set_up.fluid.kind == "own"
    study = act(study, "add_place", name="corner")
    study = act(study, "add_opening", variant="0")
    study = act(study, "add_named_value", name="gap", value="2 mm")
    assert check(study) == []


@settings(max_examples=150, deadline=None)
@given(
    st.sampled_from([*ACTIONS, "nothing"]),
    st.dictionaries(
        st.sampled_from(
            ["pointer", "variant", "kind", "patch", "name", "value", "title", "reading", "limit", "source"]
        ),
        st.sampled_from(
            [
                "",
                "0",
                "-1",
                "7",
                "x",
                "/variants/0",
                "/places/egg_layer",
                "wall",
                "inlet",
                "plain",
                "3 mm",
                "/requirements/0/limit",
            ]
        ),
        max_size=4,
    ),
)
def test_any_action_gives_a_study_or_a_reason(action, values):
    with contextlib.suppress(EditRefused, KeyError):
        check(act(tray(), action, **values))


@pytest.mark.parametrize(
    ("texts", "words"),
    [
        ({HEIGHT: "20 mm"}, "Hanging: height of baffle, 25 mm → 20 mm"),
        ({"/set_up/boundaries/0/speed": "5 mm/s"}, "speed of inlet, supply → 5 mm/s"),
        ({"/requirements/0/limit/value": "30 %"}, "limit value of Still water, 40 % → 30 %"),
        ({"/mesh_plan/bulk": "4 mm"}, "mesh plan cells in the bulk, 6 mm → 4 mm"),
        ({"/named_values/supply": "3 mm/s"}, "supply, 4 mm/s → 3 mm/s"),
        ({"/brief/question": ""}, "brief question, Does the baffle help? → nothing"),
    ],
)
def test_the_history_says_what_was_changed(texts, words):
    assert edit_words(tray(), texts) == words


def test_several_values_change_together_or_not_at_all():
    shape = "/variants/1/geometry/shapes/0"
    study = set_values(tray(), {f"{shape}/left": "30 mm", f"{shape}/width": "14 mm"})
    assert (value_of(study, f"{shape}/left"), value_of(study, f"{shape}/width")) == ("30 mm", "14 mm")
    with pytest.raises(EditRefused):
        set_values(tray(), {f"{shape}/left": "30 mm", f"{shape}/width": "14"})


def test_taking_out_minds_what_is_there():
    with pytest.raises(KeyError, match="not there any more"):
        act(tray(), "remove", pointer="/requirements/0", expected="drop")
    assert len(act(tray(), "remove", pointer="/requirements/2", expected="drop").requirements) == 2
    with pytest.raises(KeyError):
        act(tray(), "remove", pointer="/requirements/-1")


def test_variants_can_be_put_in_order():
    study = act(tray(), "move_variant", name="hanging", by="-1")
    assert [v.name for v in study.variants] == ["hanging", "plain"]
    assert act(study, "move_variant", name="hanging", by="-5") == study


@pytest.mark.parametrize("kind", ["rectangle", "circle", "arc", "polygon"])
def test_every_kind_of_shape_can_be_added_and_renamed_and_built(kind):
    study = act(tray(), "add_shape", variant="0", kind=kind)
    shape = study.variants[0].geometry.shapes[0]
    assert shape.kind == kind
    assert not [p for p in check(study) if p.kind == "wrong"]
    renamed = act(study, "rename_patch", patch=shape.name, to="other")
    assert "other" in patch_names(renamed.variants[0].geometry)
    assert shape.name not in patch_names(renamed.variants[0].geometry)
    with pytest.raises(KeyError, match="not a kind of shape"):
        act(study, "add_shape", variant="0", kind="spiral")


def test_a_corner_is_put_into_the_middle_of_a_side():
    study = act(tray(), "add_shape", variant="0", kind="polygon")
    before = study.variants[0].geometry.shapes[0].corners
    study = act(study, "add_corner", pointer="/variants/0/geometry/shapes/0/corners/2")
    after = study.variants[0].geometry.shapes[0].corners
    assert len(after) == 4
    assert after[:3] == before
    assert after[3].patch == before[2].patch
    study = act(study, "remove", pointer="/variants/0/geometry/shapes/0/corners/3")
    assert study.variants[0].geometry.shapes[0].corners == before
    with pytest.raises(EditRefused):  # two corners make no polygon
        act(study, "remove", pointer="/variants/0/geometry/shapes/0/corners/0")
