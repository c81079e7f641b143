"""Fills that go on as the surface around them bends.

The hole is looked at along its mean normal and filled with points about as far apart as those of its rim. Their
places then make the cotangent Laplacian of position as small as can be in it and along its rim, with the triangles
around the rim held still: the discrete thin plate. Botsch & Kobbelt (2004), Liepa (2003).
"""

from __future__ import annotations

import numpy as np
import shapely
from scipy.sparse import csr_matrix, diags
from scipy.sparse.linalg import splu
from scipy.spatial import Delaunay, cKDTree

from brook.core.geometry.findings.edges import Loop
from brook.core.geometry.surface import Surface

MOST_POINTS = 20_000
ROUNDS = 3


def bent_fill(surface: Surface, loop: Loop, flat: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    """New points (n, 3) and triangles (m, 3), numbered after those of the surface, that fill a loop.

    `flat` (k, 2) is the flat picture of the loop as it goes round. None when the picture cannot be divided, as for a
    rim that crosses itself there.
    """
    rim = loop.points[::-1]
    inner, triangles = _divided(flat)
    if triangles is None:
        return None
    number = np.concatenate([rim, len(surface.points) + np.arange(len(inner))])
    made = number[triangles]
    if not len(inner):
        return np.zeros((0, 3)), made
    start = _lifted(surface.points[rim], flat, inner)
    around = np.isin(surface.triangles, rim).any(axis=1)
    every = np.concatenate([made, surface.triangles[around]])
    used, local = np.unique(every, return_inverse=True)
    points = np.concatenate([surface.points, start])[used]
    local = local.reshape(-1, 3)
    free = np.nonzero(used >= len(surface.points))[0]
    rows = np.nonzero((used >= len(surface.points)) | np.isin(used, rim))[0]
    for _ in range(ROUNDS):
        points = _thin_plate(points, local, free, rows)
    return points[free], made


def _divided(flat: np.ndarray) -> tuple[np.ndarray, np.ndarray | None]:
    """Points (n, 2) within a closed line (k, 2) and triangles over both, the line's points first."""
    polygon = shapely.Polygon(flat)
    if not polygon.is_valid or polygon.area == 0:
        return np.zeros((0, 2)), None
    after = np.roll(flat, -1, axis=0)
    length = np.linalg.norm(after - flat, axis=1)
    spacing = max(float(length.mean()), float(np.sqrt(polygon.area / MOST_POINTS)))
    low, high = flat.min(axis=0), flat.max(axis=0)
    lattice = []
    for k, y in enumerate(np.arange(low[1], high[1], spacing * np.sqrt(0.75))):
        x = np.arange(low[0] + (k % 2) * spacing / 2, high[0], spacing)
        lattice.append(np.stack([x, np.full_like(x, y)], axis=1))
    inner = np.concatenate([*lattice, np.zeros((0, 2))])
    inner = inner[shapely.contains_xy(polygon, inner[:, 0], inner[:, 1])] if len(inner) else inner
    if len(inner):  # none near the line, nor where it would keep an edge of the line from being one of a triangle
        inner = inner[cKDTree(flat).query(inner)[0] > 0.6 * spacing]
        for middle, reach in zip((flat + after) / 2, length / 2, strict=True):
            inner = inner[np.linalg.norm(inner - middle, axis=1) > 1.05 * reach]
    every = np.concatenate([flat, inner])
    if len(every) < 3:
        return inner, None
    triangles = Delaunay(every).simplices
    middle = every[triangles].mean(axis=1)
    triangles = triangles[shapely.contains_xy(polygon, middle[:, 0], middle[:, 1])]
    a, b, c = (every[triangles[:, k]] for k in range(3))
    area = ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) / 2
    triangles = np.where((area < 0)[:, None], triangles[:, ::-1], triangles)
    if abs(np.abs(area).sum() - polygon.area) > 1e-6 * polygon.area or not _has_rim(triangles, len(flat)):
        return inner, None
    return inner, triangles


def _has_rim(triangles: np.ndarray, count: int) -> bool:
    """Whether every edge of the line is an edge of a triangle, gone the same way."""
    start, end = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    along = (start < count) & (end == (start + 1) % count)
    return len(np.unique(start[along])) == count


def _lifted(rim: np.ndarray, flat: np.ndarray, inner: np.ndarray) -> np.ndarray:
    """Places (n, 3) of flat points (n, 2), between those of the rim by inverse squared distance."""
    weight = 1.0 / np.maximum(((inner[:, None, :] - flat[None, :, :]) ** 2).sum(axis=2), 1e-300)
    ones = np.concatenate([flat, np.ones((len(flat), 1))], axis=1)
    plane, *_ = np.linalg.lstsq(ones, rim, rcond=None)  # the flat picture put back, then what the rim leaves it by
    rest = rim - ones @ plane
    base = np.concatenate([inner, np.ones((len(inner), 1))], axis=1) @ plane
    return base + (weight @ rest) / weight.sum(axis=1, keepdims=True)


def _thin_plate(points: np.ndarray, triangles: np.ndarray, free: np.ndarray, rows: np.ndarray) -> np.ndarray:
    """Points (n, 3) with the free ones where the Laplacian over the rows has the smallest mean square."""
    count = len(points)
    i, j, k = triangles.T
    entries = []
    area = np.zeros(count)
    for a, b, c in ((i, j, k), (j, k, i), (k, i, j)):
        u, v = points[a] - points[c], points[b] - points[c]
        double = np.linalg.norm(np.cross(u, v), axis=1)
        cotangent = np.clip(np.einsum("ij,ij->i", u, v) / np.maximum(double, 1e-300), 0.01, 100.0)
        entries += [(a, b, cotangent / 2), (b, a, cotangent / 2)]
        np.add.at(area, c, double / 6)
    row, column, weight = (np.concatenate([e[n] for e in entries]) for n in range(3))
    off = csr_matrix((weight, (row, column)), shape=(count, count))
    laplacian = (off - diags(np.asarray(off.sum(axis=1)).ravel()))[rows]
    scaled = diags(1.0 / np.sqrt(np.maximum(area[rows], 1e-300))) @ laplacian
    held = np.ones(count, bool)
    held[free] = False
    mine, theirs = scaled[:, free], scaled[:, np.nonzero(held)[0]]
    right = -(mine.T @ (theirs @ points[held]))
    found = points.copy()
    found[free] = splu((mine.T @ mine).tocsc()).solve(np.ascontiguousarray(right))
    return found
