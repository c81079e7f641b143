"""Defects of surfaces. A new kind is a `Finder` in one of the modules here and its name in `FINDERS`."""

from __future__ import annotations

from brook.core.geometry.findings.base import Finder, Finding, Place
from brook.core.geometry.findings.edges import HOLES, SHARED
from brook.core.geometry.findings.shapes import CROSSING, DUPLICATES, NEAR, SLIVERS, WALLS
from brook.core.geometry.findings.sides import EMPTY, INWARD, LOOSE, TURNED
from brook.core.geometry.surface import Surface

FINDERS: tuple[Finder, ...] = (
    HOLES, NEAR, SHARED, CROSSING, DUPLICATES, WALLS, SLIVERS, TURNED, INWARD, LOOSE, EMPTY,
)  # fmt: skip


def find_all(surface: Surface) -> list[Finding]:
    """Every kind of defect with its places, the largest first; kinds without any are left out."""
    found = []
    for finder in FINDERS:
        places = sorted(finder.find(surface), key=lambda p: -p.size)
        if places:
            found.append(Finding(finder.kind, finder.words, finder.advice, tuple(places)))
    return found


__all__ = ["FINDERS", "Finder", "Finding", "Place", "find_all"]
