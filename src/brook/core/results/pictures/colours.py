"""Perceptually even colour maps: straight lines in OKLab (Ottosson 2020) between anchors of rising lightness, as on the pages."""

from __future__ import annotations

from functools import cache

import numpy as np

ANCHORS = {
    "even": ("#1d2440", "#20506b", "#1f7f7c", "#5fa873", "#b5c877", "#f6ecc4"),
    "signed": ("#123c6b", "#3f83a8", "#a9cbd2", "#f4f1ea", "#dcae8c", "#b4633a", "#6e2412"),
}
STEPS = 256
BANDS = 9
_TO_CONES = np.array([
    [0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566], [0.0883024619, 0.2817188376, 0.6299787005],
])  # fmt: skip
_TO_LAB = np.array([
    [0.2104542553, 0.793617785, -0.0040720468], [1.9779984951, -2.428592205, 0.4505937099], [0.0259040371, 0.7827717662, -0.808675766],
])  # fmt: skip


def rgb(text: str) -> np.ndarray:
    """Red, green and blue (3,) from 0 to 1 of `#rrggbb`."""
    return np.array([int(text[i : i + 2], 16) for i in (1, 3, 5)]) / 255.0


@cache
def colour_map(name: str) -> np.ndarray:
    """The colours (256, 3) of a map from 0 to 1: `even` for magnitudes, `signed` round zero."""
    encoded = np.array([rgb(text) for text in ANCHORS[name]])
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
    lab = np.cbrt(linear @ _TO_CONES.T) @ _TO_LAB.T
    at = np.linspace(0.0, len(lab) - 1.0, STEPS)
    between = np.stack([np.interp(at, np.arange(len(lab)), lab[:, k]) for k in range(3)], axis=1)
    back = np.clip(((between @ np.linalg.inv(_TO_LAB).T) ** 3) @ np.linalg.inv(_TO_CONES).T, 0.0, 1.0)
    made: np.ndarray = np.where(back <= 0.0031308, 12.92 * back, 1.055 * back ** (1 / 2.4) - 0.055)
    return made


def shares(values: np.ndarray, low: float, high: float, how: str) -> np.ndarray:
    """Where values stand in a range, from 0 to 1: evenly, in bands, or by decades (`log`, of a range over nothing)."""
    if how == "log" and low > 0.0:
        found = np.log(np.maximum(values, 1e-300) / low) / np.log(high / low)
    else:
        found = (values - low) / ((high - low) or 1.0)
    found = np.clip(found, 0.0, 1.0)
    return (np.minimum(np.floor(found * BANDS), BANDS - 1) + 0.5) / BANDS if how == "bands" else found


def coloured(found: np.ndarray, name: str) -> np.ndarray:
    """Colours (n, 3) of shares (n,) from 0 to 1."""
    made: np.ndarray = colour_map(name)[np.round(np.clip(found, 0.0, 1.0) * (STEPS - 1)).astype(np.int64)]
    return made
