"""Values of cells carried to another mesh of the same space, so that what cells hold together stays.

A cell that holds the middles of others, together as large as it, takes the mean of φ + ∇φ·d over them by volume, with one ∇φ for all; any other
takes φ + ∇φ·d from the cell that holds its own middle. d is from the middle where φ is known to that where it is wanted. Where boxes are
halved and joined sums over the volume are the same, as middles of the pieces are together that of the whole.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from brook.core.mesh import Mesh
from brook.core.results.space.locator import Locator

WHOLE = (0.5, 2.0)  # of a cell: the volume of those whose middles it holds where their mean is its value


class Carrying:
    """From the cells (C,) of one mesh to those (D,) of another: found once, for any number of quantities. `beyond` (D,) are cells whose
    middle no cell of the old mesh holds."""

    def __init__(self, old: Mesh, new: Mesh):
        (self._source, self.beyond), (self._within, _) = _held(old, new.centre), _held(new, old.centre)
        volume = np.bincount(self._within, old.volume, new.cell_count)
        self._joined = (volume > WHOLE[0] * new.volume) & (volume < WHOLE[1] * new.volume)
        self._share = old.volume / np.where(self._joined, volume, np.inf)[self._within]
        middle = np.stack([self._mean(x) for x in old.centre.T], axis=1)
        self._away = new.centre - np.where(self._joined[:, None], middle, old.centre[self._source])

    def _mean(self, values: np.ndarray) -> np.ndarray:
        return np.bincount(self._within, self._share * values, len(self._joined))

    def _beside(self, values: np.ndarray) -> np.ndarray:
        return np.where(self._joined, self._mean(values), values[self._source])

    def __call__(self, values: np.ndarray, slope: np.ndarray | None = None, low: float = -np.inf) -> np.ndarray:
        """Values (D,) of values (C,) with their gradient (C, 3), 0 where it is not given; none is under `low`."""
        found = self._beside(values)
        if slope is not None:
            found += sum(self._beside(slope[:, k]) * self._away[:, k] for k in range(3))
        return np.maximum(found, low)


def _held(mesh: Mesh, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The cell (n,) that holds each place (n, 3), or the one with the nearest middle where none does; and which those are (n,)."""
    found = Locator(mesh).cells(places)
    out = np.nonzero(found < 0)[0]
    if len(out):
        found[out] = cKDTree(mesh.centre).query(places[out])[1]
    beyond = np.zeros(len(places), bool)
    beyond[out] = True
    return found, beyond
