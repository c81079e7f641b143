"""Shapes in space by the command line: a file beside the document, wrapped or not, meshed, run and read."""

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.checks import prepare
from brook.core.editing import act, set_value
from brook.core.editing.pointers import EditRefused
from brook.core.geometry.files import write_file
from brook.core.stages.keys import stage_keys
from brook.core.stages.ready import ready
from brook.core.study import Study, study_text
from brook.core.study.document import study_from
from tests.core.surfaces import tube


def pipe(**geometry):
    """A pipe of 1 m across and 3 m long, in mm in a file, with a slow flow through it."""
    return Study.model_validate({
        "title": "Pipe",
        "requirements": [{"name": "drop", "title": "Drop", "reading": "near.pressure.mean - far.pressure.mean",
                          "limit": {"kind": "at_most", "value": "1 Pa"}}],
        "variants": [{"name": "pipe", "title": "Pipe", "geometry": {
            "kind": "space", "parts": [{"kind": "file", "name": "pipe", "file": "pipe.stl", "unit": "mm"}],
            "bodies": [{"name": "water", "x": "1.5 m", "y": "0 m", "z": "0 m"}], **geometry}}],
        "mesh_plan": {"bulk": "0.2 m", "wall": "0.2 m", "growth": "1.5",
                      "layers": {"number": 2, "height_of": "all", "height": "80 mm"}},
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.1 Pa s"},
                   "boundaries": [{"kind": "flow", "patch": "near", "volume_flow": "0.7854 m^3/s"},
                                  {"kind": "pressure", "patch": "far"}]},
    })  # fmt: skip


@pytest.fixture
def folder(tmp_path):
    surface = tube(48, 12, 0.5, 3.0)
    (tmp_path / "pipe.stl").write_bytes(write_file("pipe.stl", surface.placed(1000 * surface.points)))
    return tmp_path


@pytest.mark.parametrize("wrap", [None, {"size": "50 mm", "x": "1.5 m"}])
def test_a_file_beside_the_document_is_meshed_and_run(folder, wrap):
    study = pipe(wrap=wrap)
    document = folder / "study.json"
    document.write_text(study_text(study))
    checked = CliRunner().invoke(app, ["check", str(document)])
    assert checked.exit_code == 0, checked.output
    done = CliRunner().invoke(app, ["run", str(document), "--out", str(folder / "out")])
    assert done.exit_code == 0, done.output
    summary = json.loads((folder / "out/readings.json").read_text())
    assert summary["state"] == "converged"
    # the pressure that drives developed flow, 32 viscosity u l / d², and some for the entrance
    assert summary["readings"][0]["value"] == pytest.approx(32 * 0.1 * 1.0 * 3.0, rel=0.25)
    assert (folder / "out/fields.vtu").stat().st_size > 10_000


def test_a_missing_file_and_a_wrong_patch_are_told_before_anything_runs(folder):
    document = folder / "study.json"
    document.write_text(study_text(pipe()).replace('"patch": "far"', '"patch": "fra"'))
    told = CliRunner().invoke(app, ["check", str(document)])
    assert told.exit_code == 1
    assert "fra" in told.output
    document.write_text(study_text(pipe()).replace("pipe.stl", "gone.stl"))
    told = CliRunner().invoke(app, ["check", str(document)])
    assert told.exit_code == 1
    assert "gone.stl cannot be read" in told.output


def test_a_change_of_the_plan_makes_a_new_mesh_and_one_of_the_wrap_a_new_shape(folder):
    study = pipe(wrap={"size": "50 mm", "x": "1.5 m"})

    def keys(study):
        prepared, _ = ready(study, "pipe", folder)
        found = stage_keys(study, prepared)
        return found.geometry, found.mesh

    before = keys(study)
    for pointer, text in (("/mesh_plan/layers/height", "60 mm"), ("/mesh_plan/per_turn", "20")):
        after = keys(set_value(study, pointer, text))
        assert after[0] == before[0]
        assert after[1] != before[1]
    zoned = act(study, "add_zone", kind="near", size="0.1 m", patch="wall")
    assert keys(zoned)[0] == before[0]
    assert keys(zoned)[1] != before[1]
    assert keys(set_value(study, "/variants/0/geometry/wrap/size", "60 mm"))[0] != before[0]
    same = keys(set_value(study, "/mesh_plan/layers/height", "0.08 m"))
    assert same == before  # written otherwise, the same


def test_walls_get_layers_of_their_own_and_each_wall_has_one_kind(folder):
    study = pipe()
    ready(study, "pipe", folder)
    study = act(study, "add_layers", patch="wall")
    own = set_value(study, "/mesh_plan/layers/groups/0/number", "2")
    assert own.mesh_plan.layers.groups[0].number == 2
    assert own.mesh_plan.layers.groups[0].patches == ("wall",)
    renamed = act(own, "rename_patch", patch="wall", to="bore")
    assert renamed.mesh_plan.layers.groups[0].patches == ("bore",)
    # named for the first layers, it is no more one of the group, which has no wall left and is gone
    back = act(own, "layers_along", patch="wall", wanted="1")
    assert back.mesh_plan.layers.patches == ("wall",)
    assert back.mesh_plan.layers.groups == ()
    # those named first would stand along all walls if none were left
    with pytest.raises(EditRefused, match="along wall alone"):
        act(back, "add_layers", patch="wall")
    both = study.model_dump(mode="json")
    both["mesh_plan"]["layers"]["patches"] = ["wall"]
    said = [p.message for p in prepare(study_from(both), study.variants[0]).problems if "layers" in p.path]
    assert "wall has other layers already; take it out of one of both" in said


def test_what_the_plan_says_of_a_patch_follows_its_name(folder):
    study = pipe()
    ready(study, "pipe", folder)
    for action, values in (
        ("set_patch_size", {"patch": "wall", "size": "0.1 m"}), ("add_zone", {"kind": "near", "size": "0.1 m", "patch": "wall"}),
        ("layers_along", {"patch": "wall", "wanted": "1"}), ("rename_patch", {"patch": "wall", "to": "bore"}),
    ):  # fmt: skip
        study = act(study, action, **values)
    plan = study.mesh_plan
    assert list(plan.patches) == ["bore"]
    assert plan.zones[0].patch == "bore"
    assert plan.layers.patches == ("bore",)
    assert not act(study, "drop_patch_size", patch="bore").mesh_plan.patches
    assert act(study, "set_layers", wanted="").mesh_plan.layers is None


def test_meshes_are_the_same_from_the_same_inputs(folder):
    from brook.core.stages.ready import meshed

    study = pipe()
    meshes = []
    for _ in range(2):
        prepared, surface = ready(study, "pipe", folder)
        meshes.append(meshed(study, prepared, surface, lambda _: None))
    assert np.array_equal(meshes[0].points, meshes[1].points)
    assert np.array_equal(meshes[0].face_points, meshes[1].face_points)
