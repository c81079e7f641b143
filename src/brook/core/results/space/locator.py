"""Which cell of a mesh holds a place."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from brook.core.mesh import Mesh
from brook.core.numerics.chunks import chunks_of, over
from brook.core.results.quantities import QUANTITIES, View
from brook.core.results.space import walking

PER_BIN = 3.0  # cells of which a bin has the volume
SLACK = 0.1  # of a cell's longest side, by which a place may lie out of it: faces are not quite plane


class Locator:
    """Cells sorted into bins by the boxes round them, and their faces as planes; made once for a mesh."""

    def __init__(self, mesh: Mesh):
        self.mesh = mesh
        low, high = mesh.cell_box
        self.low = low.min(axis=0)
        span = np.maximum(high.max(axis=0) - self.low, 1e-300)
        size = (np.prod(span) * PER_BIN / mesh.cell_count) ** (1 / 3)
        self.shape = np.clip(np.round(span / size), 1, 1000).astype(np.int64)
        self.step = span / self.shape
        self.box = self.low, self.low + span
        self.bins = walking.boxes_in_bins(low, high, self.low, self.step, self.shape)

    @cached_property
    def plane(self) -> np.ndarray:
        """x·S (F,) of the centroid of each face."""
        return np.einsum("ij,ij->i", self.mesh.face_centres(), self.mesh.face_vector)

    def cells(self, places: np.ndarray) -> np.ndarray:
        """The cell (n,) of each place (n, 3) in m, -1 outside of the mesh."""
        mesh = self.mesh
        places = np.ascontiguousarray(places, float).reshape(-1, 3)
        found = np.empty(len(places), np.int64)
        over(
            chunks_of(len(places)), walking.located, places, self.low, self.step, self.shape, *self.bins, *mesh.cell_box, mesh.face_vector,
            self.plane, mesh.owner, *mesh.cell_faces, mesh.inner_count,
            SLACK, found,
        )  # fmt: skip
        return found

    def values(self, view: View, quantity: str, places: np.ndarray) -> np.ndarray:
        """A quantity (n,) at places (n, 3), linear in each cell, nan outside of the mesh."""
        return values_in(view, quantity, places, self.cells(places))


def values_in(view: View, quantity: str, places: np.ndarray, cells: np.ndarray) -> np.ndarray:
    """A quantity (n,) at places (n, 3) in known cells (n,), linear in each, and not under zero where it cannot be; nan where the cell
    is -1."""
    at = np.maximum(cells, 0)
    offset = places - view.fields.mesh.centre[at]
    found = view.values(quantity)[0][at] + np.einsum("ij,ij->i", view.slope(quantity)[at], offset)
    if quantity in QUANTITIES and QUANTITIES[quantity].positive:
        found = np.maximum(found, 0.0)
    found[cells < 0] = np.nan
    return found
