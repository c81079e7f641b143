"""Wall layers, zones, and sizes by bends and gaps of automatic meshes."""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.geometry.booleans import combined
from brook.core.geometry.solids import solid
from brook.core.geometry.surface import Surface
from brook.core.mesh import measure
from brook.core.mesh.boxes import Box, Layers, Near, Rod, Sizes, build
from brook.core.mesh.boxes.core import UNEVEN, Core
from brook.core.mesh.boxes.layers.easing import eased, even_share
from brook.core.mesh.boxes.layers.kernels import LOWEST, joined
from brook.core.mesh.quality import layer_coverage, worst_places
from tests.core.surfaces import cube
from tests.core.test_boxes import elbow, in_a_box, round_ball, tee, turned, wedge
from tests.core.test_mesh import assert_sound


def layers(patches, size, count=5, growth=1.2, share=0.6) -> Layers:
    """So many layers, together a share of a size."""
    return Layers(tuple(patches), count, share * size * (growth - 1) / (growth**count - 1), growth)


def assert_filled(mesh, surface, volume=3e-3, area=5e-3):
    """Closed cells of positive volume, together the volume of the shape; every patch kept with its area."""
    quality = measure(mesh)
    assert quality.smallest_volume > 0
    assert quality.openness < 1e-12
    assert mesh.volume.sum() == pytest.approx(abs(surface.volume), rel=volume)
    for k, name in enumerate(surface.patches):
        wanted = surface.areas[surface.patch == k].sum()
        assert mesh.face_areas(mesh.patch(name).faces).sum() == pytest.approx(wanted, rel=area)
    return quality


def body_named(surface: Surface) -> Surface:
    return Surface(surface.points, surface.triangles, surface.patch, tuple(f"body_{n}" for n in surface.patches))


CASES = {
    "elbow": lambda: (elbow(), Sizes(0.0125), ("wall",), 60.0, 0.98),
    "tee": lambda: (tee(), Sizes(0.04), ("run", "branch"), 65.0, 0.98),
    "ball": lambda: (in_a_box(round_ball()), Sizes(0.32, {"skin": 0.04}), ("skin",), 60.0, 0.98),
    "cube": lambda: (turned(cube(), 3), Sizes(0.08), cube().patches, 70.0, 0.98),
}


@pytest.mark.parametrize("name", CASES)
def test_layers_stand_along_smooth_and_sharp_walls(name):
    surface, sizes, along, steepest, covered = CASES[name]()
    size = min([sizes.bulk, *sizes.patches.values()])
    mesh = build(surface, sizes, layers=(layers(along, size),))
    quality = assert_filled(mesh, surface, 8e-3, 2e-2)
    assert quality.non_orthogonality.max() < steepest
    assert min(layer_coverage(mesh, along).values()) >= covered
    # heights grow from the wall by what was asked for: the median cell's volume over its wall face
    patch = mesh.patch(along[0])
    first = mesh.volume[mesh.owner[patch.faces]] / mesh.face_areas(patch.faces)
    assert np.median(first) == pytest.approx(layers(along, size).first, rel=0.1)


@pytest.mark.slow
@pytest.mark.parametrize(("body", "covered"), [("cube", 0.98), ("wedge", 0.98)])
def test_layers_stand_around_sharp_bodies(body, covered):
    shape = body_named(turned(cube() if body == "cube" else wedge(), 3 if body == "cube" else 5))
    surface, size = in_a_box(shape), 0.0625
    # the edge of 27° is thinner than a cell near its end: finer ones stand there
    sizes = Sizes(0.25, dict.fromkeys(shape.patches, size), per_gap=2, smallest=size / 8)
    mesh = build(surface, sizes, layers=(layers(shape.patches, size),))
    quality = assert_filled(mesh, surface, area=2e-2)
    assert quality.non_orthogonality.max() < 75
    assert quality.skewness.max() < 1.6
    coverage = layer_coverage(mesh, shape.patches)
    areas = {name: shape.areas[shape.patch == k].sum() for k, name in enumerate(shape.patches)}
    assert sum(areas[name] * share for name, share in coverage.items()) / sum(areas.values()) >= covered
    assert min(coverage.values()) >= 0.95
    # where layers end too (57 when thin ones kept all their number, 12.5 before points there moved), and 6 is what the layers ask for
    assert quality.growth.max() < 6.5


