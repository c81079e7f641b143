"""Lines that curves are read along: from corner to corner, round patches, through the middle; and axes made by formula."""

import numpy as np
import pytest

from brook.core.checks import check
from brook.core.formulas import FormulaError
from brook.core.mesh.assembling import Polygons
from brook.core.mesh.ordered.drawn import mesh_of
from brook.core.numerics import Stencil
from brook.core.results.axes import axis_dimension, axis_values
from brook.core.results.places import spot_samples
from brook.core.results.profile import Profile
from brook.core.results.readings import read_value
from brook.core.results.space import (
    Locator,
    area,
    belts,
    curve,
    mean_over,
    middle_line,
    piece_at,
    plane_cut,
    rims,
    section_means,
)
from brook.core.results.space.curves import section_at
from brook.core.results.space.rounds import chains
from brook.core.solve import Fields
from brook.core.stages.ready import meshed, ready
from brook.core.study import Resolved
from brook.core.study.document import study_from
from brook.core.study.ordered import Tube
from brook.core.units import DIMENSIONS, Quantity
from brook.core.verification.manufactured import _corners, block
from tests.core.studies import raw_tray
from tests.core.test_ordered import BEND, made
from tests.core.test_seen_in_space import ball, seen, upwards

__all__ = ["ball"]


def aslant(at):
    return np.ones_like(at)


@pytest.fixture(scope="module")
def bent():
    """A bent pipe of 50 mm from `start` to `end`."""
    return made(Tube(kind="tube", name="tube", path=BEND, across=6, along={"cells": 60}))


def test_a_line_goes_from_corner_to_corner():
    mesh = block(12, skewed=True)
    view = seen(mesh, lambda at: at @ [1.0, 2.0, 3.0])
    corners = [(0.2, 0.2, 0.3), (0.7, 0.2, 0.3), (0.7, 0.8, 0.3), (0.7, 0.8, 0.9)]
    found = curve(Locator(mesh), view, "pressure", corners, 341)
    assert found.way[-1] == pytest.approx(0.5 + 0.6 + 0.6)
    assert found.values == pytest.approx(found.places @ [1.0, 2.0, 3.0], abs=1e-9)
    for k, corner in ((0, 0), (100, 1), (220, 2), (340, 3)):
        assert found.places[k] == pytest.approx(corners[corner])


def test_a_mean_by_what_flows_through_a_section_counts_what_is_fast():
    """w = 1 + x and p = x: the mean is (1/2 + 1/3)/(1 + 1/2), by area 1/2; where as much flows back there is none."""
    mesh = block(16)
    view = seen(mesh, lambda at: at[:, 0], lambda at: upwards(at) * (1.0 + at[:, :1]))
    line = [(0.5, 0.5, 0.0), (0.5, 0.5, 1.0)]
    assert section_means(Locator(mesh), view, "pressure", line, 8, through=True).values == pytest.approx(
        5 / 9, rel=2e-3
    )
    assert section_means(Locator(mesh), view, "pressure", line, 8).values == pytest.approx(0.5, rel=1e-9)
    both = seen(mesh, lambda at: at[:, 0], lambda at: upwards(at) * (at[:, :1] - 0.5))
    with pytest.raises(ValueError, match="does not meet"):
        section_means(Locator(mesh), both, "pressure", line, 4, through=True)


def test_a_rim_is_read_as_its_patch_has_it(bent):
    view = seen(bent, lambda at: at[:, 1])
    on = view.fields.boundary_pressure
    for name, value in (("start", 7.0), ("side", 2.0)):
        faces = bent.patch(name).faces
        on[faces.start - bent.inner_count : faces.stop - bent.inner_count] = value
    (rim,) = rims(view, "pressure", "start")
    assert rim.way[-1] == pytest.approx(np.pi * 0.05, rel=0.02)
    assert rim.places[0] == pytest.approx(rim.places[-1])
    assert rim.values == pytest.approx(7.0)
    assert [r.values.max() for r in rims(view, "pressure", "side")] == pytest.approx([2.0, 2.0])
    with pytest.raises(KeyError):
        rims(view, "pressure", "lid")


