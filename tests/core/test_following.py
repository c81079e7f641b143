"""Boxes that follow a run: finer where it bends, about as many as wished, and less wrong for it."""

import json
from dataclasses import replace

import numpy as np
import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.bench.shapes import ball_of
from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.editing.pointers import EditRefused
from brook.core.mesh import measure
from brook.core.mesh.boxes import Box, Following, Layers, Sizes, Solid, build, build_bodies, build_plane, following
from brook.core.numerics import Stencil
from brook.core.results.bend import bend_of
from brook.core.results.quantities import View
from brook.core.solve import Fields
from brook.core.stages.following import far_off, file_of, follow_of
from brook.core.study import Study, study_text
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
    after = build(cube(), Sizes(0.08, following=read))
    # the layer is alike all round: many boxes are halved at once or not
    assert 0.65 < after.cell_count / (share * before.cell_count) < 1.6
    assert measure(after).smallest_volume > 0
    # errors of an even mesh fall with the count of cells to the power of -2/3
    fair = (before.cell_count / after.cell_count) ** (2 / 3)
    assert off(after) < 0.9 * fair * off(before)


@pytest.mark.parametrize("share", [0.5, 2.0])
def test_layers_are_counted_with_the_boxes_that_they_stand_on(share):
    sizes, layers = Sizes(0.1, {"skin": 0.05}), (Layers(("skin",), 4, 0.004),)
    before = build(ball_of(4), sizes, layers=layers)
    wish = following(before, steep(before.centre), 0.1, 0.0, round(share * before.cell_count))
    doubled = Sizes(0.2, {"skin": 0.1}, following=wish)
    after = build(ball_of(4), doubled, layers=layers)
    assert after.cell_count == pytest.approx(share * before.cell_count, rel=0.15)


def test_no_box_gets_smaller_than_said():
    before = build(cube(), Sizes(0.1))
    wish = following(before, steep(before.centre), 0.1, 0.07, 10 * before.cell_count)
    after = build(cube(), Sizes(0.2, following=wish))
    assert np.cbrt(after.volume).min() > 0.09


def widths(mesh, within):
    """How long cells whose middles lie so are along each axis (n, 3)."""
    low, high = mesh.cell_box
    return (high - low)[within(mesh.centre)]


def test_boxes_change_only_where_zones_are_or_are_not():
    before = build(cube(), Sizes(0.05))
    wish = following(before, steep(before.centre), 0.05, 0.0, 2 * before.cell_count)
    left = ((0.05, Box((-1.0, -1.0, -1.0), (0.4, 2.0, 2.0))),)
    for where, free in (("zones", lambda c: c[:, 0] < 0.35), ("outside", lambda c: c[:, 0] > 0.5)):
        sizes = Sizes(0.1, zones=left, following=replace(wish, where=where))
        after = build(cube(), sizes)
        assert widths(after, free).min() < 0.026
        bound = widths(after, lambda c, free=free: ~free(c) & (np.abs(c[:, 0] - 0.42) > 0.12))
        assert bound.max(axis=1) == pytest.approx(0.05, rel=0.15)


def test_stretched_boxes_are_halved_by_how_it_bends_along_their_sides():
    """Along x, in boxes twice as long that way, a square bends as it does across."""
    by = (2.0, 1.0, 1.0)
    before = build(cube(), Sizes(0.05, stretch=by))
    stencil = Stencil(before)
    edge = stencil.mesh.face_centres(slice(stencil.inner, stencil.active))
    one, none, flux = np.ones(stencil.cells), np.zeros((stencil.cells, 3)), np.zeros(before.face_count)
    fields = Fields(
        stencil, one, one, none, before.centre[:, 0] ** 2 / 4, flux, np.zeros((len(edge), 3)), edge[:, 0] ** 2 / 4
    )
    inner = (np.abs(before.centre - 0.5) < 0.25).all(axis=1)
    assert bend_of(View(fields), "pressure", by)[inner] == pytest.approx(2 * np.sqrt(2 / 6), rel=0.05)
    wish = following(before, steep(before.centre), 0.05, 0.0, 2 * before.cell_count, by)
    after = build(cube(), Sizes(0.1, stretch=by, following=wish))
    sides = widths(after, lambda c: (np.abs(c - 0.5) < 0.35).all(axis=1))
    assert sides[:, 0] / sides[:, 1] == pytest.approx(2, rel=0.2)
    assert 0.65 < after.cell_count / (2 * before.cell_count) < 1.6
    fair = (before.cell_count / after.cell_count) ** (2 / 3)
    assert off(after) < 0.95 * fair * off(before)


