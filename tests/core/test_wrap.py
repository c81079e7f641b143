"""Wraps of dirty shapes: closed, near what they wrap, and honest about leaks."""

import numpy as np
import pytest

from brook.core.geometry.booleans import combined, together
from brook.core.geometry.findings.shapes import crossing_pairs
from brook.core.geometry.surface import Surface
from brook.core.mesh import measure
from brook.core.mesh.boxes import MeshError, Sizes, build
from brook.core.mesh.wrap import Leak, Wish, wrap_of, wrapped
from brook.core.mesh.wrap.narrow import wet_sides
from brook.core.mesh.wrap.told import uncrossed
from brook.demo.spray_header import Header, closed_header, drawn_header, with_defects
from brook.demo.spray_header import tube as rod
from tests.core.surfaces import cube
from tests.core.test_bodies import box
from tests.core.test_boxes import elbow, round_ball, turned
from tests.core.test_contacts import named, pinned

HEADER = Header((0.05, 0.15), length=0.2)
WET = (0.1, 0.0, 0.0)


@pytest.mark.parametrize("side", ["inside", "around"])
def test_a_wrap_of_a_sound_shape_is_that_shape(side):
    shape = turned(cube(), 3)
    wet = tuple(shape.points.mean(axis=0)) if side == "inside" else None
    made = wrapped(shape, Wish(0.06, wet=wet))
    assert made.is_closed
    assert made.volume == pytest.approx(1.0, rel=5e-3)  # edges are kept
    for k, name in enumerate(made.patches):
        assert made.areas[made.patch == k].sum() == pytest.approx(1.0, rel=2e-2), name


@pytest.mark.slow
def test_overlapping_parts_become_one():
    ball = round_ball().placed(0.8 * round_ball().points + [0.6, 0.3, 0.2])
    parts = [turned(cube(), 3), ball, turned(cube(), 5)]
    exact = combined(combined(parts[0], parts[1], "add"), parts[2], "add").volume
    made = wrapped(together(parts), Wish(0.05))
    assert made.is_closed
    assert made.volume == pytest.approx(exact, rel=5e-3)


def test_turned_triangles_and_slits_narrower_than_the_wrap_do_not_matter():
    shape = elbow()
    flip = np.random.default_rng(2).random(shape.count) < 0.2
    torn = shape.flipped(flip)
    apart = torn.points[torn.triangles] + np.random.default_rng(4).normal(0, 2e-4, (torn.count, 1, 3))
    loose = torn.placed(torn.points)
    loose = type(loose)(apart.reshape(-1, 3), np.arange(3 * torn.count).reshape(-1, 3), torn.patch, torn.patches)
    made = wrapped(loose, Wish(0.015, wet=(0.2, 0.0, 0.0)))
    assert made.is_closed
    assert made.volume == pytest.approx(shape.volume, rel=1.5e-2)
    assert {made.patches[k] for k in np.unique(made.patch)} == {"inlet", "outlet", "wall"}


@pytest.mark.slow
def test_a_leak_is_told_with_its_way_and_width_and_can_be_closed():
    whole = closed_header(HEADER)
    middle = whole.points[whole.triangles].mean(axis=1)
    hole = np.linalg.norm(middle - [0.1, 0, 0.03], axis=1) < 0.008
    torn = whole.only(~hole)
    with pytest.raises(Leak, match="leaks out through a hole about") as found:
        wrapped(torn, Wish(0.002, wet=WET))
    leak = found.value
    assert np.linalg.norm(leak.path[0] - WET) < 0.005
    assert np.linalg.norm(leak.place - [0.1, 0, 0.031]) < 0.012
    assert 0.003 < leak.width < 0.02
    made = wrapped(torn, Wish(0.002, closes=0.012, wet=WET))
    assert made.is_closed
    assert made.volume == pytest.approx(whole.volume, rel=5e-3)


