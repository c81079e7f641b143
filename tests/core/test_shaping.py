"""Shapes in space from the document: solids of known volume, steps, closing, bodies, and files that are replaced."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.geometry import shape_cache
from brook.core.geometry.bodies import bodies_of, suggested_point
from brook.core.geometry.booleans import NotClosed, combined, united
from brook.core.geometry.findings import find_all
from brook.core.geometry.mending import fill_holes
from brook.core.geometry.placing import moved, turned_about
from brook.core.geometry.shaping import shaped, stages
from brook.core.geometry.surface import Surface
from brook.core.study import Study, named_scope, resolve, study_text
from brook.core.study.document import DocumentError, read_study
from brook.demo.spray_header import Header, closed_header, drawn_header, with_defects
from tests.core.surfaces import cube, together, tube

ENDS = {"start": "near", "end": "far", "side": "wall"}
BOX = {side: side for side in ("west", "east", "south", "north", "floor", "lid")}
BLOCK = {"kind": "box", "name": "block", "width": "100 mm", "depth": "60 mm", "height": "40 mm", "patches": BOX}


def study_with(*parts, named=None, **geometry):
    return Study.model_validate({
        "title": "Shapes", "named_values": named or {},
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": list(parts), **geometry}}],
    })  # fmt: skip


def made(study, files=None):
    """The state of a study's first variant; files by the name of their part."""
    problems = []
    geometry = resolve(study.variants[0].geometry, named_scope(study, study.variants[0]), "", problems)
    assert not problems
    return geometry, shaped(geometry, lambda part: files[part.name])


def surface_with(*parts, **more):
    state = made(study_with(*parts, **more))[1]
    assert not [n.problem for n in state.notes if n.problem], state.notes
    return state.surface


# -- solids ----------------------------------------------------------------------------------------


def profile(*corners, patch="side", **last):
    return [{"x": f"{x} mm", "y": f"{y} mm", "patch": patch, **(last if k == len(corners) - 1 else {})}
            for k, (x, y) in enumerate(corners)]  # fmt: skip


PIPE = [{"x": "0 mm", "y": "0 mm", "z": "0 mm"}, {"x": "200 mm", "y": "0 mm", "z": "0 mm", "radius": "80 mm"},
        {"x": "200 mm", "y": "200 mm", "z": "0 mm"}]  # fmt: skip
SQUARE = [(0, 0), (40, 0), (40, 40), (0, 40)]
RING = [(20, 0), (50, 0), (50, 100), (20, 100)]
# the exact volume in mL, and how far straight pieces may stay behind it
SOLIDS = {
    "box": ({"width": "100 mm", "depth": "60 mm", "height": "40 mm", "patches": BOX}, 240.0, 1e-12),
    "cylinder": ({"diameter": "50 mm", "length": "100 mm", "axis": "-y", "patches": ENDS}, np.pi * 62.5, 2e-3),
    "cone": ({"diameter": "60 mm", "end_diameter": "0 mm", "length": "90 mm", "patches": ENDS}, np.pi * 27.0, 2e-3),
    "sphere": ({"diameter": "60 mm", "patch": "skin"}, np.pi * 36.0, 5e-3),
    "torus": ({"ring": "100 mm", "diameter": "20 mm", "patch": "skin"}, np.pi**2 * 10.0, 5e-3),
    # two legs of 120 mm and a quarter turn round 80 mm
    "pipe": ({"diameter": "40 mm", "path": PIPE, "patches": ENDS}, np.pi * 0.4 * (240 + 40 * np.pi), 4e-3),
    "extruded": ({"length": "50 mm", "profile": profile(*SQUARE, radius="10 mm"), "start": "a", "end": "b"},
                 (16 - (1 - np.pi / 4)) * 5, 1e-3),
    "revolved": ({"angle": "90 deg", "profile": profile(*RING), "start": "a", "end": "b"}, np.pi * 52.5, 2e-3),
    "wing": ({"digits": "0012", "chord": "100 mm", "span": "100 mm", "patches": ENDS}, 82.2, 7e-3),
}  # fmt: skip


PATCHES = {
    "box": set(BOX), "cylinder": set(ENDS.values()), "cone": {"near", "wall"}, "sphere": {"skin"}, "torus": {"skin"},
    "pipe": set(ENDS.values()), "extruded": {"a", "b", "side"}, "revolved": {"a", "b", "side"}, "wing": set(ENDS.values()),
}  # fmt: skip


