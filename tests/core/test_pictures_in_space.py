"""Layers of pictures in space: what a canvas is sent lies where it should and says what it should."""

import json

import numpy as np
import pytest

from brook.core.bench.shapes import ball_of
from brook.core.mesh import Mesh
from brook.core.mesh.boxes import Sizes, build
from brook.core.results.pictures import Drawn, Seen, boundary, drawn
from brook.core.results.pictures.levels import round_levels
from brook.core.results.space import Locator
from brook.core.study.layers import CutLayer, CylinderLayer, LineLayer, PatchLayer, SurfaceLayer
from brook.core.units import dimension_of
from brook.core.verification.manufactured import block
from tests.core.test_seen_in_space import away, round_axis, seen, upwards

STRAIGHT = (0.0, 0.0, 1.0)


def looked(mesh: Mesh, pressure=lambda at: at @ [2.0, 1.0, 0.0], velocity=round_axis) -> Seen:
    view = seen(mesh, pressure, velocity)
    return Seen(view, Locator(mesh), "pressure")


def area_of(drawn: Drawn) -> float:
    a, b, c = np.moveaxis(drawn.arrays["at"][drawn.arrays["triangles"]], 1, 0)
    return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)


def test_a_cut_is_triangles_with_their_values_an_outline_and_lines_of_equal_value():
    found = drawn(CutLayer(through=(0.5, 0.5, 0.4), across=STRAIGHT, levels=5, mesh_lines=True), looked(block(6)))
    arrays = found.arrays
    assert area_of(found) == pytest.approx(1.0)
    corner = (np.abs(arrays["at"][:, :2] - 0.5) > 0.49).all(
        axis=1
    )  # there two walls have a say, each with its own middle
    assert arrays["values"][~corner] == pytest.approx((arrays["at"] @ [2.0, 1.0, 0.0])[~corner], abs=1e-9)
    assert np.linalg.norm(np.diff(arrays["outline"], axis=1), axis=2).sum() == pytest.approx(4.0)
    assert len(arrays["sides"]) == 2 * 6 * 7
    # straight lines where 2 x + y is 0.5, 1, 1.5, 2, 2.5: their ends lie on them, and they are as long
    values, ends = arrays["level_values"], arrays["level_lines"]
    assert sorted(set(values)) == pytest.approx([0.5, 1.0, 1.5, 2.0, 2.5])
    middle = values == 1.5
    assert ends[middle] @ [2.0, 1.0, 0.0] == pytest.approx(np.full((middle.sum(), 2), 1.5))
    long = np.linalg.norm(np.diff(ends[values == 1.5], axis=1), axis=2).sum()
    assert long == pytest.approx(np.hypot(0.5, 1.0))
    assert (found.numbers["area"], found.numbers["mean"]) == pytest.approx((1.0, 1.5))


def test_cells_have_one_colour_each_where_that_is_asked():
    found = drawn(CutLayer(through=(0.5, 0.5, 0.4), across=STRAIGHT, by_cell=True), looked(block(4)))
    three = found.arrays["values"][found.arrays["triangles"]]
    assert np.ptp(three, axis=1).max() == 0.0
    assert len(set(np.round(three[:, 0], 9))) > 4
    for more in ({"by_cell": True}, {"plain": True}):
        refused = drawn(CutLayer(through=(0.5, 0.5, 0.4), across=STRAIGHT, levels=6, **more), looked(block(4)))
        assert "level_lines" not in refused.arrays
        assert refused.words == ("no lines of equal value: they need smooth colours of one result",)


def test_arrows_lie_evenly_on_a_cut_and_point_where_the_fluid_goes():
    found = drawn(CutLayer(through=(0.5, 0.5, 0.4), across=(0.0, 0.2, 1.0), arrows="long"), looked(block(6)))
    at, way = found.arrays["arrows_at"], found.arrays["arrows_way"]
    assert way == pytest.approx(round_axis(at), abs=1e-9)
    assert (at - [0.5, 0.5, 0.4]) @ [0.0, 0.2, 1.0] == pytest.approx(np.zeros(len(at)), abs=1e-12)
    apart = np.linalg.norm(at[:, None] - at[None], axis=2) + np.eye(len(at))
    assert apart.min() == pytest.approx(found.arrays["arrows_step"][0])


def test_arrows_lie_evenly_on_what_is_bent_and_are_normal_to_nothing_but_it():
    surface = drawn(SurfaceLayer(of="pressure", level=0.31, arrows="long"), looked(block(16), away))
    at, way, across = (surface.arrays[n] for n in ("arrows_at", "arrows_way", "arrows_across"))
    step = float(surface.arrays["arrows_step"][0])
    assert np.linalg.norm(at - 0.5, axis=1) == pytest.approx(0.31, rel=0.03)
    assert way == pytest.approx(round_axis(at), abs=1e-9)
    radial = (at - 0.5) / np.linalg.norm(at - 0.5, axis=1)[:, None]
    assert np.abs(np.einsum("ij,ij->i", radial, across / np.linalg.norm(across, axis=1)[:, None])).min() > 0.9
    cubes = np.floor((at - at.min(axis=0)) / step)
    assert len(at) > 300
    assert np.unique(cubes, axis=0).shape[0] > 0.8 * len(at)


