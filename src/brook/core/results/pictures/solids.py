"""What of a cut lies in no cell though cells lie round it: solids that the mesh leaves out."""

from __future__ import annotations

import numpy as np
import shapely

from brook.core.results.pictures.base import frame
from brook.core.results.space import Locator

STEPS = 9  # digits of the size of a cut to which its corners are told apart


def holes(ends: np.ndarray, across: np.ndarray, locator: Locator) -> tuple[np.ndarray, float, int]:
    """Triangles (t, 3, 3) in m of what the outline of a cut, given by the `ends` (k, 2, 3) of its pieces, goes round without cells
    in it; their area in m², and how many there are."""
    way, first, second = frame(across)
    flat = np.stack([ends @ first, ends @ second], axis=-1)
    height = float(ends[0, 0] @ way)
    grain = 10.0**-STEPS * float(np.ptp(flat.reshape(-1, 2), axis=0).max())
    lines = shapely.linestrings(np.round(flat / grain) * grain)
    found = [p for p in shapely.get_parts(shapely.polygonize(lines)) if p.area > 0.0]
    if len(found) < 2:
        return np.empty((0, 3, 3)), 0.0, 0
    inside = np.array([p.representative_point().coords[0] for p in found])
    empty = locator.cells(inside[:, :1] * first + inside[:, 1:] * second + height * way) < 0
    solid = [p for p, is_solid in zip(found, empty, strict=True) if is_solid]
    corners = [
        shapely.get_coordinates(shapely.get_parts(shapely.constrained_delaunay_triangles(p))).reshape(-1, 4, 2)[:, :3]
        for p in solid
    ]
    plane = np.concatenate(corners) if corners else np.empty((0, 3, 2))
    placed: np.ndarray = plane[..., :1] * first + plane[..., 1:] * second + height * way
    return placed, float(sum(p.area for p in solid)), len(solid)