@pytest.mark.parametrize("kind", SOLIDS)
def test_solids_are_closed_and_hold_what_they_should(kind):
    values, volume, tolerance = SOLIDS[kind]
    surface = surface_with({"kind": kind, "name": "one", **values})
    assert surface.is_closed
    assert 1e6 * surface.volume == pytest.approx(volume, rel=tolerance)
    assert set(surface.patches) == PATCHES[kind]
    assert {f.kind for f in find_all(surface)} <= {"slivers"}


def test_a_dimension_is_a_formula_of_a_named_value():
    part = {
        "kind": "cylinder",
        "name": "bore",
        "diameter": "2 * reach",
        "length": "1 m",
        "around": 200,
        "patches": ENDS,
    }
    volumes = [surface_with(part, named={"reach": reach}).volume for reach in ("10 mm", "20 mm")]
    assert volumes[1] == pytest.approx(4 * volumes[0])


@pytest.mark.parametrize(("action", "volume"), [("add", 240 + 60 - 12), ("take", 240 - 12), ("keep", 12)])
def test_solids_are_put_together_and_patches_keep_their_names(action, volume):
    other = {"kind": "box", "name": "other", "action": action, "x": "90 mm", "y": "10 mm", "z": "10 mm",
             "width": "30 mm", "depth": "40 mm", "height": "50 mm", "patches": {s: f"other_{s}" for s in BOX}}  # fmt: skip
    surface = surface_with(BLOCK, other)
    assert surface.is_closed
    assert 1e6 * surface.volume == pytest.approx(volume)
    assert ("west" in surface.patches) == (action != "keep")
    middle = surface.points[surface.triangles].mean(axis=1)
    east = (
        surface.patch == surface.patches.index("east") if "east" in surface.patches else np.zeros(surface.count, bool)
    )
    assert np.allclose(middle[east, 0], 0.1)


def test_a_pattern_repeats_along_a_line_and_round_an_axis():
    part = {"kind": "box", "name": "fin", "width": "10 mm", "depth": "10 mm", "height": "10 mm", "patches": BOX}
    line = surface_with({**part, "pattern": {"kind": "line", "count": 5, "x": "20 mm"}})
    assert line.shells.max() + 1 == 5
    assert 1e6 * line.volume == pytest.approx(5.0)
    ring = surface_with({**part, "x": "50 mm", "pattern": {"kind": "ring", "count": 7}})
    assert ring.shells.max() + 1 == 7
    assert 1e6 * ring.volume == pytest.approx(7.0)
    overlapping = surface_with({**part, "pattern": {"kind": "line", "count": 3, "x": "5 mm"}})
    assert overlapping.shells.max() + 1 == 1
    assert 1e6 * overlapping.volume == pytest.approx(2.0)


def test_what_cannot_be_built_says_why_and_leaves_the_rest():
    tight = [PIPE[0], {**PIPE[1], "radius": "10 mm"}, PIPE[2]]
    state = made(study_with(BLOCK, {"kind": "pipe", "name": "p", "diameter": "40 mm", "path": tight, "patches": ENDS}))[
        1
    ]
    assert "tighter than half the diameter" in state.notes[1].problem
    assert 1e6 * state.surface.volume == pytest.approx(240.0)


@settings(max_examples=25, deadline=None)
@given(st.tuples(*[st.floats(-0.9, 0.9)] * 3), st.floats(0.1, 3.0))
def test_volumes_of_union_and_intersection_add_up(shift, angle):
    one, other = cube(), moved(turned_about(cube(), np.array([1.0, 2.0, 3.0]), angle, np.full(3, 0.5)), np.array(shift))
    parts = [combined(one, other, action).volume for action in ("add", "take", "keep")]
    assert parts[0] + parts[2] == pytest.approx(2.0, abs=1e-9)
    assert parts[1] + parts[2] == pytest.approx(1.0, abs=1e-9)


def test_shells_that_overlap_are_united_and_open_ones_are_not():
    both = united(together(cube(), cube(at=(0.5, 0.5, 0.5))))
    assert both.is_closed
    assert both.shells.max() == 0
    assert both.volume == pytest.approx(2 - 0.125)
    with pytest.raises(NotClosed):
        united(together(cube(), cube(at=(3, 0, 0)).only(np.arange(10))))


# -- steps, closing, bodies ------------------------------------------------------------------------


def ball(count=40, radius=1.0):
    return surface_with(
        {"kind": "sphere", "name": "s", "diameter": f"{2 * radius} m", "around": 2 * count, "patch": "skin"}
    )


