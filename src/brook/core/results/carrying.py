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
    middle no cell of the old mesh holds. Where there are several bodies each is carried for itself, by its name; the old mesh has every
    one of the new mesh, and may have more."""

    def __init__(self, old: Mesh, new: Mesh):
        number = np.array([new.bodies.index(name) if name in new.bodies else -1 for name in old.bodies])
        body = number[old.body]
        self._source, self.beyond = _held(old, body, new.centre, new.body)
        self._within, _ = _held(new, new.body, old.centre, body)
        held = np.where(body >= 0, old.volume, 0.0)
        volume = np.bincount(self._within, held, new.cell_count)
        self._joined = (volume > WHOLE[0] * new.volume) & (volume < WHOLE[1] * new.volume)
        self._share = held / np.where(self._joined, volume, np.inf)[self._within]
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


def _held(mesh: Mesh, body: np.ndarray, places: np.ndarray, wanted: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The cell (n,) of the wanted body (n,) that holds each place (n, 3), or the one of it with the nearest middle where none does, and which
    those are (n,); `body` (C,) are those of the mesh's cells. A place of a body that it does not have, -1, goes to any."""
    found = Locator(mesh).cells(places)
    beyond = (found < 0) | ((body[found] != wanted) & (wanted >= 0))
    found[found < 0] = 0
    for k in np.unique(wanted[beyond]):
        mine = np.arange(len(body)) if k < 0 else np.nonzero(body == k)[0]
        out = np.nonzero(beyond & (wanted == k))[0]
        found[out] = mine[cKDTree(mesh.centre[mine]).query(places[out])[1]]
    return found, beyond
