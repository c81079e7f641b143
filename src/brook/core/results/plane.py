"""A plane mesh as triangles: values anywhere by linear interpolation between the corners of cells."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.mesh import Mesh
from brook.core.results import kernels
from brook.core.results.picture import PlanePolygons, corner_values, polygons
from brook.core.results.quantities import View

PER_BIN = 4.0
SLACK = 1e-6


@dataclass(frozen=True, eq=False)
class Triangles:
    """points (P, 2) in m and triangles (T, 3) counter-clockwise, one fan for each cell; `cell` (T,) is its cell."""

    points: np.ndarray
    triangles: np.ndarray
    cell: np.ndarray

    @classmethod
    def of(cls, mesh: Mesh, shapes: PlanePolygons | None = None) -> Triangles:
        """The same triangles that the canvas draws."""
        shapes = shapes or polygons(mesh)
        counts = np.diff(shapes.offsets)
        cell = np.repeat(np.arange(len(counts)), counts - 2)
        first = np.repeat(shapes.offsets[:-1], counts - 2)
        within = np.arange(len(cell)) - np.repeat(np.cumsum(counts - 2) - (counts - 2), counts - 2)
        corners = np.stack([first, first + within + 1, first + within + 2], axis=1)
        return cls(
            np.ascontiguousarray(shapes.at[:, shapes.axes]),
            shapes.points[corners].astype(np.int64, copy=False),
            shapes.cell[cell],
        )

    @cached_property
    def _bins(self) -> tuple[np.ndarray, np.ndarray, int, int, np.ndarray, np.ndarray]:
        used = self.points[np.unique(self.triangles)]
        low, span = used.min(axis=0), np.ptp(used, axis=0)
        size = np.sqrt(span[0] * span[1] * PER_BIN / len(self.triangles))
        columns, rows = (max(1, int(np.ceil(s / size))) for s in span)
        step = span / [columns, rows]
        offsets, found = kernels.sort_into_bins(self.points, self.triangles, low, step, columns, rows)
        return low, step, columns, rows, offsets, found

    def locate(self, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The triangle (n,) of each place (n, 2), -1 outside, and the shares (n, 3) of its corners."""
        return kernels.locate(self.points, self.triangles, *self._bins, np.ascontiguousarray(places, float), SLACK)

    def at(self, values: np.ndarray, places: np.ndarray) -> np.ndarray:
        """Values (n,) at places (n, 2) from those at the points (P,), nan outside."""
        triangle, share = self.locate(places)
        found = np.einsum("ij,ij->i", values[self.triangles[triangle]], share)
        found[triangle < 0] = np.nan
        return found

    @cached_property
    def neighbours(self) -> np.ndarray:
        """The triangle (T, 3) beyond the edge from each corner to the next, -1 on the boundary."""
        count = len(self.triangles)
        start = self.triangles.ravel()
        end = np.roll(self.triangles, -1, axis=1).ravel()
        number = len(self.points)
        key = np.minimum(start, end) * number + np.maximum(start, end)
        order = np.argsort(key, kind="stable")
        same = np.nonzero(key[order][1:] == key[order][:-1])[0]
        beyond = np.full(3 * count, -1)
        one, other = order[same], order[same + 1]
        beyond[one], beyond[other] = other // 3, one // 3
        return beyond.reshape(count, 3)


def point_values(view: View, quantity: str, shapes: PlanePolygons) -> np.ndarray:
    """Values (P,) of a quantity at all points of what is drawn."""
    values = np.zeros(len(shapes.at))
    values[shapes.points] = corner_values(view, quantity, shapes)
    return values
