"""Edges that do not have two triangles: holes and slits, and edges that three or more share."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.geometry.findings import kernels
from brook.core.geometry.findings.base import Finder, Place, groups_of, place_of
from brook.core.geometry.surface import Surface
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
SLIT = 0.01  # of the area of a circle as long round


@dataclass(frozen=True, eq=False)
class Loop:
    """A line of free edges: its points (n,) in order, with the surface on their left, and the triangles along it.

    `is_closed` is not so where the edges lead nowhere, as they do beside edges that three triangles share.
    """

    points: np.ndarray
    triangles: np.ndarray
    is_closed: bool


def free_loops(surface: Surface) -> list[Loop]:
    """All lines of free edges."""
    edges = surface.edges
    triangle, corner = np.nonzero(edges.uses[edges.of] == 1)
    start = surface.triangles[triangle, corner]
    end = surface.triangles[triangle, (corner + 1) % 3]
    if not len(start):
        return []
    loop, rank, back = kernels.free_loops(start, end)
    start, end = np.where(back, end, start), np.where(back, start, end)
    order = np.lexsort((rank, loop))
    pieces = np.split(order, np.nonzero(np.diff(loop[order]))[0] + 1)
    found = []
    for k in pieces:
        points, triangles, closed = start[k], triangle[k], bool(end[k[-1]] == start[k[0]])
        if 2 * back[k].sum() > len(k):  # most triangles along it look the other way round
            points, triangles = np.concatenate([points[:1], points[:0:-1]]), triangles[::-1]
        found.append(Loop(points, triangles, closed))
    return found


def measures(surface: Surface, loop: Loop) -> tuple[float, float]:
    """Length round a loop in m, and the area of its flat picture in m²."""
    at = surface.points[loop.points]
    after = np.roll(at, -1, axis=0)
    length = float(np.linalg.norm(after - at, axis=1).sum())
    middle = at.mean(axis=0)
    return length, float(np.linalg.norm(np.cross(at - middle, after - middle).sum(axis=0)) / 2)


def is_slit(surface: Surface, loop: Loop) -> bool:
    """Whether a loop encloses hardly any area for its length."""
    length, area = measures(surface, loop)
    return area < SLIT * length**2 / (4 * np.pi)


def _holes(surface: Surface) -> list[Place]:
    found = []
    for loop in free_loops(surface):
        length, area = measures(surface, loop)
        what = "slit" if is_slit(surface, loop) else "hole"
        across = show(2 * float(np.sqrt(area / np.pi)), LENGTH)
        words = f"{what} of {len(loop.points)} edges, {show(length, LENGTH)} round"
        words += f", {across} across" if what == "hole" else ""
        if not loop.is_closed:
            words += ", not closed"
        ends = np.stack([loop.points, np.roll(loop.points, -1)], axis=1)
        found.append(place_of(surface, loop.triangles, words, ends if loop.is_closed else ends[:-1]))
    return found


def _shared(surface: Surface) -> list[Place]:
    edges = surface.edges
    many = np.nonzero(edges.uses > 2)[0]
    offsets, triangles = edges.by_edge
    found = []
    for rows in groups_of(edges.ends[many]):
        chosen = many[rows]
        beside = np.unique(np.concatenate([triangles[offsets[e] : offsets[e + 1]] for e in chosen]))
        most = int(edges.uses[chosen].max())
        found.append(place_of(surface, beside, f"{len(chosen)} edges with up to {most} triangles", edges.ends[chosen]))
    return found


HOLES = Finder(
    "holes", "holes and slits", "fill them, merge or stitch what should touch, or cap them as openings", _holes
)
SHARED = Finder(
    "shared_edges",
    "edges of three or more triangles",
    "right where bodies touch; else delete what is inside, or unite the parts",
    _shared,
)