def test_boxes_of_bodies_follow_too_and_one_in_which_nothing_bends_stays_as_it_was():
    solids = [
        Solid("fluid", cube(), np.array([0.5, 0.5, 0.5]), fluid=True),
        Solid("block", replace(cube(), points=cube().points + np.array([1.0, 0.0, 0.0]), patches=tuple(f"b_{p}" for p in cube().patches)),
              np.array([1.5, 0.5, 0.5])),
    ]  # fmt: skip
    before = build_bodies(solids, Sizes(0.05))
    bend = np.where(before.body == before.bodies.index("fluid"), steep(before.centre), 0.0)
    wish = following(before, bend, 0.05, 0.0, round(1.5 * before.cell_count))
    after = build_bodies(solids, Sizes(0.1, following=wish))
    assert 0.65 < after.cell_count / (1.5 * before.cell_count) < 1.6
    assert widths(after, lambda c: c[:, 0] < 0.9).min() < 0.026
    far = widths(after, lambda c: c[:, 0] > 1.3)
    assert np.median(far) == pytest.approx(0.05, rel=0.1)


def test_plane_boxes_follow_too(tmp_path):
    outer = {
        "name": "tray",
        "left": "0 m",
        "bottom": "0 m",
        "width": "1 m",
        "height": "1 m",
        "patches": {s: "wall" for s in ("left", "right", "bottom", "top")},
    }
    study = Study.model_validate(
        {"title": "Tray", "variants": [{"name": "plain", "title": "Plain", "geometry": {"outer": outer}}]}
    )
    shape = prepare(study, study.variants[0]).shape
    before = build_plane(shape, Sizes(0.05))
    wish = following(before, steep(before.centre * [1, 1, 0] + [0, 0, 0.55]), 0.05, 0.0, 2 * before.cell_count)
    wish.save(tmp_path / "sizes.npz")
    after = build_plane(shape, Sizes(0.1, following=Following.load(tmp_path / "sizes.npz")))
    assert after.is_plane
    assert 0.65 < after.cell_count / (2 * before.cell_count) < 1.6
    ring = widths(after, lambda c: np.abs(np.linalg.norm(c[:, :2] - [0.4, 0.5], axis=1) - 0.25) < 0.03)
    assert ring[:, :2].max() < 0.03
    assert widths(after, lambda c: (c[:, 0] > 0.85) & (c[:, 1] > 0.85))[:, :2].min() > 0.045


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
    other = prepare(again, again.variant("low"))
    assert follow_of(other).quantity == "pressure"
    assert file_of(other) != file_of(prepared)
    stretched = study.model_dump(mode="json")
    stretched["mesh_plan"]["stretch"]["x"] = "2"
    said = study_from(stretched)
    problems = [p.message for p in prepare(said, said.variant("low")).problems if "follows" in p.path]
    assert problems == []
    assert file_of(prepare(said, said.variant("low"))) != file_of(
        prepared
    )  # sizes are those before they were stretched
    zoned = act(study, "follow_run", variant="low", run="0" * 20, cells="1500", where="zones")
    (problem,) = prepare(zoned, zoned.variant("low")).problems
    assert (problem.path, problem.message) == (
        "/mesh_plan/follows/0/where",
        "there is no zone; add one, or let boxes change everywhere",
    )
    with pytest.raises(EditRefused, match="everywhere, in zones or outside"):
        act(study, "follow_run", variant="low", run="0" * 20, cells="1500", where="somewhere")


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