def test_a_belt_goes_round_a_body_anticlockwise_from_where_x_is_least(ball):
    view = seen(ball, lambda at: at @ [1.0, 2.0, 0.0])
    (belt,) = belts(view, "pressure", "skin", 2, 0.31)
    radius = np.sqrt(1 - 0.31**2)
    assert belt.way[-1] == pytest.approx(2 * np.pi * radius, rel=5e-3)
    assert np.hypot(*belt.places[:, :2].T) == pytest.approx(radius, rel=5e-3)
    assert belt.places[:, 2] == pytest.approx(0.31)
    turned = np.unwrap(np.arctan2(*belt.places[:, 1::-1].T))
    assert turned[-1] - turned[0] == pytest.approx(2 * np.pi)
    assert belt.places[0, 0] == pytest.approx(-radius, rel=5e-3)
    assert belt.values == pytest.approx(belt.places @ [1.0, 2.0, 0.0], abs=0.05)
    with pytest.raises(ValueError, match="the plane does not cut skin"):
        belts(view, "pressure", "skin", 2, 1.4)
    with pytest.raises(ValueError, match="skin closes on itself"):
        rims(view, "pressure", "skin")


def test_a_plane_that_touches_the_end_of_a_patch_finds_it():
    """As that of a symmetry does, on which points lie."""
    mesh = block(5)
    (belt,) = belts(seen(mesh, lambda at: at[:, 0]), "pressure", "rest", 2, 0.0)
    assert belt.way[-1] == pytest.approx(4.0, rel=1e-4)


def test_the_line_through_the_middle_of_a_bent_pipe(bent):
    locator = Locator(bent)
    line = middle_line(locator, seen(bent, lambda at: at[:, 0], aslant), "start", "end")
    length = np.linalg.norm(np.diff(line, axis=0), axis=1).sum()
    assert length == pytest.approx(1e-3 * (700 - 340 + 170 * np.pi / 2), rel=5e-3)
    first, last = line[line[:, 0] < 0.11], line[line[:, 2] > 0.1]
    assert min(len(first), len(last)) > 5
    assert np.hypot(first[:, 1], first[:, 2]).max() < 0.02 * 0.025
    assert np.hypot(last[:, 0] - 0.2, last[:, 1] - 0.2).max() < 0.02 * 0.025
    middle = np.linalg.norm(line[:, :2] - [0.12, 0.08], axis=1)[(line[:, 0] > 0.13) & (line[:, 1] < 0.07)]
    assert middle == pytest.approx(0.08, rel=0.02)  # round the bend, not cutting it
    back = middle_line(locator, seen(bent, lambda at: at[:, 0], aslant), "end", "start")
    assert np.linalg.norm(line[::-1] - back, axis=1).max() < 0.1 * 0.025


def test_the_line_into_a_branch_does_not_turn_back():
    """A bar a quarter wide, and a branch half of that which leaves it in the middle of a side; the bar goes on behind it."""
    n = 32
    centre = (np.stack(np.meshgrid(*[np.arange(n)] * 3, indexing="ij"), axis=-1).reshape(-1, 3) + 0.5) / n
    x, y, z = centre.T
    bar = (np.abs(y - 0.75) < 0.125) & (np.abs(z - 0.5) < 0.125)
    branch = (np.abs(x - 0.5) < 0.0625) & (np.abs(z - 0.5) < 0.0625) & (y < 0.7)
    corners = _corners(n)[bar | branch]
    used, corners = np.unique(corners, return_inverse=True)
    points = block(n).points[used]
    corners = corners.reshape(-1, 8)
    quads = np.concatenate([corners[:, side] for side in ([0, 3, 7, 4], [0, 1, 5, 4])])
    inflow = np.all(points[quads][:, :, 0] < 1e-9, axis=1)
    outflow = np.all(points[quads][:, :, 1] < 1e-9, axis=1)
    mesh = mesh_of(points, corners, [("near", Polygons.rows(quads[inflow])), ("low", Polygons.rows(quads[outflow]))])
    line = middle_line(Locator(mesh), seen(mesh, lambda at: at[:, 0], aslant), "near", "low")
    steps = np.diff(line, axis=0)
    assert (np.einsum("ij,ij->i", steps[1:], steps[:-1]) > 0).all()
    assert line[0] == pytest.approx([0.0, 0.75, 0.5])
    assert line[-1] == pytest.approx([0.5, 0.0, 0.5])
    assert np.linalg.norm(steps, axis=1).sum() == pytest.approx(0.5 + 0.75, rel=0.1)
    assert line[:, 0].max() < 0.5 + 0.0625
    assert line[(line[:, 0] > 0.1) & (line[:, 0] < 0.35)][:, 1] == pytest.approx(0.75, abs=0.01)
    assert line[line[:, 1] < 0.5][:, 0] == pytest.approx(0.5, abs=0.005)


