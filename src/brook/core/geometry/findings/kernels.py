"""Compiled searches over the triangles of a surface."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, prange

LEAF, CHUNKS = 4, 64
ROUND_OFF = 2e-15  # of the permanent: determinants below are taken as nothing
NOISE = 4e-16  # of the largest coordinate: places are not known better


@kernel
def free_loops(start, end):
    """Chains edges (n,) to closed lines: the loop of each edge, its place in the loop, and whether it is gone backwards.

    Edges are followed forwards as far as there are such, backwards beside triangles that look the other way.
    """
    count = len(start)
    most = 0
    for k in range(count):
        most = max(most, start[k], end[k])
    offsets = np.zeros(most + 2, np.int64)
    for k in range(count):
        offsets[start[k] + 1] += 1
        offsets[end[k] + 1] += 1
    offsets = np.cumsum(offsets)
    near = np.empty(2 * count, np.int64)
    at = offsets[:-1].copy()
    for k in range(count):
        for point in (start[k], end[k]):
            near[at[point]] = k
            at[point] += 1
    loop = np.full(count, -1, np.int64)
    rank = np.zeros(count, np.int64)
    back = np.zeros(count, np.bool_)
    passed = np.full(most + 1, -1, np.int64)  # where on the way each point was left
    way = np.empty(count, np.int64)
    left = np.empty(count, np.int64)
    loops = 0
    for k in range(count):
        if loop[k] != -1:
            continue
        length, edge, point = 0, k, start[k]
        while edge >= 0:
            loop[edge] = -2
            back[edge] = start[edge] != point
            passed[point] = length
            way[length], left[length] = edge, point
            length += 1
            point = start[edge] if back[edge] else end[edge]
            if passed[point] >= 0:  # closed: what lies between is a loop of its own
                begun = passed[point]
                for n in range(begun, length):
                    loop[way[n]], rank[way[n]] = loops, n - begun
                    passed[left[n]] = -1
                loops += 1
                length = begun
            edge = -1
            for n in range(offsets[point], offsets[point + 1]):
                if loop[near[n]] == -1 and (edge < 0 or (start[edge] != point and start[near[n]] == point)):
                    edge = near[n]
        if length:
            for n in range(length):
                loop[way[n]], rank[way[n]] = loops, n
                passed[left[n]] = -1
            loops += 1
    return loop, rank, back


@kernel
def spread(count, offsets, near, same):
    """Side 0 or 1 (T,) of each triangle so that neighbours with `same` agree and others differ, the shell (T,)
    it was reached in, and how many neighbours contradict. `offsets`, `near`, `same`: CSR of neighbours."""
    side = np.full(count, -1, np.int8)
    shell = np.empty(count, np.int64)
    queue = np.empty(count, np.int64)
    shells, against = 0, 0
    for k in range(count):
        if side[k] >= 0:
            continue
        side[k] = 0
        shell[k] = shells
        queue[0] = k
        head, tail = 0, 1
        while head < tail:
            t = queue[head]
            head += 1
            for n in range(offsets[t], offsets[t + 1]):
                wanted = side[t] if same[n] else 1 - side[t]
                other = near[n]
                if side[other] < 0:
                    side[other] = wanted
                    shell[other] = shells
                    queue[tail] = other
                    tail += 1
                elif side[other] != wanted:
                    against += 1
        shells += 1
    return side, shell, against // 2


# -- pairs of triangles that cut each other -----------------------------------------------------------


@kernel
def _spread_bits(v):
    v = v & 0x1FFFFF
    v = (v | v << 32) & 0x1F00000000FFFF
    v = (v | v << 16) & 0x1F0000FF0000FF
    v = (v | v << 8) & 0x100F00F00F00F00F
    v = (v | v << 4) & 0x10C30C30C30C30C3
    return (v | v << 2) & 0x1249249249249249


@kernel(parallel=True)
def morton(middle, low, scale):
    """The place of points (n, 3) on a curve that keeps near ones together."""
    code = np.empty(len(middle), np.int64)
    for k in prange(len(middle)):
        x = np.int64((middle[k, 0] - low[0]) * scale)
        y = np.int64((middle[k, 1] - low[1]) * scale)
        z = np.int64((middle[k, 2] - low[2]) * scale)
        code[k] = _spread_bits(x) | _spread_bits(y) << 1 | _spread_bits(z) << 2
    return code


@kernel
def tree_boxes(low, high, order, leaves):
    """Boxes (2 leaves, 6) of a complete binary tree over triangles in their order, LEAF to a leaf."""
    boxes = np.empty((2 * leaves, 6))
    boxes[:, :3] = np.inf
    boxes[:, 3:] = -np.inf
    for k in range(len(order)):
        node = leaves + k // LEAF
        for i in range(3):
            boxes[node, i] = min(boxes[node, i], low[order[k], i])
            boxes[node, 3 + i] = max(boxes[node, 3 + i], high[order[k], i])
    for node in range(leaves - 1, 0, -1):
        for i in range(3):
            boxes[node, i] = min(boxes[2 * node, i], boxes[2 * node + 1, i])
            boxes[node, 3 + i] = max(boxes[2 * node, 3 + i], boxes[2 * node + 1, 3 + i])
    return boxes


@kernel(inline="always")
def _across(ax, ay, az, bx, by, bz):
    return abs(ay * bz - az * by) + abs(az * bx - ax * bz) + abs(ax * by - ay * bx)


@kernel
def _above(a, b, c, d, noise):
    """Six times the volume of a, b, c, d: how far d lies over their plane; nothing within round-off.

    `noise` in m is how well places are known: what moving them by as much could turn is nothing too.
    """
    ax, ay, az = a[0] - d[0], a[1] - d[1], a[2] - d[2]
    bx, by, bz = b[0] - d[0], b[1] - d[1], b[2] - d[2]
    cx, cy, cz = c[0] - d[0], c[1] - d[1], c[2] - d[2]
    u, v, w = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
    value = ax * u + ay * v + az * w
    bound = abs(ax) * (abs(by * cz) + abs(bz * cy)) + abs(ay) * (abs(bz * cx) + abs(bx * cz))
    bound += abs(az) * (abs(bx * cy) + abs(by * cx))
    if abs(value) <= ROUND_OFF * bound:
        return 0.0
    reach = max(abs(ax), abs(ay), abs(az), abs(bx), abs(by), abs(bz), abs(cx), abs(cy), abs(cz))
    if abs(value) < 36.0 * noise * reach * reach:
        turn = _across(ax, ay, az, bx, by, bz) + _across(bx, by, bz, cx, cy, cz) + _across(ax, ay, az, cx, cy, cz)
        if abs(value) <= 2.0 * noise * turn:
            return 0.0
    return value


@kernel
def _stretch(p, d):
    """From where to where a triangle cuts a plane: its corners' places p (3,) along a line, heights d (3,) over the plane."""
    least, most = np.inf, -np.inf
    for i in range(3):
        j = (i + 1) % 3
        if d[i] == 0.0:
            least, most = min(least, p[i]), max(most, p[i])
        if d[i] * d[j] < 0.0:
            at = p[i] + (p[j] - p[i]) * (d[i] / (d[i] - d[j]))
            least, most = min(least, at), max(most, at)
    return least, most


