"""Planted defects of known number are found, each of them and nothing else, and mended."""

from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from brook.cli import app
from brook.core.geometry.files import read_file, write_file
from brook.core.geometry.findings import FINDERS, find_all
from brook.core.geometry.findings.edges import free_loops, measures
from brook.core.geometry.findings.shapes import crossing_pairs
from brook.core.geometry.mending import (
    fill_holes,
    make_outward,
    merge_points,
    remove_duplicates,
    remove_slivers,
    spread_sides,
    stitch,
)
from brook.core.geometry.proposing import mended, propose
from brook.core.geometry.surface import Surface, surface_of
from brook.core.geometry.survey import measured
from brook.core.geometry.unit_check import likely_unit, sizes
from tests.core.surfaces import cube, together, tube


def counts(surface):
    return {f.kind: f.count for f in find_all(surface)}


def without(surface, triangles):
    return surface.only(~np.isin(np.arange(surface.count), triangles))


def ball(rings=16, around=24, radius=1.0, at=(0.0, 0.0, 0.0)):
    """A ball of rings of triangles."""
    points = [[0, 0, radius]]
    for j in range(1, rings):
        a = np.pi * j / rings
        points += [
            [radius * np.sin(a) * np.cos(t), radius * np.sin(a) * np.sin(t), radius * np.cos(a)]
            for t in 2 * np.pi * np.arange(around) / around
        ]
    points += [[0, 0, -radius]]
    triangles = [(0, 1 + i, 1 + (i + 1) % around) for i in range(around)]
    for j in range(rings - 2):
        for i in range(around):
            a, b = 1 + j * around + i, 1 + j * around + (i + 1) % around
            triangles += [(a, a + around, b + around), (a, b + around, b)]
    last = len(points) - 1
    triangles += [(last, last - around + (i + 1) % around, last - around + i) for i in range(around)]
    return surface_of(np.array(points) + np.array(at), np.array(triangles), np.zeros(len(triangles)), ["skin"])


@pytest.mark.parametrize("make", [cube, tube, ball])
def test_a_sound_shape_has_no_findings(make):
    shape = make()
    assert shape.is_closed
    assert shape.volume > 0
    assert find_all(shape) == []
    assert propose(shape) == []


def test_areas_and_volumes():
    assert cube(2.0).volume == pytest.approx(8)
    assert cube(2.0).area == pytest.approx(24)
    fine = tube(400, 4)
    assert fine.volume == pytest.approx(np.pi * 0.25 * 2, rel=1e-3)
    assert ball(60, 90).volume == pytest.approx(4 / 3 * np.pi, rel=3e-3)
    moved = cube(1.0, (1e4, -2e4, 5e3))
    assert moved.volume == pytest.approx(1, rel=1e-9)


@settings(max_examples=25, deadline=None)
@given(st.sets(st.integers(0, 575), max_size=12), st.sets(st.integers(0, 575), max_size=12))
def test_planted_holes_and_turned_triangles_are_counted_exactly(away, over):
    shape = tube()  # 576 triangles round, 48 at the ends
    turned = shape.flipped(np.isin(np.arange(shape.count), list(over - away)))
    broken = without(turned, list(away))
    found = counts(broken)
    assert found.get("turned", 0) == _turned_by_majority(turned, over - away, away)
    free = np.nonzero(broken.edges.uses == 1)[0]
    assert sum(len(p.edges) for f in find_all(broken) if f.kind == "holes" for p in f.places) == len(free)
    mend = make_outward(fill_holes(spread_sides(broken)))
    assert mend.is_closed
    assert mend.volume == pytest.approx(shape.volume, rel=5e-3)
    assert mend.area == pytest.approx(shape.area, rel=5e-3)
    assert mend.patches == shape.patches