def test_points_within_move_until_neighbours_are_alike():
    """A cube of even boxes with the points of one plane pulled near to the next, but those on its skin."""
    mesh = build(cube(), Sizes(0.125))
    skin = np.zeros(len(mesh.points), bool)
    skin[mesh.face_points[mesh.face_offsets[mesh.inner_count] :]] = True
    points = mesh.points.copy()
    points[(np.abs(points[:, 0] - 0.5) < 1e-6) & ~skin, 0] = 0.395
    beside = np.concatenate([mesh.neighbour, np.full(len(mesh.owner) - mesh.inner_count, -1)])
    count = len(mesh.volume)
    core = Core(
        points,
        mesh.face_points,
        mesh.face_offsets,
        mesh.owner,
        beside,
        np.zeros(0),
        np.cbrt(mesh.volume),
        np.zeros(count, int),
    )
    even, aside = even_share(np.zeros(count)), 0.05
    uneven = core.judged(aside, even) == UNEVEN
    growth = measure(replace(mesh, points=points)).growth.max()
    assert growth > 8
    assert uneven.any()
    made = eased(core, uneven, even, aside)
    quality = measure(replace(mesh, points=made.points))
    assert quality.growth.max() < 4.7
    assert quality.smallest_volume > 0
    assert np.array_equal(made.points[skin], points[skin])
    assert not made.judged(aside).any()
    far = np.abs(points[:, 0] - 0.395) > 0.3
    assert np.array_equal(made.points[far], points[far])
    again = eased(core, uneven, even, aside)  # chance is the same each time
    assert np.array_equal(made.points, again.points)


def test_layers_thicker_than_a_gap_become_thinner():
    """A slot a tenth wide in a cube: layers of its whole width on both sides cannot be."""
    slot = solid(SimpleNamespace(kind="box", x=0.45, y=-0.1, z=0.4, width=0.1, depth=1.2, height=0.8, pattern=None,
                                 patches=SimpleNamespace(**{s: "slot" for s in ("west", "east", "south", "north", "floor", "lid")})))  # fmt: skip
    surface = combined(cube(), slot, "keep")
    mesh = build(surface, Sizes(0.02), layers=(Layers(("slot",), 4, 0.02, 1.2),))
    assert_filled(mesh, surface, 1e-2, 2e-2)
    assert layer_coverage(mesh, ["slot"])["slot"] > 0.9


def test_layers_that_find_less_room_are_fewer():
    """Of eight layers in a half, a quarter and less of the height wanted: the last is as high as it is to be beside a cell, none is much
    higher than the next one out, and the first no lower than wanted; with nothing to be, all stay."""
    wanted = Layers(("wall",), 8, 1.0, 1.2)
    share = np.array([1.0, 0.5, 0.25, 0.15])
    top = np.where(share < 1, wanted.heights[-1], 0.0)
    part, cells = joined(
        share * wanted.total, top, np.zeros(4, np.int64), wanted.heights[None] / wanted.total, np.arange(8)[None]
    )
    for f, count in enumerate(cells):
        heights = np.bincount(part[f], weights=share[f] * wanted.heights)
        assert len(heights) == count
        assert heights[-1] >= min(top[f], share[f] * wanted.total)
        assert (heights[:-1] <= 1.05 * heights[1:]).all()
        assert (heights[:-1] * LOWEST >= heights[1:]).all()
        assert 1 <= heights[0] <= 1.2 * wanted.heights[-1]
    assert cells.tolist() == [8, 3, 1, 1]


def test_groups_of_walls_have_layers_of_their_own():
    size = 0.1
    floor, lid = Layers(("floor",), 5, 0.008, 1.2), Layers(("lid", "west"), 2, 0.03, 1.0)
    mesh = build(cube(), Sizes(size), layers=(floor, lid))
    assert_filled(mesh, cube())
    assert_sound(mesh)
    for group in (floor, lid):
        for name in group.patches:
            patch = mesh.patch(name)
            centre = mesh.face_centres(patch.faces)
            inside = (np.abs(np.delete(centre, 2 if name != "west" else 0, axis=1) - 0.5) < 0.3).all(axis=1)
            first = mesh.volume[mesh.owner[patch.faces]] / mesh.face_areas(patch.faces)
            assert first[inside] == pytest.approx(group.first, rel=0.02)
            over = np.abs(mesh.centre[:, :2] - centre[inside][0, :2]).max(axis=1) < size / 4
            if name != "west":
                near = np.abs(mesh.centre[over, 2] - centre[0, 2]) < group.total
                assert mesh.layer[over][near].max() == group.count