@kernel
def _normal(a, b, c):
    """The area vector of a triangle, twice as long."""
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@kernel
def _longest(x, y, z):
    """Along which axis a vector is longest, the first of such."""
    axis = 1 if abs(y) > abs(x) else 0
    return 2 if abs(z) > max(abs(x), abs(y)) else axis


@kernel
def _sides(heights):
    """How many of three heights are over nothing, and how many under."""
    over, under = 0, 0
    for i in range(3):
        over += heights[i] > 0.0
        under += heights[i] < 0.0
    return over, under


@kernel
def _overlap_in_plane(a0, a1, a2, b0, b1, b2):
    """Whether two triangles in one plane share more than an edge: no edge of either keeps them apart."""
    x, y, z = _normal(a0, a1, a2)
    drop = _longest(x, y, z)
    u, v = (drop + 1) % 3, (drop + 2) % 3
    for turn in range(2):
        first, second = ((a0, a1, a2), (b0, b1, b2)) if turn == 0 else ((b0, b1, b2), (a0, a1, a2))
        for k in range(3):
            a, b = first[k], first[(k + 1) % 3]
            x, y = -(b[v] - a[v]), b[u] - a[u]
            least, most, there_least, there_most = np.inf, -np.inf, np.inf, -np.inf
            for m in range(3):
                value = x * (first[m][u] - a[u]) + y * (first[m][v] - a[v])
                least, most = min(least, value), max(most, value)
                value = x * (second[m][u] - a[u]) + y * (second[m][v] - a[v])
                there_least, there_most = min(there_least, value), max(there_most, value)
            slack = 1e-9 * (most - least)
            if there_least >= most - slack or there_most <= least + slack:
                return False
    return True


