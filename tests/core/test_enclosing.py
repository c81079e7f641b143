"""Spaces that surfaces enclose, found from a wet point."""

import numpy as np
import pytest

from brook.core.geometry.enclosing import EncloseError, capped, enclosed, spaces_of
from brook.core.geometry.findings import find_all
from brook.core.geometry.surface import Surface, surface_of
from tests.core.surfaces import cube, together, tube


def thick_tube():
    """A tube with a wall of some thickness, open at both ends: an inner and an outer skin and two rims."""
    inner, outer = tube(24, 6, 0.4), tube(24, 6, 0.5)
    skins = [s.only(s.patch == 2) for s in (inner, outer)]
    rings = []
    for x in (0.0, 2.0):
        turn = 2 * np.pi * np.arange(24) / 24
        points = np.concatenate(
            [np.stack([np.full(24, x), r * np.cos(turn), r * np.sin(turn)], axis=1) for r in (0.4, 0.5)]
        )
        k = np.arange(24)
        n = (k + 1) % 24
        triangles = np.concatenate([np.stack([k, 24 + k, 24 + n], axis=1), np.stack([k, 24 + n, n], axis=1)])
        rings.append(surface_of(points, triangles, np.zeros(48), [f"rim_{int(x)}"]))
    renamed = [
        Surface(s.points, s.triangles, np.zeros(s.count, np.int64), (n,))
        for s, n in zip(skins, ("inside", "outside"), strict=True)
    ]
    loose = together(*renamed, *rings)
    return surface_of(loose.points, loose.triangles, loose.patch, loose.patches)


def lids(shape):
    """Discs over the inner skin's ends, as a CAD system draws them: the rims then have edges of three triangles."""
    discs = [tube(24, 6, 0.4).only(tube(24, 6, 0.4).patch == k) for k in (0, 1)]
    named = [
        Surface(d.points, d.triangles, np.zeros(d.count, np.int64), (n,))
        for d, n in zip(discs, ("inlet", "outlet"), strict=True)
    ]
    loose = together(shape, *named)
    return surface_of(loose.points, loose.triangles, loose.patch, loose.patches)


@pytest.mark.parametrize("turned", [False, True])
def test_the_fluid_in_a_tube_with_a_wall_is_taken_out(turned):
    """Whichever way the triangles look."""
    closed = lids(thick_tube())
    if turned:
        closed = closed.flipped(np.random.default_rng(3).random(closed.count) < 0.4)
    assert (closed.edges.uses == 3).sum() == 48
    fluid = enclosed(closed, (1.0, 0.0, 0.0))
    assert fluid.is_closed
    assert fluid.volume == pytest.approx(tube(24, 6, 0.4).volume)
    used = {fluid.patches[k] for k in np.unique(fluid.patch)}
    assert used == {"inside", "inlet", "outlet"}
    wall = enclosed(closed, (1.0, 0.449, 0.0))
    assert wall.is_closed
    assert wall.volume == pytest.approx(tube(24, 6, 0.5).volume - tube(24, 6, 0.4).volume)
    assert {wall.patches[k] for k in np.unique(wall.patch)} == {"inside", "outside", "rim_0", "rim_2"}


def test_two_bodies_that_touch_have_a_space_each_and_one_outside():
    both = together(cube(), cube(1.0, (1, 0, 0)))
    both = surface_of(both.points, both.triangles, both.patch, both.patches)
    volumes = np.sort(spaces_of(both).volumes)
    # between the two triangles of each pair in the double wall there is a space without size
    assert volumes == pytest.approx([-2, 0, 0, 1, 1], abs=1e-12)
    for x in (0.4, 1.6):
        body = enclosed(both, (x, 0.43, 0.61))
        assert body.is_closed
        assert body.volume == pytest.approx(1)
        assert np.ptp(body.points[:, 0]) == pytest.approx(1)


def test_what_stands_free_in_the_fluid_is_part_of_its_boundary():
    tank = together(cube(4.0), cube(1.0, (1, 1, 1)), cube(0.5, (1.2, 1.3, 1.2)))
    fluid = enclosed(tank, (3.5, 3.4, 3.3))
    assert fluid.is_closed
    assert fluid.volume == pytest.approx(64 - 1)
    assert find_all(fluid)[0].kind == "loose"
    near = enclosed(tank, (2.05, 1.5, 1.5))  # sees the block first
    assert near.volume == pytest.approx(63)
    assert enclosed(tank, (1.1, 1.1, 1.1)).volume == pytest.approx(1 - 0.125)


def test_openings_are_capped_with_a_name_each():
    pipe = tube().only(tube().patch == 2)
    with pytest.raises(EncloseError, match="only 1 names"):
        capped(pipe, ["inlet"])
    closed = capped(pipe, ["inlet", "outlet"])
    assert closed.is_closed
    assert closed.patches[-2:] == ("inlet", "outlet")
    assert enclosed(closed, (1, 0.1, 0.05)).volume == pytest.approx(tube().volume)


def test_a_wet_point_in_the_wrong_place_is_told():
    with pytest.raises(EncloseError, match="outside of everything"):
        enclosed(cube(), (5.0, 0.4, 0.3))
    with pytest.raises(EncloseError, match="on a wall"):
        enclosed(cube(), (0.5, 0.3, 0.0))
    pipe = tube().only(tube().patch != 0)
    with pytest.raises(EncloseError, match=r"through a hole, the largest 3\.13 m round at 0") as told:
        enclosed(pipe, (1, 0.1, 0.05))
    assert told.value.place == pytest.approx([0, 0, 0], abs=1e-9)