def test_a_wet_point_in_the_wall_is_refused():
    with pytest.raises(MeshError, match="wet point lies on a wall"):
        wrapped(elbow(), Wish(0.02, wet=(0.2, 0.1, 0.0)))


def test_an_open_sheet_encloses_nothing():
    box = cube()
    with pytest.raises(MeshError, match="both sides"):
        wrapped(box.only(box.patch != box.patches.index("lid")), Wish(0.05))


@pytest.mark.slow
def test_a_wrap_of_a_defective_file_can_be_meshed():
    """The defects of the demo's file, openings closed by lids that overlap: nothing is mended by hand."""
    drawn = with_defects(drawn_header(HEADER))
    lids = closed_header(HEADER)
    lids = lids.only(np.isin(lids.patch, [k for k, n in enumerate(lids.patches) if "let" in n]))
    made = wrapped(together([drawn, lids]), Wish(0.0025, closes=0.012, wet=WET))
    assert made.is_closed
    assert made.volume == pytest.approx(closed_header(HEADER).volume, rel=2e-2)
    mesh = build(made, Sizes(0.006, {"branch_1": 0.003}), wet=np.array(WET))
    quality = measure(mesh)
    assert quality.smallest_volume > 0
    assert quality.openness < 1e-12
    assert mesh.volume.sum() == pytest.approx(made.volume, rel=3e-2)


def test_a_gap_that_is_to_stay_open_does():
    """Two blocks with a gap of a fifth of a box between them: one when it is closed, two when it is kept."""
    one, other = cube(), cube()
    blocks = together([one, other.placed(other.points + np.array([1.05, 0.02, 0.03]))])
    closed = wrapped(blocks, Wish(0.2))
    kept_open = wrapped(blocks, Wish(0.2, apart=0.04))
    shells = [len(np.unique(w.shells)) for w in (closed, kept_open)]
    assert shells == [1, 2]
    assert kept_open.volume == pytest.approx(2.0, rel=0.02)
    finer = wrapped(blocks, Wish(0.2, patches={name: 0.05 for name in one.patches}))
    assert finer.count > 4 * closed.count


def test_a_pipe_is_wrapped_from_outside_with_its_ends_closed():
    """Its bore is wider than what stands round it, so that water needs more room than a few boxes."""
    pipe = rod(np.zeros(3), np.array([0.3, 0.0, 0.0]), (0.05, 0.05), ("near", "far", "wall"))
    walls = pipe.only(pipe.patch == pipe.patches.index("wall"))
    made = wrapped(walls, Wish(0.004, closes=0.06))
    assert made.is_closed
    assert made.volume == pytest.approx(np.pi * 0.025**2 * 0.3, rel=0.08)  # its ends are drawn in


def block_with_a_fin(joined=True):
    """A block with a fin 1 mm thick, as one solid or as two that cut into each other."""
    base, fin = (
        box("base", (0, 0, 0), (0.1, 0.06, 0.02)),
        named(box("fin", (0.0203, 0.0099, 0.019), (0.06, 0.001, 0.041)), "fin"),
    )
    return combined(base, fin, "add") if joined else together([base, fin])


FIN = 2 * 0.06 * 0.04 + 0.061 * 0.001 + 2 * 0.04 * 0.001


@pytest.mark.parametrize("joined", [True, False])
@pytest.mark.parametrize("apart", [0.0, 0.0008])
def test_a_fin_thinner_than_the_triangles_of_a_wrap_stays(joined, apart):
    made = wrap_of(block_with_a_fin(joined), Wish(0.005, apart=apart))
    assert made.surface.is_closed
    assert made.surface.volume == pytest.approx(122.4e-6, rel=2e-3)
    assert made.surface.areas[made.surface.patch == made.surface.patches.index("fin")].sum() == pytest.approx(
        FIN, rel=0.02
    )
    assert made.surface.count < 100_000
    assert not made.lost
    assert not len(made.crossing)


