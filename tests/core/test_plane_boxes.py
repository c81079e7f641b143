"""Plane shapes in boxes with layers; stretched boxes, layers by y+, periodic pairs and planes of symmetry."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.geometry.solids.profiles import four_digit
from brook.core.mesh import PLANE_SIDES, measure
from brook.core.mesh.advice import advice
from brook.core.mesh.boxes import Sizes, build, estimate_plane
from brook.core.mesh.pairs import Motion, bent, match
from brook.core.mesh.quality import layer_coverage
from brook.core.physics.plate import friction_speed
from brook.core.results.picture import polygons
from brook.core.stages.batch import solve_variant
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh, space_layers
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from tests.core.meshes import box_mesh
from tests.core.studies import raw_tray
from tests.core.surfaces import cube
from tests.core.test_mesh import assert_sound
from tests.core.test_ordered import made, sheet


def polygon(points):
    return {
        "kind": "polygon",
        "name": "body",
        "corners": [{"x": f"{x:.7f} m", "y": f"{y:.7f} m", "patch": "body"} for x, y in points],
    }


SHAPES = {
    "round": {"kind": "circle", "name": "body", "centre_x": "0 m", "centre_y": "0 m", "diameter": "0.1 m", "patch": "body"},
    "wing": polygon(0.3 * four_digit("2412", 60)),
    "three corners": polygon([(0, 0), (0.1, -0.03), (0.12, 0.05)]),
}  # fmt: skip


def stream(body, size=0.01, **plan):
    outer = {"name": "stream", "left": "-0.3 m", "bottom": "-0.25 m", "width": "1 m", "height": "0.5 m",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "side", "top": "side"}}  # fmt: skip
    return Study.model_validate({
        "title": "Bars", "variants": [{"name": "bar", "title": "Bar", "geometry": {"outer": outer, "shapes": [SHAPES[body]], "depth": "0.2 m"}}],
        "mesh_plan": {"way": "boxes", "bulk": f"{4 * size} m", "wall": f"{4 * size} m", "patches": {"body": f"{size} m"}, "growth": "1.4",
                      "layers": {"patches": ["body"], "number": 4, "height_of": "all", "height": f"{0.6 * size} m"}, **plan},
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.005 Pa s"},
                   "boundaries": [{"kind": "stream", "patch": "inlet", "velocity_x": "1 m/s"}, {"kind": "pressure", "patch": "outlet"},
                                  {"kind": "slip", "patch": "side"}]},
    })  # fmt: skip


def plane(study):
    prepared = prepare(study, study.variants[0])
    assert prepared.ready, prepared.problems
    return prepared, make_mesh(prepared)


@pytest.mark.parametrize("size", [0.02, 0.01, 0.005])
@pytest.mark.parametrize("body", SHAPES)
def test_plane_boxes_fit_their_shape_and_have_their_layers(body, size):
    gaps = {"per_gap": 2, "smallest": f"{size / 16} m"} if body == "wing" else {}
    prepared, mesh = plane(stream(body, size, **gaps))
    assert_sound(mesh)
    assert mesh.patches[-1].name == PLANE_SIDES
    assert mesh.patches[-1].count == 2 * mesh.cell_count
    assert mesh.volume.sum() == pytest.approx(0.2 * prepared.shape.area, rel=3e-3)
    assert layer_coverage(mesh, ["body"])["body"] > 0.9
    assert measure(mesh).non_orthogonality.max() < 65
    length = sum(np.hypot(e.x1 - e.x0, e.y1 - e.y0) for e in prepared.shape.edges() if e.patch == "body")
    assert mesh.face_areas(mesh.patch("body").faces).sum() == pytest.approx(
        0.2 * length, rel=3e-2 if body == "wing" else 1e-2
    )
    shown = polygons(mesh)
    assert len(shown.cell) == mesh.cell_count


def test_a_stream_runs_round_a_bar_in_boxes_and_the_estimate_comes_near():
    study = stream("round", 0.0125)
    prepared, mesh = plane(study)
    outcome = solve(study, prepared, mesh)
    assert outcome.state == "converged"
    assert outcome.fields.imbalance() < 1e-9
    lengths = {"body": np.pi * 0.1, "inlet": 0.5, "outlet": 0.5, "side": 2.0}
    sizes = Sizes(0.05, {**dict.fromkeys(lengths, 0.05), "body": 0.0125})
    guess = estimate_plane(prepared.shape.area, lengths, sizes, space_layers(prepared, prepared.shape.patches))
    assert guess.cells == pytest.approx(mesh.cell_count, rel=0.4)


def test_lines_stay_as_they_were_and_boxes_have_keys_of_their_own():
    boxes, lines = stream("round"), stream("round", way="lines", layers=None)
    keys = [stage_keys(s, prepare(s, s.variants[0])) for s in (boxes, lines, stream("round", layers=None))]
    assert len({k.mesh for k in keys}) == 3
    assert len({k.geometry for k in keys}) == 1


def test_the_first_layer_by_y_plus_is_that_of_a_plate():
    """Water of 1e-6 m²/s at 1 m/s over 1 m: c_f = 0.027 / 1e6^(1/7) = 0.00375, u_tau = 0.0433 m/s, y+ of 1 at 23 µm."""
    study = stream(
        "round", layers={"patches": ["body"], "height_of": "y_plus", "y_plus": "1", "speed": "1 m/s", "long": "1 m"}
    )
    study = study.model_copy(update={"set_up": study.set_up.model_copy(update={"fluid": type(study.set_up.fluid)(
        kind="own", density="1000 kg/m^3", viscosity="1 mPa s")})})  # fmt: skip
    prepared = prepare(study, study.variants[0])
    friction, speed = friction_speed(prepared.plan.layers, prepared.fluid)
    assert friction == pytest.approx(0.00375, rel=5e-3)
    assert speed == pytest.approx(0.0433, rel=5e-3)
    assert space_layers(prepared, ("body",))[0].first == pytest.approx(2 * 23.1e-6, rel=5e-3)
    thick = stream("round", layers={"patches": ["body"], "height_of": "y_plus", "y_plus": "100000"})
    (problem,) = [p for p in prepare(thick, thick.variants[0]).problems if p.path == "/mesh_plan/layers/y_plus"]
    assert "choose fewer or thinner ones" in problem.message


def test_stretched_boxes_are_as_much_longer():
    surface = cube()
    mesh = build(surface, Sizes(0.125, stretch=(2.0, 1.0, 0.5)))
    assert_sound(mesh)
    assert mesh.volume.sum() == pytest.approx(surface.volume)
    low, high = mesh.cell_box
    sides = np.median(high - low, axis=0)
    assert sides == pytest.approx([0.25, 0.125, 0.0625], rel=0.05)


def test_periodic_pairs_are_found_by_a_shift_and_by_a_turn():
    mesh = box_mesh((4, 3, 2), (2.0, 1.0, 1.0), bend=0.02)
    found = match(mesh, "left", Motion.shifted((2.0, 0.0, 0.0)))
    assert (found.problem, found.other, len(found.faces)) == ("", "right", 6)
    centre = mesh.face_centres()
    assert centre[found.partners] - centre[found.faces] == pytest.approx(np.tile([2.0, 0, 0], (6, 1)))
    assert "nothing lies there" in match(mesh, "left", Motion.shifted((1.0, 0.0, 0.0))).problem
    assert "nothing lies there" in match(mesh, "left", Motion.turned("z", np.pi / 3, (0.0, 0.0, 0.0))).problem
    wedge = made(sheet(becomes="block", ceiling=[{"x": "0 mm", "y": "20 mm"}, {"x": "100 mm", "y": "15 mm"}]))
    turned = match(wedge, "back", Motion.shifted((0.0, 0.0, 0.01)))
    assert (turned.problem, turned.other) == ("", "front")
    quarter = match(box_mesh((3, 3, 2)), "bottom", Motion.turned("z", np.pi / 2, (0.0, 0.0, 0.0)))
    assert (quarter.problem, quarter.other) == ("", "left")
    assert bent(wedge, "top") < 1e-6
    assert bent(box_mesh((4, 4, 4)), "left") < 1e-6


def test_a_poor_mesh_says_which_statement_to_change():
    """Layers much thinner than the cells beside them, and cells that grow at once."""
    _, mesh = plane(
        stream("round", 0.02, layers={"patches": ["body"], "number": 2, "height_of": "all", "height": "0.2 mm"})
    )
    said = advice(mesh, measure(mesh))
    assert said.startswith("It is ")
    assert "the layers along body end: the last is 109 µm high, the cell beside it " in said
    smooth = box_mesh((4, 4, 4))
    assert advice(smooth, measure(smooth)) == ""
    flat = box_mesh((2, 2, 400), (1.0, 1.0, 1.0))
    assert "make cells there smaller" in advice(flat, measure(flat))


@pytest.mark.parametrize(
    ("factor", "words"), [("20", "a tenth to ten times"), ("2", "plane shapes are not stretched yet")]
)
def test_a_stretch_that_would_do_nothing_is_told(factor, words):
    study = stream("round", stretch={"x": factor})
    told = [p for p in prepare(study, study.variants[0]).problems if p.path == "/mesh_plan/stretch/x"]
    assert [words in p.message for p in told] == [True]


def test_layers_round_a_bar_in_a_large_box_lean_nowhere_and_the_flow_converges():
    """Where layers end, points in the middle of sides had none over them: cells leaned by 1e-8 m, and gradients across the
    sheet, of nothing, were larger than the flow."""
    raw = raw_tray(requirements=[], places={}, run_rules={"residual": "1e-5", "iterations": 300})
    circle = {
        "kind": "circle",
        "name": "rod",
        "centre_x": "0 mm",
        "centre_y": "0 mm",
        "diameter": "12 mm",
        "patch": "rod",
    }
    outer = {"name": "box", "left": "-180 mm", "bottom": "-180 mm", "width": "360 mm", "height": "360 mm",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "south", "top": "north"}}  # fmt: skip
    raw["variants"] = [
        {"name": "a", "title": "A", "geometry": {"body": "box", "depth": "12 mm", "outer": outer, "shapes": [circle]}}
    ]
    raw["mesh_plan"] = {
        "way": "boxes", "bulk": "12 mm", "wall": "12 mm", "growth": "1.15", "patches": {"rod": "0.72 mm"},
        "zones": [{"kind": "cylinder", "size": "3 mm", "z": "-1 m", "end_z": "2 m", "end_x": "0 m", "diameter": "60 mm"}],
        "layers": {"number": 4, "height_of": "first", "height": "0.2 mm", "growth": "1.2", "patches": ["rod"]},
    }  # fmt: skip
    raw["set_up"] = {
        "fluid": {"kind": "library", "substance": "water", "temperature": "20 degC"},
        "boundaries": [
            {"kind": "velocity", "patch": "inlet", "speed": "0.2 mm/s"}, {"kind": "pressure", "patch": "outlet"},
            {"kind": "slip", "patch": "south"}, {"kind": "slip", "patch": "north"},
        ],
    }  # fmt: skip
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    assert prepared.problems == ()
    mesh = make_mesh(prepared)
    low, high = (mesh.points[side, :2] for side in (mesh.points[:, 2] < 1e-9, mesh.points[:, 2] > 1e-9))
    assert np.array_equal(low[np.lexsort(low.T)], high[np.lexsort(high.T)])
    assert np.ptp(mesh.centre[:, 2]) < 1e-15
    _, outcome = solve_variant(study, "a")
    assert outcome.state == "converged", outcome.message