@kernel
def _cut(points, one, other, noise):
    """Whether two triangles (3,) of point numbers meet along a line, besides along edges of both, or overlap."""
    shared = 0
    for i in range(3):
        for j in range(3):
            shared += one[i] == other[j]
    if shared >= 2:
        return False
    a0, a1, a2 = points[one[0]], points[one[1]], points[one[2]]
    b0, b1, b2 = points[other[0]], points[other[1]], points[other[2]]
    theirs = (_above(a0, a1, a2, b0, noise), _above(a0, a1, a2, b1, noise), _above(a0, a1, a2, b2, noise))
    over, under = _sides(theirs)
    if over == 3 or under == 3:
        return False
    if over + under == 0:
        return _overlap_in_plane(a0, a1, a2, b0, b1, b2)
    on = 3 - over - under
    mine = (_above(b0, b1, b2, a0, noise), _above(b0, b1, b2, a1, noise), _above(b0, b1, b2, a2, noise))
    over, under = _sides(mine)
    if over == 3 or under == 3:
        return False
    if over + under <= 1 and on >= 2:
        return False  # edge on edge, as at a seam
    ux, uy, uz = _normal(a0, a1, a2)
    vx, vy, vz = _normal(b0, b1, b2)
    axis = _longest(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx)
    low, high = _stretch((a0[axis], a1[axis], a2[axis]), mine)
    there_low, there_high = _stretch((b0[axis], b1[axis], b2[axis]), theirs)
    slack = 1e-9 * max(high - low, there_high - there_low)
    return min(high, there_high) - max(low, there_low) > slack


@kernel
def _visit(leaf, leaves, levels, order, low, high, boxes, points, triangles, found, count, noise):
    """Writes the pairs of a leaf's triangles with those of itself and of later leaves, as far as there is room."""
    stack = np.empty(128, np.int64)
    height = np.empty(128, np.int64)
    own = boxes[leaves + leaf]
    first, last = leaf * LEAF, min((leaf + 1) * LEAF, len(order))
    stack[0], height[0], top = 1, levels, 1
    while top:
        top -= 1
        node, up = stack[top], height[top]
        if ((node + 1) << up) - leaves <= leaf:
            continue  # all of it stands before this leaf
        box = boxes[node]
        if (
            box[0] > own[3] or box[1] > own[4] or box[2] > own[5]
            or box[3] < own[0] or box[4] < own[1] or box[5] < own[2]
        ):  # fmt: skip
            continue
        if up:
            stack[top], stack[top + 1] = 2 * node, 2 * node + 1
            height[top], height[top + 1] = up - 1, up - 1
            top += 2
            continue
        begin = (node - leaves) * LEAF
        end = min(begin + LEAF, len(order))
        for k in range(first, last):
            t = order[k]
            for m in range(max(begin, k + 1), end):
                s = order[m]
                if (
                    low[s, 0] > high[t, 0] or low[s, 1] > high[t, 1] or low[s, 2] > high[t, 2]
                    or high[s, 0] < low[t, 0] or high[s, 1] < low[t, 1] or high[s, 2] < low[t, 2]
                ):  # fmt: skip
                    continue
                if _cut(points, triangles[t], triangles[s], noise):
                    if count < len(found):
                        found[count, 0], found[count, 1] = t, s
                    count += 1
    return count