def test_a_bent_fill_follows_the_surface_around():
    whole = ball()
    top = whole.points[whole.triangles].mean(axis=1)[:, 2] > 0.85
    opened = whole.only(~top)
    flat, bent = fill_holes(opened), fill_holes(opened, bent=True)
    assert flat.is_closed
    assert bent.is_closed
    assert bent.volume == pytest.approx(whole.volume, rel=5e-4)
    assert abs(flat.volume / whole.volume - 1) > 20 * abs(bent.volume / whole.volume - 1)


def header_study(**more):
    spots = [
        ("inlet", "header", 0, 31.5, 0),
        ("outlet_1", "branch_1", 50, 10, -75),
        ("outlet_2", "branch_2", 150, 10, -75),
    ]
    closings = [
        {"patch": n, "at": {"patch": b, "x": f"{x} mm", "y": f"{y} mm", "z": f"{z} mm"}} for n, b, x, y, z in spots
    ]
    return study_with({"kind": "file", "name": "header", "file": "header.stl", "unit": "m"}, closings=closings,
                      bodies=[{"name": "water", "x": "20 mm", "y": "0 mm", "z": "0 mm"}], **more)  # fmt: skip


MENDING = [{"kind": "merge", "within": "0.2 mm"}, {"kind": "remove_duplicates"}, {"kind": "spread_sides"},
           {"kind": "fill", "largest": "300 mm", "how": "bent"}]  # fmt: skip


def test_steps_run_again_on_a_replaced_file_and_never_fill_what_is_named_as_open():
    study = header_study(steps=MENDING)
    first, second = Header((0.05, 0.15), length=0.2), Header((0.06, 0.18), length=0.25)
    for header, surface in ((first, with_defects(drawn_header(first))), (second, drawn_header(second))):
        geometry, state = made(study, {"header": surface})
        assert not [n.problem for n in state.notes if n.problem]
        assert {f.kind for f in find_all(state.surface)} <= {"slivers"}
        water = bodies_of(state.surface, geometry.bodies)[0][0]
        assert len(water.surface.patches) == 7
        assert water.surface.volume == pytest.approx(closed_header(header).volume, rel=5e-3)
        assert water.surface.area == pytest.approx(closed_header(header).area, rel=5e-3)


def test_a_step_that_does_not_fit_says_so_and_the_others_are_done():
    study = header_study(steps=[{"kind": "lay", "patch": "nowhere"}, {"kind": "scale", "factor": "2"}])
    state = made(study, {"header": drawn_header(Header((0.05, 0.15), length=0.2))})[1]
    told = {n.pointer: n for n in state.notes}
    assert "nowhere" in told["/steps/0"].problem
    assert not told["/steps/1"].problem
    assert state.surface.box[1][0] == pytest.approx(0.4)


def test_a_ring_between_two_rims_is_closed_by_one_patch():
    around, within = tube(radius=0.5), tube(radius=0.3)
    names = [f"{which}_{p}" for which in ("outer", "inner") for p in around.patches]
    walls = [s.only(s.patch == 2) for s in (around, within)]
    pair = [Surface(w.points, w.triangles, w.patch, tuple(names[3 * k : 3 * k + 3])) for k, w in enumerate(walls)]
    rings = [{"patch": f"ring_{x}", "at": {"patch": "outer_wall", "x": f"{x} m", "y": "0.5 m", "z": "0 m"},
              "inner": {"patch": "inner_wall", "x": f"{x} m", "y": "0.3 m", "z": "0 m"}} for x in (0, 2)]  # fmt: skip
    study = study_with({"kind": "file", "name": "f", "file": "f.stl", "unit": "m"}, closings=rings,
                       bodies=[{"name": "gas", "x": "1 m", "y": "0.4 m", "z": "0 m"}])  # fmt: skip
    geometry, state = made(study, {"f": together(*pair)})
    gas = bodies_of(state.surface, geometry.bodies)[0][0]
    section = around.volume / 2 - within.volume / 2
    assert not gas.problem
    assert not [n.problem for n in state.notes if n.problem]
    assert gas.surface.is_closed
    assert gas.surface.volume == pytest.approx(2 * section)
    ring = gas.surface.patch == gas.surface.patches.index("ring_0")
    assert gas.surface.areas[ring].sum() == pytest.approx(section)