@pytest.mark.slow
@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6), st.floats(0.2, 1.2), st.integers(1, 8))
def test_layers_never_make_an_unsound_mesh(seed, share, count):
    random = np.random.default_rng(seed)
    surface = turned(cube(), seed)
    for k in range(2):
        other = round_ball(16) if k else turned(cube(), seed + 1)
        surface = combined(surface, other.placed(0.8 * other.points + random.uniform(-0.5, 0.5, 3)), "add")
    mesh = build(surface, Sizes(0.12), layers=(layers(surface.patches, 0.12, count, 1.3, share),))
    quality = measure(mesh)
    assert quality.smallest_volume > 0
    assert quality.openness < 1e-12
    assert quality.non_orthogonality.max() < 86


def test_a_mesh_with_layers_is_one_like_any_other():
    mesh = build(elbow(), Sizes(0.03), layers=(layers(("wall",), 0.03, 3),))
    assert_sound(mesh)
    assert mesh.layer.max() == 3


@pytest.mark.parametrize(
    ("zone", "inside"),
    [
        (Box((0.0, 0.0, 0.0), (0.5, 0.5, 0.5)), lambda c: (c < 0.5).all(axis=1)),
        (Rod((0.5, 0.5, 0.5), (0.5, 0.5, 0.5), 0.3), lambda c: np.linalg.norm(c - 0.5, axis=1) < 0.3),
        (Rod((0.0, 0.5, 0.5), (1.0, 0.5, 0.5), 0.2), lambda c: np.linalg.norm((c - 0.5)[:, 1:], axis=1) < 0.2),
        (Near("floor", 0.2), lambda c: c[:, 2] < 0.2),
    ],
)
def test_cells_in_a_zone_are_as_small_as_wished_and_others_are_not(zone, inside):
    mesh = build(cube(), Sizes(0.2, zones=((0.06, zone),)))
    size = np.cbrt(mesh.volume)
    there = inside(mesh.centre)
    assert np.median(size[there]) < 0.06
    assert size[there].max() < 0.09
    assert size[~there].max() > 0.095


def test_bends_and_gaps_ask_for_their_cells():
    ball = round_ball(64)
    bent = build(ball, Sizes(0.25, per_turn=24))
    patch = bent.patch("skin")
    along = np.sqrt(bent.face_areas(patch.faces))
    assert np.median(along) <= np.pi / 24  # a full turn of the ball is pi long
    flat = build(cube(), Sizes(0.25, per_turn=24))
    assert flat.cell_count < 100
    slab = cube().placed(cube().points * np.array([1.0, 1.0, 0.05]))
    thin = build(slab, Sizes(0.2, smallest=0.01, per_gap=4))
    column = (np.abs(thin.centre[:, :2] - 0.5) < 0.02).all(axis=1)
    assert len(np.unique(np.round(thin.centre[column, 2], 3))) >= 4


def test_a_tip_is_followed_to_its_end():
    """A wedge of 27° in a box: its two sides keep their area, since boxes get smaller the thinner it is."""
    body = body_named(turned(wedge(), 3))
    surface = in_a_box(body)
    sizes = {name: 0.0625 for name in body.patches}
    off = {}
    for per_gap in (0, 2):
        mesh = build(surface, Sizes(0.25, sizes, per_gap=per_gap, smallest=0.005))
        found = sum(mesh.face_areas(mesh.patch(name).faces).sum() for name in body.patches)
        off[per_gap] = abs(found / body.areas.sum() - 1)
    assert off[0] > 0.01
    assert off[2] < 0.005


def test_worst_places_are_those_of_the_largest_values():
    mesh = build(round_ball(), Sizes(0.1))
    quality = measure(mesh)
    worst = [p for p in worst_places(mesh, quality) if p.measure == "non_orthogonality"]
    assert worst[0].value == pytest.approx(quality.non_orthogonality.max())
    cell = np.argmin(np.linalg.norm(mesh.centre - worst[0].at, axis=1))
    faces = np.nonzero((mesh.owner[: mesh.inner_count] == cell) | (mesh.neighbour == cell))[0]
    assert quality.non_orthogonality[faces].max() == pytest.approx(worst[0].value)
