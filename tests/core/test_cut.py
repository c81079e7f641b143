"""Circles, arcs and polygons: cells cut where the boundary runs face_kind."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.checks import prepare
from brook.core.geometry.plane import build_plane
from brook.core.mesh import measure
from brook.core.mesh.lines import build, estimate
from brook.core.results.forces import patch_forces
from brook.core.results.plane import Triangles
from brook.core.results.stream import seeds_on_patch, stream_function, streamlines_from
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import PlaneGeometry, Resolved, named_scope, resolve
from tests.core.studies import tray, variant

PLAN = Resolved(bulk=6e-3, wall=2e-3, growth=1.2)
AREA = 0.12 * 0.06


def circle(name="peg", x="60 mm", y="30 mm", diameter="20 mm", **more):
    return {"kind": "circle", "name": name, "centre_x": x, "centre_y": y, "diameter": diameter, "patch": name, **more}


def arc(name="vane", x="60 mm", y="30 mm", radius="15 mm", start="0 deg", end="120 deg", **more):
    return {"kind": "arc", "name": name, "centre_x": x, "centre_y": y, "radius": radius, "thickness": "2 mm",
            "start": start, "end": end, "patch": name, **more}  # fmt: skip


def polygon(*corners, name="wedge", **more):
    return {"kind": "polygon", "name": name,
            "corners": [{"x": f"{x} mm", "y": f"{y} mm", "patch": f"{name}_{k}"} for k, (x, y) in enumerate(corners)], **more}  # fmt: skip


def built(*shapes, **changes):
    raw = {**tray().variants[0].geometry.model_dump(), "shapes": list(shapes), **changes}
    problems = []
    geometry = resolve(PlaneGeometry.model_validate(raw), named_scope(tray(), None), "/g", problems)
    return build_plane(geometry, "/g", problems), problems


def assert_sound(shape, mesh):
    """No cell is open, turned or lost, and the patches are as long as the shape says."""
    quality = measure(mesh)
    assert quality.openness < 1e-12
    assert quality.smallest_volume > 0
    for name in shape.patches:
        length = sum(e.length for e in shape.edges() if e.patch == name)
        assert mesh.face_areas(mesh.patch(name).faces).sum() / 0.1 == pytest.approx(length, rel=0.05)
    return quality


@pytest.mark.parametrize("y", ["30 mm", "31.3 mm", "0 mm", "0.5 mm", "-4 mm"])
def test_a_circle_anywhere_is_cut_out_cleanly(y):
    shape, problems = built(circle(y=y))
    assert not problems
    mesh = build(shape, PLAN)
    quality = assert_sound(shape, mesh)
    assert quality.non_orthogonality.max() < 65
    assert mesh.volume.sum() / 0.1 == pytest.approx(shape.area, rel=1e-3)
    assert estimate(shape, PLAN).cells == pytest.approx(mesh.cell_count, rel=0.03)


def test_the_area_of_a_circle_is_that_of_a_circle():
    shape, _ = built(circle())
    assert shape.area == pytest.approx(AREA - np.pi * 0.01**2, rel=1e-9)


def test_an_arc_takes_its_share_of_a_ring():
    shape, _ = built(arc())
    assert shape.area == pytest.approx(AREA - np.pi * (0.016**2 - 0.014**2) / 3, rel=1e-6)
    assert_sound(shape, build(shape, PLAN))


def test_a_polygon_is_kept_to_the_corner_whichever_way_round_it_is_given():
    corners = ((40, 10), (62, 13), (55, 33))
    area = 0.5 * abs((62 - 40) * (33 - 10) - (55 - 40) * (13 - 10)) * 1e-6
    for given_as in (corners, corners[::-1]):
        shape, _ = built(polygon(*given_as))
        mesh = build(shape, PLAN)
        assert_sound(shape, mesh)
        assert mesh.volume.sum() / 0.1 == pytest.approx(AREA - area, rel=1e-12)
    assert {"wedge_0", "wedge_1", "wedge_2"} < set(shape.patches)


def test_a_circle_far_smaller_than_a_cell_is_still_a_hole():
    shape, _ = built(circle(diameter="0.4 mm"))
    mesh = build(shape, Resolved(bulk=6e-3, wall=6e-3, growth=1.2))
    assert_sound(shape, mesh)
    assert mesh.patch("peg").count >= 4


def test_a_cell_round_a_tip_that_meets_others_askew_is_parted():
    """What is left of a box between two wedges and the end of a vane lay round the vane, and met a neighbour at 91°."""
    crossing = [
        circle(x="39 mm", y="47 mm", diameter="38.763097 mm"), polygon((96, 9), (89, 26), (10, 2)),
        arc(x="90 mm", y="18 mm", radius="8.5240514 mm", start="67 deg", end="137 deg"), polygon((69, 40), (89, 9), (91, 64), name="fin"),
    ]  # fmt: skip
    shape, problems = built(*crossing, openings=[])
    assert not problems
    mesh = build(shape, Resolved(bulk=6e-3, wall=6e-3, growth=1.2))
    assert assert_sound(shape, mesh).non_orthogonality.max() < 50
    assert mesh.volume.sum() / 0.1 == pytest.approx(shape.area, rel=1e-2)


def test_what_is_kept_and_what_is_added():
    kept, _ = built(circle(diameter="50 mm", action="keep"), openings=[])
    assert kept.area == pytest.approx(np.pi * 0.025**2)
    assert kept.patches == ("peg",)
    assert_sound(kept, build(kept, PLAN))
    added, _ = built(circle(x="120 mm", diameter="30 mm", action="add"), openings=[])
    assert added.area == pytest.approx(AREA + np.pi * 0.015**2 / 2)
    assert_sound(added, build(added, PLAN))


@pytest.mark.parametrize(
    ("shape", "path", "words"),
    [
        (circle(x="300 mm"), "/g/shapes/0/centre_x", "lies outside"),
        (circle(x="300 mm", action="add"), "/g/shapes/0/centre_x", "does not touch"),
        (circle(diameter="80 mm"), "/g/shapes/0/diameter", "cuts the domain in two"),
        (circle(diameter="800 mm"), "/g/shapes/0/diameter", "no room"),
        (circle(diameter="0 mm"), "/g/shapes/0/diameter", "more than zero"),
        (arc(radius="0.5 mm"), "/g/shapes/0/thickness", "thicker than twice its radius"),
        (arc(end="-20 deg"), "/g/shapes/0/end", "ends before it begins"),
        (arc(end="360 deg"), "/g/shapes/0/end", "take two circles"),
        (arc(end="90"), "/g/shapes/0/end", "over two turns"),
        (arc(end="90 mm"), "/g/shapes/0/end", "this is an angle"),
        (polygon((10, 10), (30, 30), (30, 10), (10, 30)), "/g/shapes/0/corners", "cross each other"),
        (polygon((10, 10), (30, 10), (50, 10)), "/g/shapes/0/corners", "cross each other"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_at_the_value(shape, path, words):
    made, problems = built(shape)
    assert made is None
    assert any(p.path == path and words in p.message for p in problems), problems


def test_flow_past_round_shapes_balances_and_goes_round_them():
    study = tray(variants=[variant("one", "One", [circle(), arc(x="95 mm")])])
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    fields = outcome.fields
    assert fields.imbalance() < 1e-10
    forces = {f.patch: f for f in patch_forces(fields)}
    whole = sum(f.pressure + f.friction + f.momentum for f in forces.values())
    largest = max(np.abs(f.total).max() for f in forces.values())
    assert np.abs(whole[:2]).max() < 0.01 * largest  # least-squares gradients: not to round-off on cut cells
    assert forces["peg"].total[0] > 0  # the water pushes it along
    triangles, psi = Triangles.of(fields.mesh), stream_function(fields)
    seeds = seeds_on_patch(fields, "peg", 12)
    from_middle = seeds - [0.06, 0.03]
    assert np.hypot(*from_middle.T) == pytest.approx(0.01, rel=0.08)
    assert np.all(triangles.locate(seeds)[0] >= 0)
    angles = np.sort(np.arctan2(*from_middle.T[::-1]))
    assert np.diff(angles) == pytest.approx(np.pi / 6, rel=0.3)
    lines = streamlines_from(triangles, psi, seeds_on_patch(fields, "inlet", 6))
    assert len(lines) == 6
    for line in lines:
        assert np.hypot(*(line.places - [0.06, 0.03]).T).min() > 0.0099


places = st.tuples(st.integers(-5, 125), st.integers(-5, 65))
whole = st.one_of(
    st.builds(lambda p, d, a: circle(x=f"{p[0]} mm", y=f"{p[1]} mm", diameter=f"{d} mm", action=a), places, st.floats(0.3, 40), st.sampled_from(["take", "add"])),
    st.builds(lambda p, r, s, e: arc(x=f"{p[0]} mm", y=f"{p[1]} mm", radius=f"{r} mm", start=f"{s} deg", end=f"{s + e} deg"), places, st.floats(1.5, 30), st.integers(0, 360), st.integers(5, 350)),
    st.builds(lambda a, b, c: polygon(a, b, c), places, places, places),
    st.builds(lambda p, w, h: {"name": "bar", "left": f"{p[0]} mm", "bottom": f"{p[1]} mm", "width": f"{w} mm", "height": f"{h} mm", "patches": dict.fromkeys(("left", "right", "bottom", "top"), "bar")}, places, st.integers(1, 40), st.integers(1, 40)),
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(whole, min_size=1, max_size=4), st.sampled_from([1.5e-3, 2e-3, 3.3e-3, 6e-3]))
def test_random_shapes_give_a_sound_mesh_or_a_reason(shapes, wall):
    shapes = [{**s, "name": f"{s['name']}_{k}"} for k, s in enumerate(shapes)]
    shape, problems = built(*shapes, openings=[])
    assert (shape is None) == bool(problems)
    if shape is None:
        return
    mesh = build(shape, Resolved(bulk=6e-3, wall=wall, growth=1.2))
    quality = measure(mesh)
    assert quality.openness < 1e-10
    assert quality.smallest_volume > 0
    assert quality.non_orthogonality.max() < 89
    assert mesh.volume.sum() / 0.1 == pytest.approx(shape.area, rel=0.03)