def test_a_tunnel_has_named_sides_and_tells_how_much_the_body_blocks():
    study = study_with(BLOCK, tunnel={"side": "2", "above": "2", "upstream": "1", "downstream": "3",
                                      "names": {"tunnel_in": "upwind"}},
                       bodies=[{"name": "air", "x": "-50 mm", "y": "0 mm", "z": "0 mm"}])  # fmt: skip
    geometry, state = made(study)
    air = bodies_of(state.surface, geometry.bodies)[0][0].surface
    assert {"upwind", "tunnel_out", "tunnel_floor", "tunnel_lid", "tunnel_south", "tunnel_north"} < set(air.patches)
    assert air.volume == pytest.approx(0.5 * 0.46 * 0.44 - 240e-6)
    told = next(n for n in state.notes if n.pointer == "/tunnel")
    assert told.more["blockage"] == pytest.approx(60 * 40 / (460 * 440), rel=0.01)
    standing = study_with(
        BLOCK, tunnel={"on_floor": True}, bodies=[{"name": "air", "x": "-50 mm", "y": "0 mm", "z": "5 mm"}]
    )
    geometry, state = made(standing)
    assert "floor" not in state.surface.patches
    assert state.surface.is_closed


def test_bodies_that_touch_share_their_walls_and_two_in_one_space_are_told():
    pair = {"kind": "file", "name": "f", "file": "f.stl", "unit": "m"}
    points = [{"name": "left", "holds": "solid", "x": "0.5 m", "y": "0.5 m", "z": "0.5 m"},
              {"name": "right", "x": "1.5 m", "y": "0.5 m", "z": "0.5 m"},
              {"name": "again", "x": "1.4 m", "y": "0.5 m", "z": "0.5 m"}]  # fmt: skip
    study = study_with(pair, steps=[{"kind": "merge", "within": "0.01 mm"}], bodies=points)
    one, other = cube(), cube(at=(1, 0, 0))
    shared = other.only(other.patch != other.patches.index("west"))
    welded = together(one, shared)
    _, number = np.unique(welded.points, axis=0, return_inverse=True)
    places = np.unique(welded.points, axis=0)
    both = Surface(places, number[welded.triangles], welded.patch, welded.patches)
    geometry, state = made(study, {"f": both})
    left, right, again = bodies_of(state.surface, geometry.bodies)[0]
    assert left.surface.volume == pytest.approx(1)
    assert right.surface.volume == pytest.approx(1)
    assert left.touches == {"right": pytest.approx(1.0)}
    assert right.touches == {"left": pytest.approx(1.0)}
    assert "same space as that of 'right'" in again.problem


@pytest.mark.parametrize("x", ["-90 mm", "-30 mm", "150 mm", "390 mm"])
def test_a_solid_in_a_stream_touches_it_wherever_the_wet_point_is(x):
    bodies = [{"name": "air", "x": x, "y": "-11 mm", "z": "23 mm"},
              {"name": "metal", "holds": "solid", "x": "50 mm", "y": "30 mm", "z": "20 mm"}]  # fmt: skip
    geometry, state = made(
        study_with(BLOCK, tunnel={"side": "2", "above": "2", "upstream": "1", "downstream": "3"}, bodies=bodies)
    )
    (air, metal), left = bodies_of(state.surface, geometry.bodies)
    assert not left
    assert (air.within, metal.within) == ((), ("air",))
    only_air, left = bodies_of(state.surface, geometry.bodies[:1])
    assert [(round(1e6 * space.volume), len(only_air)) for space in left] == [(240, 1)]
    wetted = pytest.approx(2 * (0.1 * 0.06 + 0.1 * 0.04 + 0.06 * 0.04))
    assert air.touches == {"metal": wetted}
    assert metal.touches == {"air": wetted}
    assert metal.surface.volume == pytest.approx(240e-6)


def test_a_narrow_opening_with_a_name_is_no_slit_to_be_filled():
    whole = cube()
    corners = np.array([[0.2, 0.5, 1], [0.8, 0.5, 1], [0.8, 0.502, 1], [0.2, 0.502, 1]])
    lid = whole.patches.index("lid")
    rest = whole.only(whole.patch != lid)
    square = np.array([[0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]], float)
    ring = [(k, (k + 1) % 4, 4 + (k + 1) % 4) for k in range(4)] + [(k, 4 + (k + 1) % 4, 4 + k) for k in range(4)]
    points = np.concatenate([square, corners])
    slotted = together(rest, Surface(points, np.array(ring), np.zeros(8, np.int64), ("lid",)))
    _, first, number = np.unique(slotted.points, axis=0, return_index=True, return_inverse=True)
    slotted = Surface(slotted.points[first], number[slotted.triangles], slotted.patch, slotted.patches)
    closing = {"patch": "slot", "at": {"patch": "lid", "x": "0.5 m", "y": "0.5 m", "z": "1 m"}}
    part = {"kind": "file", "name": "f", "file": "f.stl", "unit": "m"}
    steps = [{"kind": "fill_slits"}]
    assert "slot" not in made(study_with(part, steps=steps), {"f": slotted})[1].surface.patches
    kept = made(study_with(part, steps=steps, closings=[closing]), {"f": slotted})[1]
    assert not [n.problem for n in kept.notes if n.problem]
    assert "slot" in kept.surface.patches
    assert kept.surface.is_closed


