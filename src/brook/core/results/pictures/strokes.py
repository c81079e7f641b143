"""Arrows, lines and ribbons as pieces and triangles, as the canvas of a page makes them too."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

BARB, BARB_WIDTH, HEAD, MOST_HEAD = 0.55, 1.0, 0.32, 0.3


def arrows(arrays: dict[str, np.ndarray], across: np.ndarray, equal: bool) -> np.ndarray:
    """Pieces (k, 2, 3) of arrows: shafts and two barbs each, in the plane that `across` is normal to, (3,) or (n, 3); all as long, or by
    size."""
    at, way, step = arrays["arrows_at"], arrays["arrows_way"], float(arrays["arrows_step"][0])
    size = np.linalg.norm(way, axis=1)
    if len(size) == 0:
        return np.empty((0, 2, 3))
    most = float(np.sort(size)[int(0.98 * (len(size) - 1))]) or 1.0
    long = np.full(len(size), 0.85 * step) if equal else 1.25 * step * np.minimum(1.4, size / most)
    shown = (size > 1e-6 * most) & (long >= 0.04 * step)
    at, long = at[shown], long[shown][:, None]
    across = across[shown] if across.ndim == 2 else across
    unit = way[shown] / size[shown][:, None]
    beside = np.cross(unit, across)
    beside /= np.maximum(np.linalg.norm(beside, axis=1), 1e-300)[:, None]
    tail, tip = at - 0.5 * long * unit, at + 0.5 * long * unit
    head = np.minimum(HEAD * long, MOST_HEAD * step)
    barbs = [np.stack([tip, tip - head * (unit + sign * BARB * beside)], axis=1) for sign in (-1.0, 1.0)]
    return np.concatenate([np.stack([tail, tip], axis=1), *barbs])


def segments(at: np.ndarray, starts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Pieces (k, 2, 3) of lines that begin at `starts` (m + 1,), and the numbers (k, 2) of their places."""
    first = np.setdiff1d(np.arange(len(at)), starts[1:] - 1)
    which = np.stack([first, first + 1], axis=1)
    return at[which], which


def ribbons(arrays: dict[str, np.ndarray], width: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Ribbons along lines, `width` m wide: places (2 n, 3), triangles (t, 3), and of which place of a line each is (2 n,). They are
    carried along without twist, and turned as the fluid turns besides."""
    at, starts, turn = arrays["lines_at"], arrays["lines_start"], arrays["lines_turn"]
    places = np.empty((len(at), 2, 3))
    triangles = []
    for first, last in pairwise(starts.tolist()):
        line = at[first:last]
        way = np.gradient(line, axis=0)
        way /= np.maximum(np.linalg.norm(way, axis=1), 1e-300)[:, None]
        side = np.cross(way[0], np.eye(3)[int(np.argmin(np.abs(way[0])))])
        for k, along in enumerate(way):
            side = side - (side @ along) * along
            side /= max(float(np.linalg.norm(side)), 1e-300)
            put = np.cos(turn[first + k]) * side + np.sin(turn[first + k]) * np.cross(along, side)
            places[first + k] = line[k] - 0.5 * width * put, line[k] + 0.5 * width * put
        n = 2 * np.arange(first + 1, last)
        triangles.append(np.concatenate([np.stack([n - 2, n - 1, n], axis=1), np.stack([n - 1, n + 1, n], axis=1)]))
    return places.reshape(-1, 3), np.concatenate(triangles), np.repeat(np.arange(len(at)), 2)