def test_patches_that_no_fluid_joins_have_no_line_between_them(bent):
    view = seen(bent, lambda at: at[:, 0], aslant)
    view.fields.flux[: bent.inner_count][bent.centre[bent.owner[: bent.inner_count], 1] > 0.1] = 0.0
    with pytest.raises(ValueError, match="no fluid joins"):
        middle_line(Locator(bent), view, "start", "end")


@pytest.mark.parametrize("across", [(1.0, 0.0, 0.0), (0.3, -0.5, 0.8)])
def test_a_section_found_from_cell_to_cell_is_the_piece_of_the_whole_cut(ball, across):
    place = np.array([0.05, 0.1, -0.2])
    whole = piece_at(plane_cut(ball, tuple(place), across), place)
    found = section_at(Locator(ball), place, np.array(across))
    assert area(found) == pytest.approx(area(whole), rel=1e-12)
    assert sorted(found.cell) == sorted(whole.cell)
    view = seen(ball, lambda at: (at @ [1.0, 2.0, 3.0]) ** 2)
    assert mean_over(view, "pressure", found) == pytest.approx(mean_over(view, "pressure", whole), rel=1e-9)
    assert section_at(Locator(ball), np.array([0.0, 0.0, 1.5]), np.array(across)) is None


def test_pairs_become_chains_whatever_their_order():
    rng = np.random.default_rng(3)
    ring, string = np.arange(9), np.arange(20, 27)
    pairs = np.concatenate([np.stack([ring, np.roll(ring, -1)], 1), np.stack([string[:-1], string[1:]], 1)])
    pairs = rng.permuted(pairs[rng.permutation(len(pairs))], axis=1)
    found = sorted(chains(pairs), key=len)
    assert sorted(found[0].tolist()) == string.tolist()
    assert np.abs(np.diff(found[0])).tolist() == [1] * 6
    assert found[1][0] == found[1][-1]
    assert sorted(found[1][:-1].tolist()) == ring.tolist()


def named(reading):
    if reading.text == "chord":
        return Quantity(0.2, DIMENSIONS["length"])
    raise FormulaError(f"unknown name '{reading.text}'")


def test_axes_are_made_by_formula_with_their_units():
    way = np.linspace(0.0, 1.0, 5)
    made = Profile(np.stack([way, 2 * way, 3 * way], axis=1), way, np.array([1.0, 2.0, np.nan, 4.0, 5.0]))
    pressure, none = DIMENSIONS["pressure"], DIMENSIONS["number"]
    assert axis_dimension("x / chord", pressure, named) == none
    assert axis_values("x / chord", pressure, named, made) == pytest.approx(5 * way)
    coefficient = "(value - 1 Pa) / (0.5 * 1000 kg/m^3 * (0.1 m/s)^2)"
    assert axis_dimension(coefficient, pressure, named) == none
    assert axis_values(coefficient, pressure, named, made) == pytest.approx([0.0, 0.2, np.nan, 0.6, 0.8], nan_ok=True)
    assert axis_dimension("1 - value / 2 Pa", pressure, named) == none
    assert axis_values("2", pressure, named, made) == pytest.approx(2.0)
    assert np.isnan(axis_values("sqrt(value / 1 Pa - 3)", pressure, named, made)).tolist() == [True] * 3 + [False] * 2
    for wrong, why in (
        ("x / cord", "chord|distance"),
        ("value + x", "cannot be put together"),
        ("inlet.pressure.mean", "not of readings"),
    ):
        with pytest.raises(FormulaError, match=why):
            axis_dimension(wrong, pressure, named)


