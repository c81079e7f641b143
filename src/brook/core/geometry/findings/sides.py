"""Which way triangles look, and which parts hang together."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.findings import kernels
from brook.core.geometry.findings.base import Finder, Place, place_of
from brook.core.geometry.surface import Surface
from brook.core.units import DIMENSIONS, show

AREA = DIMENSIONS["area"]
SAMPLES = 8


def turned(surface: Surface) -> np.ndarray:
    """Triangles (n,) that go round against most of their shell, by area."""
    side, shell, _ = sides_of(surface)
    against = np.bincount(shell, surface.areas * np.where(side == 1, 1.0, -1.0))
    minority = np.where(against[shell] > 0, 0, 1)
    # of a shell with both halves alike nobody can tell; the first triangle is right then
    return np.nonzero(side == minority)[0]


def sides_of(surface: Surface) -> tuple[np.ndarray, np.ndarray, int]:
    """(side, shell, contradictions) over edges of exactly two triangles: all of one side go round alike."""
    edges = surface.edges
    pairs = edges.pairs
    alike = edges.turns[edges.uses == 2] == 0
    start = np.concatenate([pairs[:, 0], pairs[:, 1]])
    order = np.argsort(start, kind="stable")
    offsets = np.concatenate([[0], np.cumsum(np.bincount(start, minlength=surface.count))])
    near = np.concatenate([pairs[:, 1], pairs[:, 0]])[order]
    side, shell, against = kernels.spread(surface.count, offsets, near, np.concatenate([alike, alike])[order])
    return side, shell, int(against)


def inward_shells(surface: Surface) -> list[np.ndarray]:
    """Closed shells, as lists of triangles, that look the wrong way: out for solids, in for hollows in them."""
    edges = surface.edges
    sound = (edges.uses == 2) & (edges.turns == 0)
    shells = surface.shells
    whole = np.ones(shells.max() + 1 if len(shells) else 0, bool)
    np.logical_and.at(whole, shells, sound[edges.of].all(axis=1))
    numbers = np.nonzero(whole)[0]
    members = {n: np.nonzero(shells == n)[0] for n in numbers[:200]}
    found = []
    for number, triangles in members.items():
        part = surface.only(triangles)
        samples = part.points[:: max(1, len(part.points) // SAMPLES)]
        depth = 0
        for other, theirs in members.items():
            if other != number and _within(surface.points[surface.triangles[theirs]], samples):
                depth += 1
        if (part.volume < 0) == (depth % 2 == 0):
            found.append(triangles)
    return found


def _within(corners: np.ndarray, places: np.ndarray) -> bool:
    """Whether all places (n, 3) lie inside closed triangles (T, 3, 3)."""
    low, high = corners.min(axis=(0, 1)), corners.max(axis=(0, 1))
    if np.any(places < low) or np.any(places > high):
        return False
    return all(abs(kernels.solid_angle(corners, p.copy())) > 2 * np.pi for p in places)


def _turned(surface: Surface) -> list[Place]:
    found = [place_of(surface, np.array([t]), "looks the other way than its neighbours") for t in turned(surface)]
    against = sides_of(surface)[2]
    if against:
        words = f"{against} edges where no side fits, as on a strip that is twisted once"
        found.append(place_of(surface, np.arange(surface.count), words))
    return found


def _inward(surface: Surface) -> list[Place]:
    return [place_of(surface, t, f"shell of {len(t)} triangles, inside out") for t in inward_shells(surface)]


def _loose(surface: Surface) -> list[Place]:
    shells = surface.shells
    if not len(shells):
        return []
    areas = np.bincount(shells, surface.areas)
    main = int(np.argmax(areas))
    order = np.argsort(shells, kind="stable")
    parts = np.split(order, np.nonzero(np.diff(shells[order]))[0] + 1)
    return [
        place_of(surface, part, f"shell of {len(part)} triangles, {show(float(areas[k]), AREA)}")
        for k, part in enumerate(parts)
        if k != main
    ]


def _empty(surface: Surface) -> list[Place]:
    counts = np.bincount(surface.patch, minlength=len(surface.patches))
    nowhere = np.zeros(0, np.int64)
    middle = (surface.box[0] + surface.box[1]) / 2
    return [
        Place(middle, 0.0, f"patch '{name}' has no triangle", nowhere, np.zeros((0, 2), np.int64))
        for name, count in zip(surface.patches, counts, strict=True)
        if not count
    ]


TURNED = Finder(
    "turned", "triangles turned against their neighbours", "turn them, or spread one's side to all", _turned
)
INWARD = Finder("inward", "shells inside out", "make all look outward", _inward)
LOOSE = Finder("loose", "loose shells", "delete what is not wanted, or unite it with the rest", _loose)
EMPTY = Finder("empty_patches", "patches without triangles", "rename or leave them out", _empty)
