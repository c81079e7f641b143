"""Lines on triangles along which a value is the same."""

from __future__ import annotations

import math

import numpy as np

from brook.core.units import Dimension, dimension_of

ZERO_CELSIUS = 273.15


def round_levels(low: float, high: float, count: int, dimension: Dimension) -> np.ndarray:
    """About so many round values between two in SI units, even steps of 1, 2 or 5 times a power of ten; temperatures are round in °C."""
    if not high > low:
        return np.empty(0)
    rough = (high - low) / (count + 1)
    power = 10.0 ** math.floor(math.log10(rough))
    step = power * min((1, 2, 5, 10), key=lambda f: abs(f * power - rough))
    shift = ZERO_CELSIUS if dimension == dimension_of("K") else 0.0
    levels = np.arange(math.ceil((low - shift) / step), math.floor((high - shift) / step) + 1) * step + shift
    found: np.ndarray = levels[(levels > low) & (levels < high)]
    return found


def level_lines(
    at: np.ndarray, triangles: np.ndarray, values: np.ndarray, levels: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Pieces (l, 2, 3) in m and the level of each (l,), values (P,) being linear in each triangle (t, 3) of places `at` (P, 3).

    Where v is nothing at a corner it counts as above, so that each triangle has two crossings or none."""
    pieces, of = [], []
    three = values[triangles]
    low, high = three.min(axis=1), three.max(axis=1)
    for level in levels:
        crossed = np.nonzero((low < level) & (high >= level))[0]
        corner, above = triangles[crossed], three[crossed] >= level
        alone = np.argmax(above == (above.sum(axis=1) == 1)[:, None], axis=1)  # the corner that is on its own side
        row = np.arange(len(crossed))
        a = corner[row, alone]
        ends = []
        for k in (1, 2):
            b = corner[row, (alone + k) % 3]
            share = ((level - values[a]) / (values[b] - values[a]))[:, None]
            ends.append((1 - share) * at[a] + share * at[b])
        pieces.append(np.stack(ends, axis=1))
        of.append(np.full(len(crossed), level))
    if not pieces:
        return np.empty((0, 2, 3)), np.empty(0)
    return np.concatenate(pieces), np.concatenate(of)