def test_arrows_on_walls_show_the_friction_along_them():
    """u = (z, 0, 0) between walls: the fluid pulls what lies below it along x, with μ du/dz."""
    mesh = block(8)
    view = seen(mesh, away, lambda at: np.stack([at[:, 2], 0 * at[:, 0], 0 * at[:, 0]], axis=1))
    arrays = drawn(PatchLayer(arrows="equal"), Seen(view, Locator(mesh), "pressure")).arrays
    low = (arrays["arrows_at"][:, 2] < 0.05) & (np.abs(arrays["arrows_at"][:, :2] - 0.5) < 0.4).all(axis=1)
    assert low.sum() > 20
    assert arrays["arrows_way"][low] == pytest.approx(np.tile([1.0, 0.0, 0.0], (low.sum(), 1)), abs=1e-9)
    assert np.abs(arrays["arrows_across"][low][:, 2]) == pytest.approx(1.0)


def test_lines_coloured_by_time_begin_at_nothing_and_are_no_difference():
    mesh = block(9)
    here = Seen(seen(mesh, away, upwards), Locator(mesh), "pressure")
    layer = LineLayer(begin="places", places=((0.3, 0.6, 0.4), (0.7, 0.2, 0.9)), by_time=True)
    found = drawn(layer, here)
    first = found.arrays["lines_start"][:-1]
    assert found.arrays["lines_values"][first] == pytest.approx(0.0)
    assert found.arrays["lines_values"] == pytest.approx(found.arrays["lines_at"][:, 2], abs=1e-6)
    assert found.numbers["longest"] == pytest.approx(1.0, abs=1e-6)
    less = drawn(layer, Seen(here.view, here.locator, "pressure", here))
    assert less.arrays["lines_values"] == pytest.approx(found.arrays["lines_values"])
    assert less.words == ("coloured by time, not by the difference",)


def test_a_solid_that_a_cut_goes_round_is_told_and_filled():
    """A ball in the middle of a block: on the cut a disc without cells."""
    mesh = block(12)
    keep = np.linalg.norm(mesh.centre - 0.5, axis=1) > 0.2
    hollow = without(mesh, ~keep)
    found = drawn(CutLayer(through=(0.5, 0.5, 0.52), across=STRAIGHT), looked(hollow))
    solid = found.arrays["solid_at"][found.arrays["solid_triangles"]]
    size = np.linalg.norm(np.cross(solid[:, 1] - solid[:, 0], solid[:, 2] - solid[:, 0]), axis=1).sum() / 2
    assert size == pytest.approx(1.0 - found.numbers["area"], rel=1e-7)  # corners are told apart to 1e-9
    assert found.numbers["solid"] == pytest.approx(size)
    assert found.words == ("a solid in it, shown grey",)
    whole = drawn(CutLayer(through=(0.5, 0.5, 0.1), across=STRAIGHT), looked(hollow))
    assert "solid_at" not in whole.arrays
    assert whole.words == ()


def without(mesh: Mesh, gone: np.ndarray) -> Mesh:
    """A mesh with some of its cells taken out; what they leave is a patch of its own."""
    n = mesh.inner_count
    owner = mesh.owner
    inside = np.zeros(mesh.face_count, bool)
    inside[:n] = ~gone[owner[:n]] & ~gone[mesh.neighbour]
    skin = np.zeros(mesh.face_count, bool)
    skin[:n] = gone[owner[:n]] != gone[mesh.neighbour]
    outer = np.arange(mesh.face_count) >= n
    order = np.concatenate([np.nonzero(inside)[0], np.nonzero(outer & ~gone[owner])[0], np.nonzero(skin)[0]])
    number = np.cumsum(~gone) - 1
    rings = []
    owners = []
    for f in order:
        ring = mesh.face_points[mesh.face_offsets[f] : mesh.face_offsets[f + 1]]
        turned = skin[f] and gone[owner[f]]
        rings.append(ring[::-1] if turned else ring)
        owners.append(number[mesh.neighbour[f] if turned else owner[f]])
    offsets = np.concatenate([[0], np.cumsum([len(r) for r in rings])])
    count = int(inside.sum())
    neighbour = number[mesh.neighbour[order[:count]]]
    ends = [(p.name, int((outer & ~gone[owner])[p.start : p.end].sum())) for p in mesh.patches]
    patches, start = [], count
    for name, faces in [*ends, ("hollow", int(skin.sum()))]:
        patches.append(type(mesh.patches[0])(name, start, start + faces))
        start += faces
    whole = [np.asarray(v, np.int32) for v in (np.concatenate(rings), offsets, owners, neighbour)]
    return Mesh(mesh.points, *whole, tuple(patches), mesh.bodies, mesh.body[~gone])


