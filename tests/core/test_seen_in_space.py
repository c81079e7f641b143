"""Cuts, surfaces of equal value, places, curves and streamlines in meshes in space, against exact fields."""

from collections.abc import Callable

import numpy as np
import pytest

from brook.core.bench.shapes import ball_of
from brook.core.mesh import Mesh
from brook.core.mesh.boxes import Layers, Sizes, build
from brook.core.numerics import Stencil
from brook.core.results.quantities import View
from brook.core.results.space import (
    Locator,
    Polygons,
    area,
    corner_values,
    curve,
    from_patch,
    iso_surface,
    mean_over,
    piece_at,
    plane_cut,
    point_values,
    section_means,
    streamlines,
    volume_above,
)
from brook.core.results.space.crossing import polygon_measures
from brook.core.solve import Fields
from brook.core.verification.manufactured import block, prisms

MIDDLE = np.array([0.5, 0.5, 0.5])


def round_axis(at: np.ndarray) -> np.ndarray:
    """A turning flow round the axis x = y = 1/2."""
    return np.stack([0.5 - at[:, 1], at[:, 0] - 0.5, np.zeros(len(at))], axis=1)


def upwards(at: np.ndarray) -> np.ndarray:
    return np.stack([np.zeros(len(at)), np.zeros(len(at)), np.ones(len(at))], axis=1)


def away(at: np.ndarray) -> np.ndarray:
    return np.linalg.norm(at - MIDDLE, axis=1)


def seen(mesh: Mesh, pressure: Callable, velocity: Callable = round_axis) -> View:
    s = Stencil(mesh)
    edge, ones = mesh.face_centres(slice(s.inner, None)), np.ones(s.cells)
    flux = np.einsum("ij,ij->i", velocity(mesh.face_centres()), mesh.face_vector)
    flux[np.abs(flux) < 1e-12 * np.abs(flux).max()] = 0.0
    return View(
        Fields(s, ones, ones, velocity(mesh.centre), pressure(mesh.centre), flux, velocity(edge), pressure(edge))
    )


@pytest.fixture(scope="module")
def ball() -> Mesh:
    """A ball of radius 1 in boxes of two sizes, with layers along its skin: hanging nodes, cut cells and thin ones."""
    return build(ball_of(4), Sizes(0.2, {"skin": 0.1}), layers=(Layers(("skin",), 3, 0.01),))


@pytest.mark.parametrize("mesh", [block(7), block(7, skewed=True), prisms(6)], ids=["even", "skewed", "prisms"])
def test_a_plane_through_a_cube_has_its_area_and_the_mean_of_what_is_linear(mesh):
    view = seen(mesh, lambda at: at @ [3.0, -2.0, 0.5] + 1.0)
    hexagon = plane_cut(mesh, (0.5, 0.5, 0.5), (1.0, 1.0, 1.0))
    assert area(hexagon) == pytest.approx(0.75 * np.sqrt(3), rel=1e-12)
    assert mean_over(view, "pressure", hexagon) == pytest.approx(1.75, rel=1e-9)
    inside = np.setdiff1d(hexagon.points, hexagon.rim[:, 0])
    exact = hexagon.at @ [3.0, -2.0, 0.5] + 1.0
    values = dict(zip(hexagon.points, corner_values(view, "pressure", hexagon), strict=True))
    assert [values[p] for p in inside] == pytest.approx(exact[inside], rel=1e-9)


def test_what_of_a_ball_a_plane_cuts(ball):
    for height in (0.0, 0.31, 0.6):
        disc = plane_cut(ball, (0.0, 0.0, height + 1e-3), (0.0, 0.3, 1.0))
        off = (height + 1e-3) / np.hypot(0.3, 1.0)
        assert area(disc) == pytest.approx(np.pi * (1 - off**2), rel=0.01)


def test_walls_show_their_own_value_on_a_cut():
    mesh = block(6)
    view = seen(mesh, away)
    view.fields.boundary_pressure[:] = 7.0
    cut = plane_cut(mesh, (0.5, 0.5, 0.47), (0.0, 0.0, 1.0))
    values = corner_values(view, "pressure", cut)
    on_wall = np.isin(cut.points, cut.rim[:, 0])
    assert on_wall.sum() > 20
    assert values[on_wall] == pytest.approx(7.0)
    assert values[~on_wall].max() < 1.0


