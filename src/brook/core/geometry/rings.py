"""Closed outlines of a plane domain as edges with patches."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely

from brook.core.geometry.outlines import SideLine
from brook.core.study import Resolved


@dataclass(frozen=True)
class Edge:
    """A straight piece of boundary from (x0, y0) to (x1, y1), in m, the fluid on its left."""

    x0: float
    y0: float
    x1: float
    y1: float
    patch: str

    @property
    def length(self) -> float:
        """In m."""
        return float(np.hypot(self.x1 - self.x0, self.y1 - self.y0))


def rings_of(
    domain: shapely.Polygon, sides: list[list[SideLine]], geometry: Resolved, x: np.ndarray, y: np.ndarray,
    tolerance: float,
) -> tuple[tuple[Edge, ...], ...]:  # fmt: skip
    """The outlines of the domain, cut where the patch changes and joined where it does not."""
    openings = [SideLine(snapped(s.points, x, y, tolerance), s.patch) for s in _opening_sides(geometry)]
    every = [side for of in sides for side in of] + openings
    tree = shapely.STRtree([shapely.LineString(s.points) for s in every])
    ends = np.concatenate([s.points[[0, -1]] for s in every])
    found = []
    for ring in (domain.exterior, *domain.interiors):
        points = snapped(shapely.get_coordinates(ring), x, y, tolerance)
        points = _cut_at(points, ends, tolerance)
        middle = shapely.points((points[1:] + points[:-1]) / 2)
        piece, side = tree.query(middle, predicate="dwithin", distance=10 * tolerance)
        last = np.full(len(middle), -1)
        np.maximum.at(last, piece, side)
        if np.any(last < 0):
            last[last < 0] = tree.nearest(middle[last < 0])
        found.append(_joined(points, [every[k].patch for k in last]))
    return tuple(found)


def _cut_at(points: np.ndarray, ends: np.ndarray, tolerance: float) -> np.ndarray:
    """A closed line of points with those of `ends` put in that lie on it."""
    made = [points[:1]]
    for a, b in pairwise(points):
        length = np.hypot(*(b - a))
        if length <= tolerance:
            continue
        along = (ends - a) @ (b - a) / length
        off = np.abs((ends[:, 0] - a[0]) * (b - a)[1] - (ends[:, 1] - a[1]) * (b - a)[0]) / length
        on = (off <= tolerance) & (along > tolerance) & (along < length - tolerance)
        inner = ends[on][np.argsort(along[on])]
        for p in inner:
            if np.hypot(*(p - made[-1][-1])) > tolerance:
                made.append(p[None])
        made.append(b[None])
    made[-1] = points[:1]
    return np.concatenate(made)


def _joined(points: np.ndarray, patches: list[str]) -> tuple[Edge, ...]:
    """Edges of a closed line; neighbours of one patch that run straight on are one edge."""
    run = np.diff(points, axis=0)
    before = np.roll(run, 1, axis=0)
    turn = before[:, 0] * run[:, 1] - before[:, 1] * run[:, 0]
    straight = np.abs(turn) <= 1e-9 * np.hypot(*run.T) * np.hypot(*before.T)
    same = np.array([p == patches[k - 1] for k, p in enumerate(patches)])
    starts = np.nonzero(~(straight & same))[0]
    if not len(starts):
        starts = np.arange(len(run))
    following = np.roll(starts, -1)
    return tuple(
        Edge(float(points[a, 0]), float(points[a, 1]), float(points[b, 0]), float(points[b, 1]), patches[a])
        for a, b in zip(starts, following, strict=True)
    )


def snapped(points: np.ndarray, x: np.ndarray, y: np.ndarray, tolerance: float) -> np.ndarray:
    """Points with coordinates put on lines that are as near as round-off."""
    moved = points.copy()
    for axis, lines in enumerate((x, y)):
        nearest = lines[np.abs(points[:, axis][:, None] - lines[None, :]).argmin(axis=1)]
        near = np.abs(nearest - points[:, axis]) <= tolerance
        moved[near, axis] = nearest[near]
    return moved


def _opening_sides(geometry: Resolved) -> list[SideLine]:
    outer = geometry.outer
    position = {"left": outer.left, "right": outer.left + outer.width,
                "bottom": outer.bottom, "top": outer.bottom + outer.height}  # fmt: skip
    found = []
    for opening in geometry.openings:
        along = np.array([opening.start, opening.end])
        across = np.full(2, position[opening.side])
        upright = opening.side in ("left", "right")
        found.append(SideLine(np.stack([across, along] if upright else [along, across], axis=1), opening.patch))
    return found
