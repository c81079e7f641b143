"""Compiled loops over the triangles of a plane picture."""

import numpy as np

from brook.core.compiling.kernel import kernel


@kernel
def sort_into_bins(points, triangles, low, step, columns, rows):
    """Triangles whose box touches each bin, as CSR (offsets, list)."""
    counts = np.zeros(columns * rows + 1, np.int64)
    spans = np.empty((len(triangles), 4), np.int64)
    for t in range(len(triangles)):
        a, b, c = points[triangles[t, 0]], points[triangles[t, 1]], points[triangles[t, 2]]
        for k in range(2):
            least, most = min(a[k], b[k], c[k]), max(a[k], b[k], c[k])
            limit = columns if k == 0 else rows
            spans[t, 2 * k] = min(limit - 1, max(0, int((least - low[k]) / step[k] - 1e-9)))
            spans[t, 2 * k + 1] = min(limit - 1, max(0, int((most - low[k]) / step[k] + 1e-9)))
        for j in range(spans[t, 2], spans[t, 3] + 1):
            for i in range(spans[t, 0], spans[t, 1] + 1):
                counts[j * columns + i + 1] += 1
    offsets = np.cumsum(counts)
    found = np.empty(offsets[-1], np.int64)
    at = offsets[:-1].copy()
    for t in range(len(triangles)):
        for j in range(spans[t, 2], spans[t, 3] + 1):
            for i in range(spans[t, 0], spans[t, 1] + 1):
                found[at[j * columns + i]] = t
                at[j * columns + i] += 1
    return offsets, found


@kernel
def locate(points, triangles, low, step, columns, rows, offsets, found, places, slack):
    """The triangle (n,) that holds each place, -1 outside, and its shares of the three corners (n, 3)."""
    triangle = np.full(len(places), -1)
    share = np.zeros((len(places), 3))
    for n in range(len(places)):
        x, y = places[n]
        i, j = int((x - low[0]) / step[0]), int((y - low[1]) / step[1])
        if x < low[0] - slack * step[0] or y < low[1] - slack * step[1] or i > columns or j > rows:
            continue
        i, j = min(columns - 1, max(0, i)), min(rows - 1, max(0, j))
        best = -slack
        for k in range(offsets[j * columns + i], offsets[j * columns + i + 1]):
            t = found[k]
            a, b, c = points[triangles[t, 0]], points[triangles[t, 1]], points[triangles[t, 2]]
            area = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
            u = ((x - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (y - a[1])) / area
            v = ((b[0] - a[0]) * (y - a[1]) - (x - a[0]) * (b[1] - a[1])) / area
            least = min(u, v, 1.0 - u - v)
            if least > best:
                best = least
                triangle[n] = t
                share[n, 0], share[n, 1], share[n, 2] = 1.0 - u - v, u, v
                if least >= 0.0:
                    break
    return triangle, share


@kernel
def add_up_stream(order, parent, edge_flow, value):
    """ψ along a tree of edges: the value at each point from that of its parent."""
    for k in range(len(order)):
        p = order[k]
        if parent[p] >= 0:
            value[p] = value[parent[p]] + edge_flow[p]
    return value


@kernel
def crossing(level, one, other):
    """Where between two corner values a level lies, from 0 to 1; values on the level count as above it."""
    return (level - one) / (other - one)


@kernel
def trace_level(points, triangles, neighbours, value, seed, level, forward, longest):
    """The line of one level from a triangle on, through neighbours, until the boundary or round to the start.

    `neighbours` (T, 3): the triangle beyond the edge from corner k to k+1, -1 on the boundary. `forward`
    keeps larger values on the left. Returns places (n, 2) and whether the line is closed.
    """
    line = np.empty((longest, 2))
    count = 0
    t = seed
    entered = -1
    while count < longest:
        left = -1
        for k in range(3):
            a, b = value[triangles[t, k]] >= level, value[triangles[t, (k + 1) % 3]] >= level
            # corners run counter-clockwise: leaving over an edge from low to high keeps high on the left
            if k != entered and a != b and ((not a and b) == forward or entered >= 0):
                left = k
                break
        if left < 0:
            break
        p, q = triangles[t, left], triangles[t, (left + 1) % 3]
        s = crossing(level, value[p], value[q])
        line[count, 0] = points[p, 0] + s * (points[q, 0] - points[p, 0])
        line[count, 1] = points[p, 1] + s * (points[q, 1] - points[p, 1])
        count += 1
        beyond = neighbours[t, left]
        if beyond < 0:
            return line[:count], False
        entered = -1
        for k in range(3):
            if neighbours[beyond, k] == t and triangles[beyond, k] == q and triangles[beyond, (k + 1) % 3] == p:
                entered = k
        t = beyond
        if t == seed:
            return line[:count], True
    return line[:count], False