def test_a_surface_of_one_value_closes_where_cells_of_two_sizes_meet(ball):
    """Sums of area vectors vanish, every side belongs to two polygons, and it faces smaller values."""
    surface = iso_surface(ball, -np.linalg.norm(ball.points - [0.05, 0.0, 0.0], axis=1), -0.6)
    vector, centroid = polygon_measures(surface.at, surface.points, surface.offsets)
    assert np.abs(vector.sum(axis=0)).max() < 1e-12
    assert np.einsum("ij,ij->i", vector, centroid).sum() / 3 == pytest.approx(4 / 3 * np.pi * 0.6**3, rel=0.03)
    after = np.arange(1, len(surface.points) + 1)
    after[surface.offsets[1:] - 1] = surface.offsets[:-1]
    sides = np.sort(np.stack([surface.points, surface.points[after]], axis=1), axis=1)
    _, times = np.unique(sides[sides[:, 0] != sides[:, 1]], axis=0, return_counts=True)
    assert set(times) == {2}


def test_areas_and_volumes_of_one_value_are_of_second_order():
    errors = []
    for count in (8, 16):
        mesh = block(count, skewed=True)
        surface = iso_surface(mesh, away(mesh.points), 0.37)
        inside = 1 - volume_above(mesh, away(mesh.points), 0.37)
        errors.append((area(surface) / (4 * np.pi * 0.37**2) - 1, inside / (4 / 3 * np.pi * 0.37**3) - 1))
    assert np.abs(errors[1]).max() < 0.02
    assert np.abs(errors[0]) / np.abs(errors[1]) == pytest.approx([4, 4], rel=0.25)
    assert volume_above(mesh, away(mesh.points), 9.0) == 0.0
    assert volume_above(mesh, away(mesh.points), -1.0) == pytest.approx(1.0)


def test_values_at_points_and_along_a_curve_are_of_second_order():
    errors = []
    for count in (8, 16):
        mesh = block(count, skewed=True)
        view = seen(mesh, lambda at: np.sin(2 * at[:, 0]) * np.cos(at[:, 1] + at[:, 2]))
        along = curve(Locator(mesh), view, "pressure", [(0.1, 0.15, 0.2), (0.9, 0.8, 0.7)], 301)
        exact = np.sin(2 * along.places[:, 0]) * np.cos(along.places[:, 1:].sum(axis=1))
        points = point_values(view, "pressure")
        there = np.sin(2 * mesh.points[:, 0]) * np.cos(mesh.points[:, 1:].sum(axis=1))
        errors.append([np.sqrt(np.mean((a - b) ** 2)) for a, b in ((along.values, exact), (points, there))])
    assert np.array(errors[0]) / errors[1] == pytest.approx([4, 4], rel=0.35)
    assert along.way[-1] == pytest.approx(np.linalg.norm([0.8, 0.65, 0.5]))


def test_every_place_has_its_cell(ball):
    locator = Locator(ball)
    assert np.array_equal(locator.cells(ball.centre), np.arange(ball.cell_count))
    rng = np.random.default_rng(2)
    way = rng.normal(size=(3000, 3))
    way /= np.linalg.norm(way, axis=1)[:, None]
    for away_from_middle, inside in ((0.97, True), (1.02, False)):
        assert np.all((locator.cells(away_from_middle * way) >= 0) == inside)
    view = seen(ball, lambda at: at @ [1.0, 2.0, 3.0])
    places = 0.9 * way * rng.random((3000, 1))
    assert locator.values(view, "pressure", places) == pytest.approx(places @ [1.0, 2.0, 3.0], abs=1e-9)


@pytest.mark.parametrize("mesh", [block(12), block(12, skewed=True), prisms(10)], ids=["even", "skewed", "prisms"])
def test_streamlines_of_a_vortex_close(mesh):
    seeds = np.array([[0.8, 0.5, 0.5], [0.6, 0.5, 0.3]])
    lines = streamlines(Locator(mesh), seen(mesh, away), seeds, both=False, seconds=2 * np.pi)
    for seed, line in zip(seeds, lines, strict=True):
        radius = seed[0] - 0.5
        assert line.end == "as long as asked for"
        assert np.hypot(*(line.places[:, :2] - 0.5).T) == pytest.approx(radius, rel=5e-3)
        assert line.places[-1] == pytest.approx(seed, abs=1e-3)
        assert line.seconds[-1] == pytest.approx(2 * np.pi)


def test_streamlines_go_through_and_say_where_they_end():
    mesh = block(9, skewed=True)
    view = seen(mesh, away, upwards)
    (line,) = streamlines(Locator(mesh), view, np.array([[0.3, 0.6, 0.4]]))
    assert (line.begin, line.end) == ("rest", "rest")
    assert line.places[:, 2].min() == pytest.approx(0.0, abs=1e-9)
    assert line.places[:, 2].max() == pytest.approx(1.0, abs=1e-9)
    assert np.ptp(line.seconds) == pytest.approx(1.0, rel=1e-6)
    assert np.all(np.diff(line.seconds) > 0)
    (nowhere,) = streamlines(Locator(mesh), view, np.array([[2.0, 0.0, 0.0]]))
    assert len(nowhere.places) == 0
    assert nowhere.end == "outside of the fluid"


