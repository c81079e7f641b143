"""Ranks and what nothing beats."""

from hypothesis import given
from hypothesis import strategies as st

from brook.core.answer import ranks, unbeaten


def test_ranks_count_what_is_better_and_share_what_is_alike():
    assert ranks([3.0, 1.0, None, 1.0, 2.0], -1) == [4, 1, None, 1, 3]
    assert ranks([3.0, 1.0, None, 1.0, 2.0], 1) == [1, 3, None, 3, 2]
    assert ranks([None], 1) == [None]


def test_nothing_beats_the_front():
    points = [(1.0, 5.0), (2.0, 2.0), (3.0, 3.0), (5.0, 1.0), (1.0, 6.0)]
    assert unbeaten(points, (-1, -1)) == [True, True, False, True, False]
    assert unbeaten(points, (1, 1)) == [False, False, True, True, True]
    assert unbeaten([(1.0, 1.0), (1.0, 1.0)], (-1, -1)) == [True, True]  # alike


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), min_size=1, max_size=12))
def test_what_is_beaten_is_so_by_one_of_the_front(points):
    on = unbeaten(points, (-1, -1))
    front = [p for p, kept in zip(points, on, strict=True) if kept]
    assert front
    for (x, y), kept in zip(points, on, strict=True):
        assert kept or any(a <= x and b <= y and (a, b) != (x, y) for a, b in front)