def test_walls_show_what_holds_on_them_and_patches_are_chosen():
    at = looked(block(5), away)
    at.view.fields.boundary_pressure[:] = 7.0
    names = [p.name for p in at.view.fields.mesh.patches]
    every = drawn(PatchLayer(), at)
    assert area_of(every) == pytest.approx(6.0)
    assert every.arrays["values"] == pytest.approx(7.0)
    some = drawn(PatchLayer(patches=(names[0],), mesh_lines=True), at)
    assert area_of(some) == pytest.approx(every.numbers["area"] * area_of(some) / 6.0)
    assert area_of(some) < 6.0 or len(names) == 1
    assert "values" not in drawn(PatchLayer(plain=True), at).arrays
    with pytest.raises(KeyError):
        drawn(PatchLayer(patches=("lid_of_nothing",)), at)


def test_the_edges_of_a_block_and_none_on_a_ball():
    edges = boundary(block(4)).arrays["outline"]
    assert np.linalg.norm(np.diff(edges, axis=1), axis=2).sum() == pytest.approx(12.0)
    ball = boundary(build(ball_of(4), Sizes(0.2, {"skin": 0.1})))
    assert len(ball.arrays["outline"]) < 0.01 * len(ball.arrays["triangles"])


def test_a_surface_says_its_area_what_lies_above_it_and_where_it_cannot_be():
    at = looked(block(16), away)
    found = drawn(SurfaceLayer(of="pressure", level=0.4), at)
    assert found.numbers["area"] == pytest.approx(4 * np.pi * 0.16, rel=0.02)
    assert 1.0 - found.numbers["share"] == pytest.approx(4 / 3 * np.pi * 0.4**3, rel=0.02)
    nowhere = drawn(SurfaceLayer(of="pressure", level=2.0), at)
    assert (nowhere.words, nowhere.arrays, nowhere.numbers["share"]) == (("nowhere",), {}, 0.0)
    assert nowhere.numbers["most"] == pytest.approx(np.sqrt(0.75), rel=0.1)


def test_streamlines_begin_on_lines_rings_and_at_places():
    at = looked(block(6), velocity=upwards)
    line = drawn(LineLayer(begin="line", places=((0.2, 0.5, 0.5), (0.8, 0.5, 0.5)), count=6), at)
    starts = line.arrays["lines_start"]
    assert len(starts) == 7
    assert line.arrays["lines_at"][starts[:-1], 0] == pytest.approx(0.2 + 0.1 * (np.arange(6) + 0.5))
    ring = drawn(LineLayer(begin="ring", places=((0.5, 0.5, 0.5), (0.0, 0.0, 0.3)), count=8), at)
    off = ring.arrays["lines_at"][:, :2] - 0.5
    assert np.linalg.norm(off, axis=1) == pytest.approx(0.3)
    # both ways from bottom to top in one second, of which downstream is a half
    assert np.ptp(line.arrays["lines_seconds"]) == pytest.approx(1.0, rel=1e-6)
    down = drawn(LineLayer(begin="places", places=((0.5, 0.5, 0.5),), ways="down"), at)
    assert np.ptp(down.arrays["lines_seconds"]) == pytest.approx(0.5, rel=1e-6)
    up = drawn(LineLayer(begin="places", places=((0.5, 0.5, 0.5),), ways="up"), at)
    assert up.arrays["lines_at"][:, 2].max() == pytest.approx(0.5)
    two = drawn(LineLayer(begin="places", places=((0.5, 0.5, 0.5), (3.0, 0.5, 0.5))), at)
    assert (two.numbers["lines"], two.numbers["outside"]) == (1, 1)


def test_a_ribbon_turns_as_the_fluid_does():
    """A screw: while it goes round the axis once it has turned about its own way by ½ ω·u/|u| t."""

    def screw(at: np.ndarray) -> np.ndarray:
        return round_axis(at) + upwards(at)

    at = looked(block(8), velocity=screw)
    found = drawn(LineLayer(begin="places", places=((0.5, 0.5, 0.5),), ribbons=True), at)
    assert np.ptp(found.arrays["lines_turn"]) == pytest.approx(0.5 * 2.0 * 1.0, rel=0.02)


