"""Where a mesh is to be finer: boxes, balls, cylinders, and what lies near a patch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.octree import Zone

Place = tuple[float, float, float]


@dataclass(frozen=True)
class Box:
    low: Place
    high: Place

    def test(self, _: Surface) -> Zone:
        """Says which boxes with middles (n, 3) and half a diagonal may reach in."""
        low, high = np.array(self.low), np.array(self.high)

        def reached(middle: np.ndarray, half: float) -> np.ndarray:
            spare = half / np.sqrt(3)  # boxes lie along the same axes
            return ((middle > low - spare) & (middle < high + spare)).all(axis=1)

        return reached


@dataclass(frozen=True)
class Rod:
    """All within a radius of a straight line; of a point when its ends are one."""

    start: Place
    end: Place
    radius: float

    def test(self, _: Surface) -> Zone:
        """What tells which boxes reach into it."""
        start, along = np.array(self.start), np.array(self.end) - np.array(self.start)
        length = float(along @ along)

        def reached(middle: np.ndarray, half: float) -> np.ndarray:
            away = middle - start
            share = (away @ along) / length if length else np.zeros(len(middle))
            beyond = np.abs(share - np.clip(share, 0, 1)) * np.sqrt(length)
            aside = np.linalg.norm(away - share[:, None] * along, axis=1)
            if not length:
                return aside < self.radius + half
            return (aside < self.radius + half) & (beyond < half)

        return reached


@dataclass(frozen=True)
class Near:
    patch: str
    distance: float

    def test(self, surface: Surface) -> Zone:
        """What tells which boxes lie near the patch."""
        if self.patch not in surface.patches:
            return lambda middle, _: np.zeros(len(middle), bool)
        own = np.isin(surface.patch, [k for k, name in enumerate(surface.patches) if name == self.patch])
        tree = Nearest.of(surface.points[surface.triangles[own]], np.zeros(int(own.sum()), np.int64))

        def reached(middle: np.ndarray, half: float) -> np.ndarray:
            place, _ = tree.find(middle)
            return np.linalg.norm(place - middle, axis=1) < self.distance + half

        return reached
