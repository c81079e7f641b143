"""Compiled loops over points and triangles of a surface."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel


@kernel
def _hash(x, y, z):
    h = np.uint64(1469598103934665603)
    for value in (x, y, z):
        h = (h ^ np.uint64(value)) * np.uint64(1099511628211)
        h = h ^ (h >> np.uint64(29))
    return h


@kernel
def _same_places(points, bits):
    count = len(points)
    size = 1
    while size < 2 * count + 2:
        size *= 2
    table = np.full(size, -1, np.int64)
    number = np.empty(count, np.int64)
    first = np.empty(count, np.int64)
    found = 0
    mask = np.uint64(size - 1)
    for k in range(count):
        at = _hash(bits[k, 0], bits[k, 1], bits[k, 2]) & mask
        while True:
            one = table[np.int64(at)]
            if one < 0:
                table[np.int64(at)] = found
                first[found] = k
                number[k] = found
                found += 1
                break
            j = first[one]
            if points[j, 0] == points[k, 0] and points[j, 1] == points[k, 1] and points[j, 2] == points[k, 2]:
                number[k] = one
                break
            at = (at + np.uint64(1)) & mask
    return number, first[:found]


def same_places(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Number (n,) of the place of each point (n, 3), and the first point (P,) at each place."""
    if not len(points):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    return _same_places(points, points.view(np.uint64))


@kernel
def squared_distances(points, triangles, place):
    """The squared distance (T,) of a place (3,) from each triangle. Ericson (2005), section 5.1.5."""
    found = np.empty(len(triangles))
    for k in range(len(triangles)):
        a, b, c = points[triangles[k, 0]], points[triangles[k, 1]], points[triangles[k, 2]]
        u, v, p = b - a, c - a, place - a
        d1, d2 = (u * p).sum(), (v * p).sum()
        q = place - b
        d3, d4 = (u * q).sum(), (v * q).sum()
        r = place - c
        d5, d6 = (u * r).sum(), (v * r).sum()
        va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
        if d1 <= 0.0 and d2 <= 0.0:
            near = a
        elif d3 >= 0.0 and d4 <= d3:
            near = b
        elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            near = a + u * (d1 / (d1 - d3))
        elif d6 >= 0.0 and d5 <= d6:
            near = c
        elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            near = a + v * (d2 / (d2 - d6))
        elif va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
            near = b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)))
        else:
            total = va + vb + vc
            near = a + u * (vb / total) + v * (vc / total) if total != 0.0 else a
        found[k] = ((place - near) ** 2).sum()
    return found


@kernel
def covered(points, triangles, pixels):
    """Which squares (pixels, pixels) of a grid have their middle behind a triangle; points (P, 2) in squares."""
    found = np.zeros((pixels, pixels), np.bool_)
    for k in range(len(triangles)):
        a, b, c = points[triangles[k, 0]], points[triangles[k, 1]], points[triangles[k, 2]]
        turn = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if turn == 0.0:
            continue
        if turn < 0.0:
            b, c = c, b
        x0, x1 = min(a[0], b[0], c[0]), max(a[0], b[0], c[0])
        y0, y1 = min(a[1], b[1], c[1]), max(a[1], b[1], c[1])
        for i in range(max(0, int(np.ceil(x0 - 0.5))), min(pixels, int(np.floor(x1 - 0.5)) + 1)):
            for j in range(max(0, int(np.ceil(y0 - 0.5))), min(pixels, int(np.floor(y1 - 0.5)) + 1)):
                x, y = i + 0.5, j + 0.5
                if (
                    (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]) >= 0.0
                    and (c[0] - b[0]) * (y - b[1]) - (c[1] - b[1]) * (x - b[0]) >= 0.0
                    and (a[0] - c[0]) * (y - c[1]) - (a[1] - c[1]) * (x - c[0]) >= 0.0
                ):
                    found[i, j] = True
    return found


@kernel
def painted(points, triangles, light, width, height):
    """The light (height, width) of the triangle that is nearest at each pixel, -1 where there is none.

    points (P, 3): places in pixels, and how near.
    """
    shade = np.full((height, width), -1.0)
    near = np.full((height, width), -np.inf)
    for k in range(len(triangles)):
        a, b, c = points[triangles[k, 0]], points[triangles[k, 1]], points[triangles[k, 2]]
        turn = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if turn == 0.0:
            continue
        x0, x1 = min(a[0], b[0], c[0]), max(a[0], b[0], c[0])
        y0, y1 = min(a[1], b[1], c[1]), max(a[1], b[1], c[1])
        for j in range(max(0, int(np.ceil(y0 - 0.5))), min(height, int(np.floor(y1 - 0.5)) + 1)):
            for i in range(max(0, int(np.ceil(x0 - 0.5))), min(width, int(np.floor(x1 - 0.5)) + 1)):
                x, y = i + 0.5, j + 0.5
                u = ((b[0] - x) * (c[1] - y) - (b[1] - y) * (c[0] - x)) / turn
                v = ((c[0] - x) * (a[1] - y) - (c[1] - y) * (a[0] - x)) / turn
                if u < 0.0 or v < 0.0 or u + v > 1.0:
                    continue
                depth = u * a[2] + v * b[2] + (1.0 - u - v) * c[2]
                if depth > near[j, i]:
                    near[j, i] = depth
                    shade[j, i] = light[k]
    return shade


@kernel
def linked(count, one, other):
    """Which part (count,) each of so many items belongs to when some pairs hang together: parts are numbered by their first
    items. Union by the lowest item, with paths halved. Tarjan & van Leeuwen (1984)."""
    root = np.arange(count)
    for k in range(len(one)):
        a, b = one[k], other[k]
        while root[a] != a:
            root[a] = root[root[a]]
            a = root[a]
        while root[b] != b:
            root[b] = root[root[b]]
            b = root[b]
        if a < b:
            root[b] = a
        else:
            root[a] = b
    parts = 0
    for i in range(count):
        a = root[i]
        if a == i:
            root[i] = parts
            parts += 1
        else:
            root[i] = root[a]  # the lowest item comes before, and has its number
    return root