def test_seeds_share_the_flow_of_a_patch(ball):
    view = seen(ball, away, upwards)
    seeds = from_patch(view, "skin", 40)
    assert np.all(Locator(ball).cells(seeds) >= 0)
    radius = np.hypot(*seeds[:, :2].T)
    assert np.mean(radius**2) == pytest.approx(0.5, abs=0.05)  # evenly over the disc that the flow sees
    still = seen(ball, away, lambda at: np.zeros_like(at))
    with pytest.raises(ValueError, match="nothing passes skin"):
        from_patch(still, "skin", 4)


def test_what_misses_is_said():
    mesh = block(3)
    view = seen(mesh, away)
    with pytest.raises(ValueError, match="the plane does not cut"):
        plane_cut(mesh, (5.0, 0.0, 0.0), (1.0, 0.0, 0.0))
    with pytest.raises(ValueError, match="a direction"):
        plane_cut(mesh, (0.5, 0.5, 0.5), (0.0, 0.0, 0.0))
    with pytest.raises(ValueError, match="a surface of this value does not"):
        iso_surface(mesh, point_values(view, "pressure"), 9.0)
    with pytest.raises(ValueError, match="does not meet"):
        curve(Locator(mesh), view, "pressure", [(2.0, 0.0, 0.0), (3.0, 0.0, 0.0)])


def test_sections_across_a_line_have_their_means_and_what_lies_beside_does_not_count():
    """A bar of two blocks: p = 3 x + y² has the mean 3 x + 1/3 over the section of the one the line passes."""
    mesh = block(24)
    view = seen(mesh, lambda at: 3.0 * at[:, 0] + at[:, 1] ** 2)
    found = section_means(Locator(mesh), view, "pressure", [(-0.5, 0.4, 0.4), (1.0, 0.4, 0.4)], 30)
    inside = found.places[:, 0] > 0
    assert found.values[inside] == pytest.approx(3.0 * found.places[inside, 0] + 1 / 3, abs=2e-3)
    assert np.isnan(found.values[~inside]).all()
    with pytest.raises(ValueError, match="does not meet the mesh"):
        section_means(Locator(mesh), view, "pressure", [(0.0, 2.0, 0.0), (1.0, 2.0, 0.0)], 5)


def test_the_piece_of_a_cut_at_a_place_is_what_hangs_together_with_it(ball):
    """Two balls a little apart, cut through both middles: a disc each."""
    apart = np.array([3.0, 0.0, 0.0])
    cut = plane_cut(ball, (0.0, 0.0, 1e-3), (0.0, 0.0, 1.0))
    count, points = len(cut.at), len(cut.points)
    both = Polygons(
        np.concatenate([cut.offsets, cut.offsets[1:] + points]), np.concatenate([cut.points, cut.points + count]),
        np.concatenate([cut.at, cut.at + apart]), np.tile(cut.cell, 2), cut.rim,
    )  # fmt: skip
    one = piece_at(both, np.array([3.2, 0.1, 0.0]))
    assert area(one) == pytest.approx(area(cut))
    assert one.at[one.points][:, 0].min() > 1.9


def test_what_cannot_be_negative_is_not_so_at_places_either():
    """Beside a fluid at rest a cell's value and gradient would reach under zero."""
    sheared = seen(block(5), away, lambda at: np.maximum(at[:, :1] - 0.45, 0.0) * [1.0, 0.0, 0.0])
    line = curve(Locator(sheared.fields.mesh), sheared, "speed", [(0.0, 0.5, 0.5), (1.0, 0.5, 0.5)], 200)
    assert line.values.min() == 0.0


def test_a_line_that_meets_a_wall_goes_on_along_it():
    """Fluid that sinks to a floor: u_z = -√z is nothing on it, but not what a cell's value and gradient say there."""
    sinking = seen(
        block(8),
        away,
        lambda at: np.stack([np.full(len(at), 0.05), np.zeros(len(at)), -np.sqrt(np.abs(at[:, 2]))], axis=1),
    )
    found = streamlines(
        Locator(sinking.fields.mesh),
        sinking,
        np.array([[0.02, 0.5, 0.02], [0.3, 0.4, 0.05], [0.02, 0.5, 0.4]]),
        both=False,
    )
    last = [line.places[-1, 0] for line in found]
    assert last == pytest.approx([1.0, 1.0, 1.0], abs=1e-6)
    assert not [line.end for line in found if "held" in line.end]
    assert min(line.places[:, 2].min() for line in found) > 0.0