def test_thin_parts_are_thickened_or_dropped_when_that_is_said_and_told():
    thick = wrap_of(block_with_a_fin(), Wish(0.005, thin="thicken")).surface
    fin = thick.points[thick.triangles[thick.patch == thick.patches.index("fin")]].reshape(-1, 3)
    above = fin[fin[:, 2] > 0.03]
    assert np.ptp(above[:, 1]) == pytest.approx(0.0065, rel=0.05)
    gone = wrap_of(block_with_a_fin(), Wish(0.005, thin="drop"))
    assert gone.surface.volume == pytest.approx(120e-6, rel=1e-3)
    assert [one.patch for one in gone.lost] == ["fin"]
    assert "a part 1.00 mm thick against triangles of 5.0 mm" in gone.lost[0].words
    assert gone.lost[0].share > 0.8


def test_a_fin_too_thin_for_what_is_asked_is_told():
    lost = wrap_of(block_with_a_fin(), Wish(0.04)).lost
    assert [one.patch for one in lost] == ["fin"]
    assert lost[0].share > 0.9


@pytest.mark.parametrize("off", [-1e-5, -2e-6, 0.0, 2e-6, 1e-5])
def test_where_parts_touch_or_reach_into_each_other_nothing_is_thin(off):
    """Two boxes that touch to some micrometres: what both share is no part of 2 µm, nor is what lies between them a gap."""
    one, other = box("one", (0, 0, 0), (0.05, 0.05, 0.05)), box("other", (0.05 + off, 0.011, 0.009), (0.04, 0.03, 0.03))
    found = wrap_of(together([one, named(other, "other")]), Wish(0.005))
    assert not found.lost
    assert found.surface.is_closed
    assert found.surface.count < 2000  # 18 152 when the overlap was kept
    assert found.surface.volume == pytest.approx(0.05**3 + 0.04 * 0.03**2, rel=0.01)


def test_a_pin_of_flat_sides_in_a_hole_of_others_is_one_part_with_its_block():
    """Corners of one reach into the other by some micrometres, between them lie gaps."""
    found = wrap_of(together([*pinned()]), Wish(0.003))
    assert not found.lost
    assert found.surface.count < 4000  # 19 576 when overlaps were kept
    assert found.surface.volume == pytest.approx(0.04**2 * 0.01 + np.pi * 0.006**2 * 0.01, rel=0.03)


def test_a_sheet_with_water_on_both_sides_becomes_a_plate_when_thickened():
    corners = np.array([[0.02, 0.03, 0.021], [0.08, 0.03, 0.021], [0.08, 0.03, 0.06], [0.02, 0.03, 0.06]])
    sheet = Surface(corners, np.array([[0, 1, 2], [0, 2, 3]]), np.zeros(2, np.int64), ("sheet",))
    made = wrap_of(together([box("base", (0, 0, 0), (0.1, 0.06, 0.02)), sheet]), Wish(0.005, thin="thicken")).surface
    assert made.is_closed
    assert made.volume - 120e-6 == pytest.approx(0.06 * 0.04 * 0.0065, rel=0.1)


def test_triangles_of_a_wrap_that_cross_are_parted():
    ball = round_ball()
    points = ball.points.copy()
    points[7] = -1.3 * points[7]  # through the other side
    crossed = ball.placed(points)
    assert len(crossing_pairs(crossed))
    made, left = uncrossed(crossed)
    assert not len(left)
    assert not len(crossing_pairs(made))
    assert made.volume == pytest.approx(ball.volume, rel=0.02)


def test_the_sides_of_closed_shells_that_are_wet_are_known_and_of_loose_triangles_not():
    pipe = elbow()
    assert (wet_sides(pipe, None) == 1).all()  # from outside
    assert (wet_sides(pipe, (0.2, 0.0, 0.0)) == -1).all()  # from within
    assert (wet_sides(pipe.flipped(np.ones(pipe.count, bool)), None) == -1).all()
    assert (wet_sides(pipe.only(np.arange(10)), None) == 0).all()