@kernel(parallel=True)
def crossing_pairs(order, low, high, boxes, leaves, points, triangles, room):
    """Pairs of triangles that cut each other, in CHUNKS lists (CHUNKS, room, 2), and how many each would hold."""
    found = np.empty((CHUNKS, room, 2), np.int64)
    counts = np.zeros(CHUNKS, np.int64)
    used = (len(order) + LEAF - 1) // LEAF
    noise = NOISE * np.abs(points).max()
    levels = 0
    while 1 << levels < leaves:
        levels += 1
    for chunk in prange(CHUNKS):
        count = np.int64(0)  # a plain 0 would have the call compiled for itself too
        for leaf in range(chunk * used // CHUNKS, (chunk + 1) * used // CHUNKS):
            count = _visit(leaf, leaves, levels, order, low, high, boxes, points, triangles, found[chunk], count, noise)
        counts[chunk] = count
    return found, counts


@kernel(parallel=True)
def solid_angle(corners, place):
    """The solid angle that triangles (T, 3, 3) fill seen from a place (3,). Van Oosterom & Strackee (1983)."""
    total = 0.0
    for k in prange(len(corners)):
        ax, ay, az = corners[k, 0, 0] - place[0], corners[k, 0, 1] - place[1], corners[k, 0, 2] - place[2]
        bx, by, bz = corners[k, 1, 0] - place[0], corners[k, 1, 1] - place[1], corners[k, 1, 2] - place[2]
        cx, cy, cz = corners[k, 2, 0] - place[0], corners[k, 2, 1] - place[1], corners[k, 2, 2] - place[2]
        la, lb, lc = (
            np.sqrt(ax * ax + ay * ay + az * az),
            np.sqrt(bx * bx + by * by + bz * bz),
            np.sqrt(cx * cx + cy * cy + cz * cz),
        )
        above = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
        below = la * lb * lc
        below += (
            (ax * bx + ay * by + az * bz) * lc + (ax * cx + ay * cy + az * cz) * lb + (bx * cx + by * cy + bz * cz) * la
        )
        total += 2.0 * np.arctan2(above, below)
    return total


@kernel(parallel=True)
def first_seen(points, triangles, place, way):
    """How far along a way (3,), in lengths of it, triangles are first met from a place (3,); inf when none is.

    Möller & Trumbore (1997).
    """
    nearest = np.full(CHUNKS, np.inf)
    count = len(triangles)
    for chunk in prange(CHUNKS):
        best = np.inf
        for k in range(chunk * count // CHUNKS, (chunk + 1) * count // CHUNKS):
            a, b, c = points[triangles[k, 0]], points[triangles[k, 1]], points[triangles[k, 2]]
            ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
            vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
            hx, hy, hz = way[1] * vz - way[2] * vy, way[2] * vx - way[0] * vz, way[0] * vy - way[1] * vx
            det = ux * hx + uy * hy + uz * hz
            if det == 0.0:
                continue
            sx, sy, sz = place[0] - a[0], place[1] - a[1], place[2] - a[2]
            p = (sx * hx + sy * hy + sz * hz) / det
            if p < 0.0 or p > 1.0:
                continue
            qx, qy, qz = sy * uz - sz * uy, sz * ux - sx * uz, sx * uy - sy * ux
            q = (way[0] * qx + way[1] * qy + way[2] * qz) / det
            if q < 0.0 or p + q > 1.0:
                continue
            t = (vx * qx + vy * qy + vz * qz) / det
            if 0.0 < t < best:
                best = t
        nearest[chunk] = best
    return nearest.min()
