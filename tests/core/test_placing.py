"""Surfaces moved and turned, and their patches split, joined and named."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.geometry import parts, placing
from tests.core.surfaces import cube, together, tube

X, Y, Z = np.eye(3)
places = st.tuples(*[st.floats(-10, 10)] * 3).map(np.array)


@settings(max_examples=40, deadline=None)
@given(places, st.floats(-7, 7), places)
def test_a_turn_keeps_sizes_and_comes_back(axis, angle, through):
    if np.linalg.norm(axis) < 1e-3:
        axis = X
    shape = tube(8, 2)
    there = placing.turned_about(shape, axis, angle, through)
    assert there.volume == pytest.approx(shape.volume)
    assert there.area == pytest.approx(shape.area)
    back = placing.turned_about(there, axis, -angle, through)
    np.testing.assert_allclose(back.points, shape.points, atol=1e-9)


def test_a_quarter_turn_goes_anticlockwise():
    np.testing.assert_allclose(placing.rotation(Z, np.pi / 2) @ X, Y, atol=1e-15)


def test_scaling_and_mirroring_keep_the_outside_outside():
    shape = cube(1.0, (1, 2, 3))
    assert placing.scaled(shape, 2.0).volume == pytest.approx(8)
    assert placing.scaled(shape, (1, -2, 3)).volume == pytest.approx(6)
    over = placing.mirrored(shape, X, np.zeros(3))
    assert over.volume == pytest.approx(1)
    assert over.box[0] == pytest.approx([-2, 2, 3])
    about = placing.scaled(shape, 3.0, about=np.array([1.5, 2.5, 3.5]))
    assert about.box[0] == pytest.approx([0, 1, 2])
    for wrong in (
        lambda: placing.scaled(shape, 0),
        lambda: placing.mirrored(shape, 0 * X, X),
        lambda: placing.rotation(0 * X, 1),
        lambda: placing.aligned(shape, X, 0 * X, X),
    ):
        with pytest.raises(ValueError, match=r"direction|flat"):
            wrong()


@pytest.mark.parametrize("side", range(6))
def test_any_side_can_be_laid_on_the_floor(side):
    shape = placing.turned_about(cube(1.0, (1, 2, 3)), (1, 2, 3), 0.7, X)
    laid = placing.laid_on_floor(shape, shape.patch == side)
    assert laid.box[0][2] == pytest.approx(0, abs=1e-12)
    assert laid.box[1][2] == pytest.approx(1)
    assert laid.points[laid.triangles[laid.patch == side]][..., 2] == pytest.approx(np.zeros((2, 3)), abs=1e-12)


def test_an_axis_is_turned_to_another():
    for to in (X, -X, Z, (1, 1, 1)):
        turned = placing.aligned(tube(12, 3), X, to, np.zeros(3))
        span = turned.points @ (np.array(to) / np.linalg.norm(to))
        assert np.ptp(span) == pytest.approx(2)


def joined_tube():
    """A tube with all its skin under one name."""
    shape = tube()
    return parts.renamed(parts.renamed(shape, "near", "wall"), "far", "wall")


def test_patches_split_by_angle_come_apart_at_edges():
    one = joined_tube()
    assert one.patches == ("wall",)
    split = parts.split_by_angle(one, "wall", np.radians(40))
    assert split.patches == ("wall", "wall_2", "wall_3")
    assert np.bincount(split.patch).tolist() == [576, 24, 24]
    assert parts.split_by_angle(one, "wall", np.radians(10)).patches[-1] == "wall_26"  # every facet its own
    assert [(k.patch, k.kind) for k in parts.looks(split)] == [
        ("wall", "bent"),
        ("wall_2", "round"),
        ("wall_3", "round"),
    ]
    end = parts.looks(split)[1]
    assert end.diameter == pytest.approx(1.0)
    assert "opening" in end.suggestion


def test_patches_split_by_shell_plane_and_box():
    two = together(cube(), cube(2.0, (5, 0, 0)))
    shells = parts.split_by_shell(two, "lid")
    assert shells.areas[shells.patch == shells.patches.index("lid")].sum() == pytest.approx(4)
    assert shells.areas[shells.patch == shells.patches.index("lid_2")].sum() == pytest.approx(1)
    halves = parts.split_by_plane(tube(), "wall", X, (1, 0, 0))
    assert np.bincount(halves.patch, minlength=4)[2:].tolist() == [288, 288]
    boxed = parts.split_by_box(two, "floor", np.array([4, -1, -1]), np.array([9, 9, 9]))
    assert boxed.areas[boxed.patch == boxed.patches.index("floor_2")].sum() == pytest.approx(4)
    with pytest.raises(KeyError, match="no patch 'roof'"):
        parts.split_by_shell(two, "roof")


def test_names_are_joined_and_empty_ones_left_out():
    shape = parts.renamed(cube(), "lid", "floor")
    assert "lid" not in shape.patches
    assert np.bincount(shape.patch)[shape.patches.index("floor")] == 4
    assert parts.renamed(cube(), "lid", "roof").patches[-1] == "roof"
    picked = parts.named(cube(), cube().patch == 0, "inlet")
    assert picked.patches[0] == "west"
    assert parts.without_empty(picked).patches == ("east", "south", "north", "floor", "lid", "inlet")
