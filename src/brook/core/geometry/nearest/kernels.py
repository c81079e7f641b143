"""Compiled searches for nearest places."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, prange
from brook.core.geometry.findings.kernels import LEAF

BLOCK = 64  # places looked for one after the other


@kernel(inline="always")
def _on_line(px, py, pz, ax, ay, az, bx, by, bz):
    ux, uy, uz = bx - ax, by - ay, bz - az
    below = ux * ux + uy * uy + uz * uz
    t = 0.0
    if below > 0.0:
        t = min(1.0, max(0.0, ((px - ax) * ux + (py - ay) * uy + (pz - az) * uz) / below))
    return ax + t * ux, ay + t * uy, az + t * uz


@kernel
def on_triangle(px, py, pz, corners, number):
    """The place on a triangle (by its number among corners (n, 3, 3)) that is nearest to (px, py, pz): over its inside,
    or else on the nearest of its sides. No part of an array is taken out: that would cost more than the rest."""
    ax, ay, az = corners[number, 0, 0], corners[number, 0, 1], corners[number, 0, 2]
    bx, by, bz = corners[number, 1, 0], corners[number, 1, 1], corners[number, 1, 2]
    cx, cy, cz = corners[number, 2, 0], corners[number, 2, 1], corners[number, 2, 2]
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - ax, cy - ay, cz - az
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    below = nx * nx + ny * ny + nz * nz
    wx, wy, wz = px - ax, py - ay, pz - az
    size = (ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz)
    if below > 1e-28 * size and below > 0.0:
        # shares of b and c
        s = ((wy * vz - wz * vy) * nx + (wz * vx - wx * vz) * ny + (wx * vy - wy * vx) * nz) / below
        t = ((uy * wz - uz * wy) * nx + (uz * wx - ux * wz) * ny + (ux * wy - uy * wx) * nz) / below
        if s >= 0.0 and t >= 0.0 and s + t <= 1.0:
            return ax + s * ux + t * vx, ay + s * uy + t * vy, az + s * uz + t * vz
    fx, fy, fz = _on_line(px, py, pz, ax, ay, az, bx, by, bz)
    best = (fx - px) ** 2 + (fy - py) ** 2 + (fz - pz) ** 2
    x, y, z = _on_line(px, py, pz, bx, by, bz, cx, cy, cz)
    far = (x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2
    if far < best:
        best, fx, fy, fz = far, x, y, z
    x, y, z = _on_line(px, py, pz, cx, cy, cz, ax, ay, az)
    if (x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2 < best:
        fx, fy, fz = x, y, z
    return fx, fy, fz


@kernel(inline="always")
def _to_box(px, py, pz, boxes, node):
    x = max(boxes[node, 0] - px, 0.0, px - boxes[node, 3])
    y = max(boxes[node, 1] - py, 0.0, py - boxes[node, 4])
    z = max(boxes[node, 2] - pz, 0.0, pz - boxes[node, 5])
    return x * x + y * y + z * z


@kernel(inline="always")
def _at_least(px, py, pz, corners, t):
    """How far it is at least, squared, to a triangle: to the box round it."""
    x0, x1, x2 = corners[t, 0, 0], corners[t, 1, 0], corners[t, 2, 0]
    y0, y1, y2 = corners[t, 0, 1], corners[t, 1, 1], corners[t, 2, 1]
    z0, z1, z2 = corners[t, 0, 2], corners[t, 1, 2], corners[t, 2, 2]
    x = max(min(x0, x1, x2) - px, 0.0, px - max(x0, x1, x2))
    y = max(min(y0, y1, y2) - py, 0.0, py - max(y0, y1, y2))
    z = max(min(z0, z1, z2) - pz, 0.0, pz - max(z0, z1, z2))
    return x * x + y * y + z * z


@kernel(parallel=True)
def nearest(places, wanted, hint, corners, label, boxes, leaves):
    """Nearest places (n, 3) on triangles of the wanted labels (-1: all), and the triangles (n,), -1 for none. `hint` has triangles (n,)
    that are near, -1 or nothing (0,) where none is known."""
    count = len(places)
    found = np.empty((count, 3))
    triangle = np.full(count, -1, np.int64)
    for block in prange((count + BLOCK - 1) // BLOCK):
        stack = np.empty(64, np.int64)
        away = np.empty(64)
        near = -1  # places come in rows mostly: what was nearest to the one before bounds the search
        for k in range(block * BLOCK, min(count, (block + 1) * BLOCK)):
            px, py, pz = places[k, 0], places[k, 1], places[k, 2]
            found[k, 0], found[k, 1], found[k, 2] = px, py, pz
            stack[0], away[0], top = 1, 0.0, 1
            best = np.inf
            if k < len(hint) and hint[k] >= 0:
                near = hint[k]
            if near >= 0 and (wanted[k] < 0 or label[near] == wanted[k]):
                x, y, z = on_triangle(px, py, pz, corners, near)
                # a little more, so that it is found again as if it had not been known
                best = 1.000001 * ((x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2) + 1e-300
            while top:
                top -= 1
                node = stack[top]
                if away[top] >= best:
                    continue
                if node >= leaves:
                    begin = (node - leaves) * LEAF
                    for t in range(begin, min(begin + LEAF, len(corners))):
                        if wanted[k] >= 0 and label[t] != wanted[k]:
                            continue
                        if _at_least(px, py, pz, corners, t) >= best:
                            continue
                        x, y, z = on_triangle(px, py, pz, corners, t)
                        far = (x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2
                        if far < best:
                            best = far
                            found[k, 0], found[k, 1], found[k, 2] = x, y, z
                            triangle[k] = t
                    continue
                one, other = 2 * node, 2 * node + 1
                d_one, d_other = _to_box(px, py, pz, boxes, one), _to_box(px, py, pz, boxes, other)
                if d_one < d_other:  # the nearer one is looked into first
                    one, other = other, one
                    d_one, d_other = d_other, d_one
                if d_one < best:
                    stack[top], away[top] = one, d_one
                    top += 1
                if d_other < best:
                    stack[top], away[top] = other, d_other
                    top += 1
            near = triangle[k]
    return found, triangle


@kernel(parallel=True)
def labels_near(places, reach, corners, label, boxes, leaves, most):
    """The nearest labels (n, most) within reach, how far (n, most), and the triangle (n, most) nearest of each."""
    count = len(places)
    labels = np.full((count, most), -1, np.int64)
    fars = np.full((count, most), np.inf)
    triangles = np.full((count, most), -1, np.int64)
    for k in prange(count):
        px, py, pz = places[k, 0], places[k, 1], places[k, 2]
        limit = reach[k] * reach[k]
        stack = np.empty(64, np.int64)
        stack[0], top, kinds = 1, 1, 0
        while top:
            top -= 1
            node = stack[top]
            if _to_box(px, py, pz, boxes, node) > limit:
                continue
            if node < leaves:
                stack[top], stack[top + 1] = 2 * node, 2 * node + 1
                top += 2
                continue
            begin = (node - leaves) * LEAF
            for t in range(begin, min(begin + LEAF, len(corners))):
                if _at_least(px, py, pz, corners, t) > limit:
                    continue
                x, y, z = on_triangle(px, py, pz, corners, t)
                far = (x - px) ** 2 + (y - py) ** 2 + (z - pz) ** 2
                if far > limit:
                    continue
                at = 0
                while at < kinds and labels[k, at] != label[t]:
                    at += 1
                if at == kinds:
                    if kinds == most:  # the farthest gives way
                        at = 0
                        for m in range(1, most):
                            if fars[k, m] > fars[k, at]:
                                at = m
                        if fars[k, at] <= far:
                            continue
                        fars[k, at] = np.inf
                        labels[k, at] = label[t]
                    else:
                        kinds += 1
                        labels[k, at] = label[t]
                if far < fars[k, at]:
                    fars[k, at], triangles[k, at] = far, t
        for m in range(1, kinds):
            far, kind, t, at = fars[k, m], labels[k, m], triangles[k, m], m
            while at > 0 and fars[k, at - 1] > far:
                fars[k, at], labels[k, at], triangles[k, at] = fars[k, at - 1], labels[k, at - 1], triangles[k, at - 1]
                at -= 1
            fars[k, at], labels[k, at], triangles[k, at] = far, kind, t
        for m in range(kinds):
            fars[k, m] = np.sqrt(fars[k, m])
    return labels, fars, triangles


@kernel(parallel=True)
def signed(places, found, triangle, points, triangles, edges_of, normal, edge_normal, point_normal):
    """Distances (n,) of places to their nearest places on a surface, negative behind it."""
    count = len(places)
    far = np.empty(count)
    for k in prange(count):
        t = triangle[k]
        uu, uv, vv, wu, wv = 0.0, 0.0, 0.0, 0.0, 0.0
        for i in range(3):
            a = points[triangles[t, 0], i]
            u, v, w = points[triangles[t, 1], i] - a, points[triangles[t, 2], i] - a, found[k, i] - a
            uu, uv, vv, wu, wv = uu + u * u, uv + u * v, vv + v * v, wu + w * u, wv + w * v
        below = uu * vv - uv * uv
        s, r = 0.0, 0.0
        if below > 0.0:
            s, r = (vv * wu - uv * wv) / below, (uu * wv - uv * wu) / below
        near, out, zero, largest = 0, 0, 0, -np.inf
        for i in range(3):
            share = 1.0 - s - r if i == 0 else s if i == 1 else r
            if share <= 1e-9:
                zero += 1
                out = i
            if share > largest:
                near, largest = i, share
        if zero >= 2:
            side = point_normal[triangles[t, near]]
        elif zero == 1:
            side = edge_normal[edges_of[t, (out + 1) % 3]]
        else:
            side = normal[t]
        squared, before = 0.0, 0.0
        for i in range(3):
            way = places[k, i] - found[k, i]
            squared += way * way
            before += way * side[i]
        far[k] = np.sqrt(squared) if before >= 0.0 else -np.sqrt(squared)
    return far


@kernel(inline="always")
def _enters(ox, oy, oz, ix, iy, iz, boxes, node, best):
    """How far along a ray it is to a box, infinity when it is empty or not met before `best`; ix, iy, iz are one over its way."""
    if boxes[node, 0] > boxes[node, 3]:
        return np.inf
    ax, bx = (boxes[node, 0] - ox) * ix, (boxes[node, 3] - ox) * ix
    ay, by = (boxes[node, 1] - oy) * iy, (boxes[node, 4] - oy) * iy
    az, bz = (boxes[node, 2] - oz) * iz, (boxes[node, 5] - oz) * iz
    near = max(0.0, min(ax, bx), min(ay, by), min(az, bz))
    far = min(best, max(ax, bx), max(ay, by), max(az, bz))
    return near if near <= far else np.inf


@kernel(inline="always")
def _to_triangle(ox, oy, oz, wx, wy, wz, corners, t):
    """How far along a ray it is to a triangle, infinity when it is not met or the ray begins in it. Möller & Trumbore (1997)."""
    ax, ay, az = corners[t, 0, 0], corners[t, 0, 1], corners[t, 0, 2]
    ux, uy, uz = corners[t, 1, 0] - ax, corners[t, 1, 1] - ay, corners[t, 1, 2] - az
    vx, vy, vz = corners[t, 2, 0] - ax, corners[t, 2, 1] - ay, corners[t, 2, 2] - az
    hx, hy, hz = wy * vz - wz * vy, wz * vx - wx * vz, wx * vy - wy * vx
    det = ux * hx + uy * hy + uz * hz
    far = np.inf
    if det != 0.0:
        sx, sy, sz = ox - ax, oy - ay, oz - az
        u = (sx * hx + sy * hy + sz * hz) / det
        qx, qy, qz = sy * uz - sz * uy, sz * ux - sx * uz, sx * uy - sy * ux
        v = (wx * qx + wy * qy + wz * qz) / det
        if u >= 0.0 and v >= 0.0 and u + v <= 1.0:
            s = (vx * qx + vy * qy + vz * qz) / det
            size = abs(ux) + abs(uy) + abs(uz) + abs(vx) + abs(vy) + abs(vz)
            if s > 1e-9 * size:
                far = s
    return far


@kernel(parallel=True)
def along(places, ways, reach, corners, boxes, leaves):
    """How far it is from places (n, 3) along unit ways (n, 3) to the first triangle within `reach`, and which (n,), infinity and -1
    for none. The nearer of two boxes is looked into first.

    Triangles in which a place lies do not count.
    """
    count = len(places)
    far, triangle = np.full(count, np.inf), np.full(count, -1, np.int64)
    for block in prange((count + BLOCK - 1) // BLOCK):
        stack = np.empty(64, np.int64)
        away = np.empty(64)
        for k in range(block * BLOCK, min(count, (block + 1) * BLOCK)):
            ox, oy, oz = places[k, 0], places[k, 1], places[k, 2]
            wx, wy, wz = ways[k, 0], ways[k, 1], ways[k, 2]
            # no way is quite along a plane of boxes
            ix = 1.0 / wx if abs(wx) > 1e-30 else 1e30
            iy = 1.0 / wy if abs(wy) > 1e-30 else 1e30
            iz = 1.0 / wz if abs(wz) > 1e-30 else 1e30
            stack[0], away[0], top = 1, 0.0, 1
            best = reach
            while top:
                top -= 1
                node = stack[top]
                if away[top] > best:
                    continue
                if node < leaves:
                    one, other = 2 * node, 2 * node + 1
                    d_one = _enters(ox, oy, oz, ix, iy, iz, boxes, one, best)
                    d_other = _enters(ox, oy, oz, ix, iy, iz, boxes, other, best)
                    if d_one < d_other:
                        one, other = other, one
                        d_one, d_other = d_other, d_one
                    if d_one < np.inf:
                        stack[top], away[top] = one, d_one
                        top += 1
                    if d_other < np.inf:
                        stack[top], away[top] = other, d_other
                        top += 1
                    continue
                begin = (node - leaves) * LEAF
                for t in range(begin, min(begin + LEAF, len(corners))):
                    s = _to_triangle(ox, oy, oz, wx, wy, wz, corners, t)
                    if s < best:
                        best = s
                        triangle[k] = t
            if triangle[k] >= 0:
                far[k] = best
    return far, triangle