def test_the_suggested_point_lies_in_the_largest_space():
    shape = together(cube(), cube(3.0, at=(5, 0, 0)))
    point = suggested_point(shape)
    assert np.all(point > [5, 0, 0])
    assert np.all(point < [8, 3, 3])
    assert suggested_point(cube().only(np.arange(8))) is None


# -- the document ----------------------------------------------------------------------------------


def test_a_shape_in_space_goes_through_its_document_and_its_key_follows_its_numbers():
    study = header_study(steps=MENDING)
    assert read_study(study_text(study)) == study

    def key(one):
        problems = []
        geometry = resolve(one.variants[0].geometry, named_scope(one, one.variants[0]), "", problems)
        return stages(geometry, None)[-1].key

    other = act(study, "add_step", variant="0", step='{"kind": "make_outward"}')
    assert key(other) != key(study)
    same = act(other, "remove", pointer="/variants/0/geometry/steps/4")
    assert key(same) == key(study)
    rewritten = study.model_dump(mode="json")
    rewritten["variants"][0]["geometry"]["steps"][0]["within"] = "0.02 cm"
    assert key(Study.model_validate(rewritten)) == key(study)


def test_a_patch_is_renamed_where_it_is_named_or_by_a_step():
    study = header_study()
    space = prepare(study, study.variants[0]).space
    shape_cache.note(space.bodies_key, ("header", "end", "branch_1", "branch_2", "inlet", "outlet_1", "outlet_2"), ())
    study = act(study, "set_colour", variant="0", patch="outlet_1", colour="#AA5500")
    geometry = act(study, "rename_patch", patch="outlet_1", to="spray_1").variants[0].geometry
    assert geometry.colours == {"spray_1": "#aa5500"}
    assert geometry.closings[1].patch == "spray_1"
    assert not geometry.steps
    geometry = act(study, "rename_patch", patch="branch_1", to="stub").variants[0].geometry
    assert geometry.steps[0].to == "stub"
    assert geometry.closings[1].at.patch == "stub"
    walled = act(act(study, "set_tunnel", variant="0", form="box"), "rename_patch", patch="tunnel_in", to="upwind")
    assert walled.variants[0].geometry.tunnel.names == {"tunnel_in": "upwind"}
    again = act(walled, "rename_patch", patch="upwind", to="tunnel_front").variants[0].geometry
    assert again.tunnel.names == {"tunnel_in": "tunnel_front"}


def test_a_path_gets_a_point_half_way_along_a_leg():
    study = act(study_with(BLOCK), "add_solid", variant="0", kind="pipe")
    path = act(study, "add_corner", pointer="/variants/0/geometry/parts/1/path/1").variants[0].geometry.parts[1].path
    assert [(p.x, p.y, p.z) for p in path][2] == ("200 mm", "100 mm", "0 mm")


def test_what_is_wrong_in_a_part_is_said_at_its_place():
    raw = header_study().model_dump(mode="json")
    raw["variants"][0]["geometry"]["parts"][0]["file"] = "../outside.stl"
    with pytest.raises(DocumentError) as caught:
        read_study(json.dumps(raw))
    assert caught.value.problems[0].path == "/variants/0/geometry/parts/0/file"
    assert "not a file name" in caught.value.problems[0].message
    raw = study_with({"kind": "wing", "name": "w", "patches": ENDS}).model_dump(mode="json")
    raw["variants"][0]["geometry"]["parts"][0]["digits"] = "24a2"
    with pytest.raises(DocumentError, match="four digits"):
        read_study(json.dumps(raw))


def test_problems_say_what_a_shape_still_needs():
    study = study_with({"kind": "file", "name": "f", "file": "f.stl"})
    told = [p.message for p in prepare(study, study.variants[0]).problems]
    assert any("say the unit of f.stl" in t for t in told)
    assert any("set the wet point" in t for t in told)
    empty = study_with()
    assert any("no shape yet" in p.message for p in prepare(empty, empty.variants[0]).problems)