def _turned_by_majority(turned, over, away):
    """How many look against most of their own piece: all that were turned, but for pieces cut off by holes."""
    broken = without(turned, list(away))
    was = np.isin(np.arange(turned.count), list(over))[~np.isin(np.arange(turned.count), list(away))]
    total = 0
    for shell in np.unique(broken.shells):
        mine = broken.shells == shell
        wrong, right = broken.areas[mine & was].sum(), broken.areas[mine & ~was].sum()
        total += int((mine & was).sum() if wrong <= right else (mine & ~was).sum())
    return total


def test_a_hole_says_how_large_it_is():
    shape = tube(radius=0.5)
    broken = shape.only(shape.patch != 0)  # without the near end
    (loop,) = free_loops(broken)
    assert len(loop.points) == 24
    length, area = measures(broken, loop)
    assert length == pytest.approx(24 * 2 * 0.5 * np.sin(np.pi / 24))
    (finding,) = (f for f in find_all(broken) if f.kind == "holes")
    assert "hole of 24 edges, 3.13 m round" in finding.places[0].words
    closed = fill_holes(broken, patch="near")
    assert closed.is_closed
    assert closed.volume == pytest.approx(shape.volume)
    assert closed.areas[closed.patch == closed.patches.index("near")].sum() == pytest.approx(area)
    assert fill_holes(broken, largest=1.0).count == broken.count  # an opening that shall stay


def shifted(surface, triangles, by):
    """The same with some triangles torn off and moved a little."""
    chosen = np.isin(np.arange(surface.count), triangles)
    loose = surface.only(chosen)
    return together(surface.only(~chosen), loose.placed(loose.points + np.array(by)))


def test_torn_seams_are_merged_again():
    shape = tube()
    torn = shifted(shape, np.arange(100, 140), (0, 0, 2e-4))
    found = counts(torn)
    assert found["near_points"] > 20
    assert found["loose"] >= 1
    whole = merge_points(torn)
    assert whole.is_closed
    assert find_all(whole) == []
    assert whole.volume == pytest.approx(shape.volume, rel=1e-3)
    assert merge_points(torn, 1e-5).count == torn.count  # nothing is as near as that


def test_seams_with_their_points_at_different_places_are_stitched():
    """Two halves of a box whose seam has four edges on one side and three on the other."""

    def half(x0, x1, cuts):
        y = np.linspace(0, 1, cuts + 1)
        strip = [(x0, v, 0.0) for v in y] + [(x1, v, 0.0) for v in y]
        n = cuts + 1
        return surface_of(
            np.array(strip),
            np.array([t for k in range(cuts) for t in ((k, n + k, n + k + 1), (k, n + k + 1, k + 1))]),
            np.zeros(2 * cuts),
            ["plate"],
        )

    plate = together(half(0.0, 1.0, 4), half(1.0, 2.0, 3))
    assert len(free_loops(plate)) == 2
    one = stitch(plate, 1e-6)
    assert len(free_loops(one)) == 1
    assert one.area == pytest.approx(2)
    assert measures(one, free_loops(one)[0])[0] == pytest.approx(6)


@settings(max_examples=20, deadline=None)
@given(st.lists(st.integers(0, 623), max_size=8), st.booleans())
def test_doubles_are_counted_and_go(chosen, turned_over):
    shape = tube()
    again = shape.triangles[chosen][:, ::-1] if turned_over else shape.triangles[chosen]
    doubled = Surface(
        shape.points,
        np.concatenate([shape.triangles, again]),
        np.concatenate([shape.patch, shape.patch[chosen]]),
        shape.patches,
    )
    assert counts(doubled).get("duplicates", 0) == len(chosen)
    assert remove_duplicates(doubled).is_closed


