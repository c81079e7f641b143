"""Orders of whole numbers are those of the slower ways."""

from __future__ import annotations

import numpy as np
import pytest

from brook.core.mesh import kernels
from brook.core.mesh.ordering import distinct, order_by


@pytest.mark.parametrize("span", [3, 10**6, 2**62])
def test_numbers_are_sorted_by_one_key_after_the_other(span: int) -> None:
    random = np.random.default_rng(1)
    first, second = random.integers(0, 5, 500) > 2, random.integers(-4, 4, 500)
    third = random.integers(0, span, 500)
    assert np.array_equal(order_by(first, second, third), np.lexsort((third, second, first)))


def test_each_number_stands_once() -> None:
    random = np.random.default_rng(1)
    keys = random.integers(0, 50, (40, 4))
    assert np.array_equal(distinct(keys), np.unique(keys))
    assert distinct(np.zeros(0, np.int64)).shape == (0,)


def test_faces_stand_by_owner_and_neighbour_and_the_skin_behind_them() -> None:
    random = np.random.default_rng(1)
    owner, neighbour = random.integers(0, 30, 400), random.integers(-1, 30, 400)
    assert np.array_equal(kernels.face_order(owner, neighbour, 30), np.lexsort((neighbour, owner, neighbour < 0)))


def test_parts_stand_beside_what_they_are_part_of() -> None:
    parents = np.array([0, 1, 2, 3, 1, 1, 3])
    order, rank = kernels.order_of_parts(parents, 4)
    assert order.tolist() == [0, 1, 4, 5, 2, 3, 6]
    assert rank[order].tolist() == list(range(7))


def test_points_that_no_polygon_names_go() -> None:
    flat = np.array([5, 2, 5, 7])
    assert kernels.used_points(flat, 9).tolist() == [2, 5, 7]
    assert flat.tolist() == [1, 0, 1, 2]
