"""Shapes and references of turbulent cases: a slip in them would pass for physics."""

from __future__ import annotations

import numpy as np
import pytest

from brook.core.verification import turbulent_bend as bend
from brook.core.verification import turbulent_body as bluff
from brook.core.verification import turbulent_hill as hill
from brook.core.verification.turbulent_step import floor, reattachment


def test_hills_are_smooth_and_their_backs_mirror_their_fronts():
    x = np.linspace(0, hill.LENGTH, 20_001)
    high = hill.hill(x)
    assert high[0] == 1
    assert high[-1] == 1
    assert high.min() == 0
    assert high == pytest.approx(high[::-1], abs=1e-12)
    slope = np.diff(high) / np.diff(x)
    assert np.abs(np.diff(slope)).max() < 0.025  # but where the crest is cut level
    assert x[high > 0].min() == 0
    assert x[(high == 0)].min() == pytest.approx(54 / 28, abs=0.01)


def test_the_flow_leaves_the_back_of_a_hill_and_comes_back_to_the_floor_on_coarse_cells_too():
    outcome = hill.flow(4.0, 80)
    assert outcome.state == "converged"
    assert reattachment(outcome) == pytest.approx(hill.KNOWN, rel=0.08)
    x, friction = floor(outcome, 1.0)
    assert (friction[(x > 1) & (x < 6)] < 0).all()
    assert (friction[x > 8.3] > 0).all()


def test_itos_losses():
    """Of bends of 90° at Re 100 000, as his curves have them: least where they are neither tight nor long."""
    losses = [bend.ito(r) for r in (1.0, 2.0, 3.0, 5.0)]
    assert losses[1] == pytest.approx(0.205, abs=0.001)
    assert losses.index(min(losses)) in (1, 2)


def test_the_bluff_body_is_closed_and_as_large_as_published():
    body = bluff.body(bluff.SLOPE)
    assert body.is_closed
    low, high = body.points.min(axis=0), body.points.max(axis=0)
    assert high - low == pytest.approx([bluff.LENGTH, bluff.WIDTH, bluff.HEIGHT])
    assert low[2] == pytest.approx(bluff.CLEAR)
    straight = bluff.body(0.0)
    # the wedge that the sloping roof takes away
    turn = np.radians(bluff.SLOPE)
    wedge = 0.5 * bluff.SLOPING**2 * np.sin(turn) * np.cos(turn) * bluff.WIDTH
    assert straight.volume - body.volume == pytest.approx(wedge)
    room = bluff.room(bluff.SLOPE)
    assert room.is_closed
    x, y, z = bluff.ROOM[1] - bluff.ROOM[0], bluff.ROOM[2], bluff.ROOM[3]
    assert x * y * z - room.volume == pytest.approx(body.volume / 2)