def test_slivers_go_and_the_surface_stays_closed():
    shape = cube()
    # a point hardly beside the middle of an edge: two needles, two caps
    points = np.vstack([shape.points, [[0.5, 1e-5, 0.0]]])
    a, b = (int(np.argmin(np.linalg.norm(shape.points - p, axis=1))) for p in ([0, 0, 0], [1, 0, 0]))
    triangles, patch = [], []
    for t, p in zip(shape.triangles.tolist(), shape.patch, strict=True):
        k = next((k for k in range(3) if {t[k], t[(k + 1) % 3]} == {a, b}), None)
        if k is None or p != shape.patches.index("floor"):
            triangles.append(t)
            patch.append(p)
            continue
        i, j, m = t[k], t[(k + 1) % 3], t[(k + 2) % 3]
        triangles += [[i, 8, m], [8, j, m], [i, j, 8]]
        patch += [p, p, p]
    broken = Surface(points, np.array(triangles), np.array(patch), shape.patches)
    assert broken.is_closed
    assert counts(broken) == {"slivers": 1}
    better = remove_slivers(broken)
    assert counts(better) == {}
    assert better.volume == pytest.approx(1, rel=1e-4)


def brute_force(surface):
    """Pairs that cut each other, by dense sampling of one triangle against the plane of the other, all with all."""
    found = set()
    corners = surface.points[surface.triangles]
    for s, t in combinations(range(surface.count), 2):
        if set(surface.triangles[s]) & set(surface.triangles[t]):
            continue
        if any(_hits(corners[x][k], corners[x][k - 1], corners[y]) for x, y in ((s, t), (t, s)) for k in range(3)):
            found.add((s, t))
    return found


def _hits(p, q, triangle):
    matrix = np.stack([q - p, triangle[0] - triangle[1], triangle[0] - triangle[2]], axis=1)
    if abs(np.linalg.det(matrix)) < 1e-14:
        return False
    s, u, v = np.linalg.solve(matrix, triangle[0] - p)
    return 0 < s < 1 and u >= 0 and v >= 0 and u + v <= 1


@settings(max_examples=8, deadline=None)
@given(st.tuples(*[st.integers(-24, 24)] * 3), st.integers(6, 24))
def test_crossing_triangles_are_those_that_a_slow_way_finds(at, radius):
    """In places without coincidences; what only touches is another test."""
    off_grid = np.array(at) / 20 + np.array([0.0123, 0.00717, 0.00371])
    both = together(ball(5, 7), ball(4, 6, radius / 20, off_grid))
    pairs = {tuple(sorted(p)) for p in crossing_pairs(both).tolist()}
    assert pairs == brute_force(both)


def test_triangles_that_lie_on_each_other_cross_and_those_that_touch_do_not():
    flat = surface_of(
        np.array([[0, 0, 0], [2, 0, 0], [0, 2, 0], [0.3, 0.3, 0], [3, 0.3, 0], [0.3, 3, 0.0]]),
        np.array([(0, 1, 2), (3, 4, 5)]),
        [0, 0],
        ["a"],
    )
    assert len(crossing_pairs(flat)) == 1
    apart = flat.placed(flat.points + np.repeat([[0, 0, 0], [0, 0, 1e-6]], 3, axis=0))
    assert len(crossing_pairs(apart)) == 0
    beside = together(cube(), cube(1.0, (1, 0, 0)))  # two cubes share a side, point by point
    assert counts(surface_of(beside.points, beside.triangles, beside.patch, beside.patches))["shared_edges"] == 1
    standing = together(cube(), ball(6, 8, 0.5, (0.5, 0.5, 1.5)))  # a ball that touches the lid with its lowest point
    assert len(crossing_pairs(standing)) == 0


def test_inside_out_hollow_and_loose_shells():
    assert counts(cube().flipped(np.ones(12, bool))) == {"inward": 1}
    hollow = together(cube(3.0), cube(1.0, (1, 1, 1)).flipped(np.ones(12, bool)))
    assert counts(hollow) == {"loose": 1}
    assert hollow.volume == pytest.approx(26)
    wrong = together(cube(3.0), cube(1.0, (1, 1, 1)))
    assert counts(wrong) == {"loose": 1, "inward": 1}
    assert make_outward(wrong).volume == pytest.approx(26)
    assert make_outward(cube().flipped(np.arange(12) % 3 == 0)).volume == pytest.approx(1)
    named = Surface(cube().points, cube().triangles, cube().patch, (*cube().patches, "forgotten"))
    assert counts(named) == {"empty_patches": 1}