def test_points_and_lines_are_places_to_read_in():
    """p = x + 2 y + 3 z at a point, and along a line whose second half lies outside."""
    view = seen(block(9, skewed=True), lambda at: at @ [1.0, 2.0, 3.0])
    point = Resolved(kind="point", x=0.31, y=0.42, z=0.53)
    assert spot_samples(view, point, "pressure").values == pytest.approx([0.31 + 0.84 + 1.59], abs=1e-9)
    line = Resolved(kind="line", start_x=0.5, start_y=0.5, start_z=0.5, end_x=0.5, end_y=0.5, end_z=1.5)
    found = spot_samples(view, line, "pressure")
    assert found.weights.sum() == pytest.approx(0.5, abs=0.006)
    assert np.average(found.values, weights=found.weights) == pytest.approx(1.5 + 3 * 0.75, abs=0.02)
    spot = {f"{which}_{axis}": 0.4 for which in ("start", "end") for axis in "xyz"}
    short = spot_samples(view, Resolved(kind="line", **spot), "pressure")  # a line of no length is a point
    assert np.average(short.values, weights=short.weights) == pytest.approx(2.4)
    assert not len(spot_samples(view, Resolved(kind="point", x=5.0, y=0.0, z=0.0), "pressure").values)


def test_a_point_of_a_plane_study_is_read_and_keeps_its_reading():
    raw = raw_tray(variants=[raw_tray()["variants"][0]])
    raw["places"] |= {
        "probe": {"kind": "point", "x": "80 mm", "y": "30 mm"},
        "away": {"kind": "point", "x": "9 m", "y": "0 mm"},
    }
    raw["requirements"] = [
        {"name": n, "title": n, "reading": f"{n}.speed.mean", "limit": {"kind": "smallest"}} for n in ("probe", "away")
    ]
    study = study_from(raw)
    assert check(study) == []
    prepared = ready(study, study.variants[0].name)[0]
    mesh = meshed(study, prepared, None, lambda _: None)
    stencil = Stencil(mesh)
    edge = mesh.face_centres(slice(stencil.inner, stencil.active))
    ones = np.ones(stencil.cells)
    fields = Fields(
        stencil, ones, ones, np.stack([mesh.centre[:, 0], 0 * ones, 0 * ones], axis=1), ones, np.zeros(mesh.face_count),
        np.stack([edge[:, 0], 0 * edge[:, 0], 0 * edge[:, 0]], axis=1), np.ones(len(edge)),
    )  # fmt: skip
    assert read_value("probe.speed.mean", prepared.places, prepared.scope, fields) == pytest.approx(0.08, rel=1e-6)
    with pytest.raises(FormulaError, match="'away' holds no cell"):
        read_value("away.speed.mean", prepared.places, prepared.scope, fields)


def test_what_cannot_be_read_or_drawn_is_said_at_its_place():
    raw = raw_tray()
    line = {"title": "a", "start_x": "0 mm", "start_y": "0 mm", "end_x": "0 mm", "end_y": "0 mm"}
    bent = {**line, "title": "b", "via": [{"x": "5 mm", "y": "1 mm"}]}
    patchy = [{"kind": "belt", "title": "c", "patch": "florr"}, {"kind": "rim", "title": "d", "patch": "floor"},
              {"kind": "middle", "title": "e", "start": "inlet", "end": "inlet"}]  # fmt: skip
    plot = {"name": "p", "title": "P", "quantity": "speed", "over": "through", "lines": [line, bent, *patchy]}
    axes = {"position_axis": {"formula": "x / widht"}, "value_axis": {"unit": "mPa"},
            "second": {"quantity": "pressure", "range": [2.0, 1.0], "formula": "value / 1 Pa", "unit": "%"}}  # fmt: skip
    raw["plots"] = [plot | axes]
    raw["plates"] = [{"name": "q", "title": "Q", "quantity": "speed", "less": "nobody"}]
    told = {p.path: p.message for p in check(study_from(raw))}
    assert "ends where it begins" in told.pop("/plots/0/lines/0/end_x")
    assert "florr" in told.pop("/plots/0/lines/2/patch")
    assert "rims are of patches in space" in told.pop("/plots/0/lines/3/title")
    assert "through the middle are in space" in told.pop("/plots/0/lines/4/title")
    assert "from one patch to another" in told.pop("/plots/0/lines/4/end")
    assert "widht" in told.pop("/plots/0/position_axis/formula")
    assert "'mPa' is no unit of that" in told.pop("/plots/0/value_axis/unit")
    assert "from a smaller to a larger" in told.pop("/plots/0/second/range")
    assert "no variant 'nobody'" in told.pop("/plates/0/less")
    assert told.keys() == {"/plots/0/over"}