@pytest.mark.parametrize(
    ("layer", "words"),
    [
        (CutLayer(through=(0.5, 0.5, 3.0), across=STRAIGHT), "does not cut this mesh"),
        (CutLayer(through=(0.5, 0.5, 0.5), across=(0.0, 0.0, 0.0)), "a place and a direction"),
        (CutLayer(through=(0.5, 0.5, 0.5), across=(1e300, 1e300, 0.0)), "a place and a direction"),
        (LineLayer(begin="ring", places=((0.5, 0.5, 0.5), (1e300, 1e300, 0.0))), "no radius"),
        (LineLayer(begin="places", places=((3.0, 0.0, 0.0),)), "outside of the fluid"),
        (LineLayer(begin="patch"), "name the patch"),
        (LineLayer(begin="line"), "two ends"),
        (LineLayer(begin="ring", places=((0.5, 0.5, 0.5), (0.0, 0.0, 0.0))), "no radius"),
    ],
)  # fmt: skip
def test_what_cannot_be_drawn_is_said(layer, words):
    with pytest.raises(ValueError, match=words):
        drawn(layer, looked(block(3)))


def test_the_difference_of_two_results_is_nothing_where_they_agree_and_no_number_where_one_has_no_fluid():
    one, other = looked(block(6)), looked(block(9))
    alike = Seen(one.view, one.locator, "pressure", one)
    layer = CutLayer(through=(0.5, 0.5, 0.4), across=STRAIGHT, levels=4)
    same = drawn(layer, alike)
    assert not same.arrays["values"].any()
    assert "level_lines" not in same.arrays
    finer = drawn(layer, Seen(one.view, one.locator, "pressure", other))
    assert finer.arrays["values"] == pytest.approx(np.zeros(len(finer.arrays["values"])), abs=1e-9)
    mesh = block(6)
    half = looked(without(mesh, mesh.centre[:, 0] > 0.5))
    part = drawn(layer, Seen(one.view, one.locator, "pressure", half))
    missing = np.isnan(part.arrays["values"])
    assert (part.arrays["at"][missing, 0] > 0.5).all()
    assert part.numbers["missing"] == pytest.approx(0.5, abs=1e-9)
    assert "where the other has no fluid" in part.words[-1]


def test_round_levels_are_round_in_degrees_too():
    assert round_levels(0.0, 1.0, 4, dimension_of("m/s")) == pytest.approx([0.2, 0.4, 0.6, 0.8])
    warm = round_levels(283.0, 303.0, 3, dimension_of("K")) - 273.15
    assert warm == pytest.approx([10.0, 15.0, 20.0, 25.0])
    assert len(round_levels(1.0, 1.0, 4, dimension_of("m/s"))) == 0


def test_what_is_packed_can_be_read_again():
    found = drawn(CutLayer(through=(0.5, 0.5, 0.4), across=STRAIGHT), looked(block(3)))
    packed = found.packed()
    size = int.from_bytes(packed[:4], "little")
    heading = json.loads(packed[4 : 4 + size])
    at = 4 + size
    assert at % 4 == 0
    for name, (kind, count) in heading["arrays"].items():
        read = np.frombuffer(packed, "<u4" if kind == "u32" else "<f4", count, at)
        at += 4 * count
        assert read == pytest.approx(found.arrays[name].ravel(), rel=1e-6, abs=1e-6)
    assert at == len(packed)
    assert heading["numbers"]["area"] == pytest.approx(1.0)


def test_a_cylinder_has_its_area_and_lines_of_equal_value_lie_on_every_surface():
    at = looked(block(24), lambda p: p[:, 2])
    found = drawn(CylinderLayer(through=(0.5, 0.5, 0.0), along=(0.0, 0.0, 2.0), radius=0.3, levels=4), at)
    assert found.numbers["area"] == pytest.approx(2 * np.pi * 0.3, rel=0.01)
    assert found.numbers["mean"] == pytest.approx(0.5, abs=1e-6)
    rings = np.linalg.norm(np.diff(found.arrays["level_lines"], axis=1), axis=2)[:, 0]
    assert rings[np.isclose(found.arrays["level_values"], 0.4)].sum() == pytest.approx(2 * np.pi * 0.3, rel=0.01)
    walls = drawn(PatchLayer(levels=4), at)
    on_walls = np.linalg.norm(np.diff(walls.arrays["level_lines"], axis=1), axis=2)[
        np.isclose(walls.arrays["level_values"], 0.4)
    ]
    assert on_walls.sum() == pytest.approx(4.0, rel=0.05)
    for layer in (
        CylinderLayer(through=(0.5, 0.5, 0.0), along=(0.0, 0.0, 1.0), radius=3.0),
        CylinderLayer(through=(0.5, 0.5, 0.0), along=(0.0, 0.0, 0.0), radius=0.3),
    ):
        with pytest.raises(ValueError, match="cylinder"):
            drawn(layer, at)