def test_one_list_mends_a_shape_with_everything_wrong():
    shape = tube(48, 24)
    turned = shape.flipped(np.isin(np.arange(shape.count), [200, 201, 900]))
    torn = shifted(turned, np.arange(400, 450), (0, 1e-4, 0))
    broken = without(torn, [700, 701])
    doubled = Surface(
        broken.points,
        np.concatenate([broken.triangles, broken.triangles[:2]]),
        np.concatenate([broken.patch, broken.patch[:2]]),
        broken.patches,
    )
    assert set(counts(doubled)) >= {"holes", "near_points", "turned", "duplicates"}
    steps = propose(doubled, largest_hole=1.0)
    whole = mended(doubled, steps)
    assert find_all(whole) == []
    assert whole.is_closed
    assert whole.volume == pytest.approx(shape.volume, rel=5e-3)
    assert whole.patches == shape.patches
    assert mended(doubled, steps).count == whole.count  # the same steps do the same again


def test_a_large_opening_is_not_closed_unless_it_is_asked():
    open_ended = tube().only(tube().patch != 1)
    assert propose(open_ended) == []
    assert [s.kind for s in propose(open_ended, largest_hole=10.0)] == ["fill"]


def test_every_kind_says_what_mends_it():
    assert len({f.kind for f in FINDERS}) == len(FINDERS)
    assert all(f.advice and f.words for f in FINDERS)


def test_the_command_line_looks_mends_and_writes(tmp_path):
    shape = tube(48, 24)
    broken = without(shape.flipped(np.arange(shape.count) == 300), [700, 701])
    path, out = tmp_path / "header.stl", tmp_path / "mended.ply"
    path.write_bytes(write_file("header.stl", broken.placed(1000 * broken.points)))
    told = CliRunner().invoke(app, ["look", str(path)])
    assert told.exit_code == 2
    assert "in mm" in told.stdout
    assert "triangles turned against their neighbours: 1 " in told.stdout
    assert "wall" in told.stdout
    done = CliRunner().invoke(
        app, ["look", str(path), "--unit", "mm", "--mend", "--close", "600 mm", "--out", str(out)]
    )
    assert done.exit_code == 0
    assert "closed, volume 1.5" in done.stdout
    assert read_file(out.name, out.read_bytes()).is_closed
    for wrong in (["--unit", "furlong"], ["--mend", "--close", "20"], ["--out", str(tmp_path / "a.xyz")]):
        assert CliRunner().invoke(app, ["look", str(path), *wrong]).exit_code == 1
    assert CliRunner().invoke(app, ["look", str(tmp_path / "nowhere.stl")]).exit_code == 1


def test_the_unit_is_guessed_by_the_size():
    for unit, size in (("mm", 400.0), ("m", 0.4), ("m", 2.0), ("mm", 63.0)):
        assert likely_unit(cube(size)) == unit
    assert sizes(cube(10.0))["inch"] == pytest.approx([0.254] * 3)


def test_outlines_and_extents_of_patches_are_measured():
    """A round tube of 1 m by 2 m from 24 flat sides, closed at its ends."""
    round_end = 24 * np.sin(np.pi / 24)
    told = {p["name"]: p for p in measured(tube())["patches"]}
    for name, rim, extents in (("near", round_end, (1.0, 1.0)), ("wall", 2 * round_end, (2.0, 1.0))):
        assert told[name]["rim"] == pytest.approx(rim)
        lengths = [np.linalg.norm(np.subtract(*line)) for line in told[name]["spans"]]
        assert lengths == pytest.approx(extents, rel=0.01)
    along, across = (np.subtract(*line) for line in told["near"]["spans"])
    assert (
        np.count_nonzero(np.abs(along) > 1e-9) == np.count_nonzero(np.abs(across) > 1e-9) == 1
    )  # y and z of a round end
