"""Mending of surfaces: each step takes a surface and gives another one; nothing is changed in place."""

from __future__ import annotations

from brook.core.geometry.mending.fill import fill_holes
from brook.core.geometry.mending.merge import merge_points, stitch
from brook.core.geometry.mending.sides import make_outward, spread_sides
from brook.core.geometry.mending.take_out import remove_duplicates, remove_slivers

__all__ = [
    "fill_holes", "make_outward", "merge_points", "remove_duplicates", "remove_slivers", "spread_sides", "stitch",
]  # fmt: skip
