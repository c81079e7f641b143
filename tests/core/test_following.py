"""Boxes that follow a run: finer where it bends, about as many as wished, and less wrong for it."""

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.editing.pointers import EditRefused
from brook.core.mesh import measure
from brook.core.mesh.boxes import Following, Sizes, build, followed, following
from brook.core.numerics import Stencil
from brook.core.results.bend import bend_of
from brook.core.results.quantities import View
from brook.core.solve import Fields
from brook.core.stages.following import far_off, file_of, follow_of
from brook.core.study import study_text
from brook.core.study.document import study_from
from tests.core.surfaces import cube

WIDE = 0.06


def steep(place):
    """The second derivative across a layer about a ball."""
    t = np.tanh((np.linalg.norm(place - [0.4, 0.5, 0.55], axis=1) - 0.25) / WIDE)
    return 2 * np.abs(t * (t**2 - 1)) / WIDE**2


def off(mesh):
    """The sum over cells of how far the layer leaves a straight line within them, times their volume."""
    low, high = mesh.cell_box
    return float(((high - low)[:, 0] ** 2 * steep(mesh.centre) * mesh.volume).sum())


@pytest.mark.parametrize("share", [0.5, 1.0, 2.0])
def test_boxes_go_where_a_quantity_bends_and_are_about_as_many_as_wished(share, tmp_path):
    before = build(cube(), Sizes(0.04))
    wish = following(before, steep(before.centre), 0.04, 0.0, round(share * before.cell_count))
    wish.save(tmp_path / "sizes.npz")
    read = Following.load(tmp_path / "sizes.npz")
    after = build(cube(), followed(cube(), Sizes(0.08), read))
    # the layer is alike all round: many boxes are halved at once or not
    assert 0.65 < after.cell_count / (share * before.cell_count) < 1.6
    assert measure(after).smallest_volume > 0
    # errors of an even mesh fall with the count of cells to the power of -2/3
    fair = (before.cell_count / after.cell_count) ** (2 / 3)
    assert off(after) < 0.9 * fair * off(before)


def test_no_box_gets_smaller_than_said():
    before = build(cube(), Sizes(0.1))
    wish = following(before, steep(before.centre), 0.1, 0.07, 10 * before.cell_count)
    after = build(cube(), followed(cube(), Sizes(0.2), wish))
    assert np.cbrt(after.volume).min() > 0.09


def duct(**plan):
    """A straight duct with a step that a stream of oil passes."""
    parts = [
        {"kind": "box", "name": "duct", "x": "0 mm", "y": "0 mm", "z": "0 mm", "width": "80 mm", "depth": "20 mm", "height": "20 mm",
         "patches": {"west": "inlet", "east": "outlet", "south": "wall", "north": "wall", "floor": "wall", "lid": "wall"}},
        {"kind": "box", "name": "step", "action": "take", "x": "30 mm", "y": "-1 mm", "z": "-1 mm", "width": "10 mm", "depth": "22 mm", "height": "11 mm",
         "patches": {side: "step" for side in ("west", "east", "south", "north", "floor", "lid")}},
    ]  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Duct with a step",
        "variants": [{"name": "low", "title": "Low step", "geometry": {"kind": "space", "parts": parts,
                      "bodies": [{"name": "oil", "x": "10 mm", "y": "10 mm", "z": "10 mm"}]}}],
        "requirements": [{"name": "loss", "title": "Loss", "unit": "Pa", "reading": "inlet.pressure.mean - outlet.pressure.mean", "limit": {"kind": "at_most", "value": "1 kPa"}}],
        "mesh_plan": {"bulk": "4 mm", "wall": "4 mm", **plan},
        "set_up": {"fluid": {"kind": "own", "density": "900 kg/m^3", "viscosity": "0.1 Pa s"},
                   "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": "0.5 m/s"}, {"kind": "pressure", "patch": "outlet"}]},
    })  # fmt: skip


def test_counts_far_from_the_wish_are_told():
    assert not far_off(1200, 1000)
    assert far_off(1300, 1000)
    assert far_off(700, 1000)
    for wrong in ("5", "many", "", "99 999 999"):
        with pytest.raises(EditRefused, match="8 to 50 million"):
            act(duct(), "follow_run", variant="low", run="0" * 20, cells=wrong)


def test_from_the_command_line_a_study_follows_its_run(tmp_path):
    (tmp_path / "a.json").write_text(study_text(duct()))
    runner = CliRunner()
    wanted = ["--cells", "1500", "--out", str(tmp_path / "b.json")]
    done = runner.invoke(app, ["follow", str(tmp_path / "a.json"), *wanted])
    assert done.exit_code == 0, done.output
    said = json.loads((tmp_path / "b.json").read_text())["mesh_plan"]["follows"][0]
    assert (said["variant"], said["cells"], said["quantity"]) == ("low", 1500, "velocity")
    made = runner.invoke(app, ["mesh", str(tmp_path / "b.json"), "--json"])
    assert made.exit_code == 0, made.output
    told = json.loads(made.stdout)
    assert told["cells"] == pytest.approx(1500, rel=0.4)
    (sizes,) = tmp_path.glob("sizes-*.npz")
    sizes.unlink()
    missing = runner.invoke(app, ["mesh", str(tmp_path / "b.json")])
    assert missing.exit_code == 1
    assert "is not beside the study" in missing.output
    wrong = runner.invoke(app, ["follow", str(tmp_path / "a.json"), *wanted, "--quantity", "sweetness"])
    assert wrong.exit_code == 1
    assert "has no sweetness" in wrong.output


def test_a_run_that_cannot_be_followed_is_told_and_another_one_makes_another_mesh(tmp_path):
    study = act(duct(), "follow_run", variant="low", run="0" * 20, cells="1 500")
    prepared = prepare(study, study.variant("low"))
    assert follow_of(prepared).cells == 1500
    again = act(study, "follow_run", variant="low", run="1" * 20, cells="1500", quantity="pressure")
    assert len(again.mesh_plan.follows) == 1
    other = follow_of(prepare(again, again.variant("low")))
    assert file_of(other) != file_of(follow_of(prepared))
    stretched = study.model_dump(mode="json")
    stretched["mesh_plan"]["stretch"]["x"] = "2"
    said = study_from(stretched)
    problems = [p.message for p in prepare(said, said.variant("low")).problems if "follows" in p.path]
    assert problems == ["cells that are stretched do not follow a run yet; take this out"]


def test_the_bend_of_a_parabola_is_its_second_derivative():
    """Of 3 x² it is 6 everywhere, of what is straight nothing."""
    stencil = Stencil(build(cube(), Sizes(0.1)))
    place, side = stencil.mesh.centre, stencil.mesh.face_centres(slice(stencil.inner, stencil.active))
    cells, sides = len(place), len(side)
    still = (
        np.ones(cells),
        np.ones(cells),
        np.zeros((cells, 3)),
        3 * place[:, 0] ** 2,
        np.zeros(stencil.mesh.face_count),
    )
    bent = Fields(stencil, *still, np.zeros((sides, 3)), 3 * side[:, 0] ** 2)
    within = (np.abs(place - 0.5) < 0.3).all(axis=1)
    faces = 6  # two of a box's six look along x
    assert bend_of(View(bent), "pressure")[within] == pytest.approx(6 * np.sqrt(2 / faces), rel=0.02)
    assert np.abs(bend_of(View(bent), "velocity")).max() == 0
