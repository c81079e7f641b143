"""Compiled loops over the boxes of an octree. Boxes are numbered along a Morton curve; coordinates count finest boxes."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, prange

WIDE = 21  # bits of a coordinate
ONE = (1 << WIDE) - 1


@kernel(inline="always")
def _spread(v):
    v = np.int64(v) & 0x1FFFFF
    v = (v | v << 32) & 0x1F00000000FFFF
    v = (v | v << 16) & 0x1F0000FF0000FF
    v = (v | v << 8) & 0x100F00F00F00F00F
    v = (v | v << 4) & 0x10C30C30C30C30C3
    return (v | v << 2) & 0x1249249249249249


@kernel(inline="always")
def _gather(v):
    v = np.int64(v) & 0x1249249249249249
    v = (v | v >> 2) & 0x10C30C30C30C30C3
    v = (v | v >> 4) & 0x100F00F00F00F00F
    v = (v | v >> 8) & 0x1F0000FF0000FF
    v = (v | v >> 16) & 0x1F00000000FFFF
    return (v | v >> 32) & 0x1FFFFF


@kernel(inline="always")
def code_of(x, y, z):
    """The place of a box in the order of Morton (1966), from its whole-numbered coordinates."""
    return _spread(x) | _spread(y) << 1 | _spread(z) << 2


@kernel
def encode(at):
    """Codes (n,) of coordinates (n, 3)."""
    code = np.empty(len(at), np.int64)
    for k in range(len(at)):
        code[k] = code_of(at[k, 0], at[k, 1], at[k, 2])
    return code


@kernel
def decode(code):
    """Coordinates (n, 3) of codes (n,)."""
    at = np.empty((len(code), 3), np.int64)
    for k in range(len(code)):
        at[k, 0], at[k, 1], at[k, 2] = _gather(code[k]), _gather(code[k] >> 1), _gather(code[k] >> 2)
    return at


@kernel
def around(code, shape):
    """Codes of boxes and of all 26 around each, as far as they lie in a grid of a shape (3,); with repetitions."""
    found = np.empty(27 * len(code), np.int64)
    count = 0
    for k in range(len(code)):
        x, y, z = _gather(code[k]), _gather(code[k] >> 1), _gather(code[k] >> 2)
        for i in range(max(x - 1, 0), min(x + 2, shape[0])):
            for j in range(max(y - 1, 0), min(y + 2, shape[1])):
                for m in range(max(z - 1, 0), min(z + 2, shape[2])):
                    found[count] = code_of(i, j, m)
                    count += 1
    return found[:count]


@kernel(inline="always")
def _apart(p0, p1, room):
    """Whether a stretch between two numbers lies beyond -room … room."""
    return min(p0, p1) > room or max(p0, p1) < -room


@kernel(inline="always")
def _edge_parts(ex, ey, ez, px, py, pz, qx, qy, qz, h):
    """Whether an axis across an edge and one of the directions parts the cube from a corner at its end and the third."""
    x, y, z = abs(ex), abs(ey), abs(ez)
    return (
        _apart(ey * pz - ez * py, ey * qz - ez * qy, h * (y + z))
        or _apart(ez * px - ex * pz, ez * qx - ex * qz, h * (z + x))
        or _apart(ex * py - ey * px, ex * qy - ey * qx, h * (x + y))
    )


@kernel
def _meets(x, y, z, h, corners, t):
    """Whether triangle t of corners (n, 3, 3) meets a cube of half side h about (x, y, z). Akenine-Möller (2001)."""
    ax, bx, cx = corners[t, 0, 0] - x, corners[t, 1, 0] - x, corners[t, 2, 0] - x
    if min(ax, bx, cx) > h or max(ax, bx, cx) < -h:
        return False
    ay, by, cy = corners[t, 0, 1] - y, corners[t, 1, 1] - y, corners[t, 2, 1] - y
    if min(ay, by, cy) > h or max(ay, by, cy) < -h:
        return False
    az, bz, cz = corners[t, 0, 2] - z, corners[t, 1, 2] - z, corners[t, 2, 2] - z
    if min(az, bz, cz) > h or max(az, bz, cz) < -h:
        return False
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - bx, cy - by, cz - bz
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    if abs(nx * ax + ny * ay + nz * az) > h * (abs(nx) + abs(ny) + abs(nz)):
        return False
    return not (
        _edge_parts(ux, uy, uz, ax, ay, az, cx, cy, cz, h)
        or _edge_parts(vx, vy, vz, bx, by, bz, ax, ay, az, h)
        or _edge_parts(ax - cx, ay - cy, az - cz, cx, cy, cz, bx, by, bz, h)
    )


@kernel
def first_pairs(corners, shape, room):
    """Pairs of coarsest boxes (side 1, in a grid of a shape) and the triangles (n, 3, 3) that meet them; count."""
    code, triangle = np.empty(room, np.int64), np.empty(room, np.int64)
    count = 0
    for t in range(len(corners)):
        low, high = np.empty(3, np.int64), np.empty(3, np.int64)
        for i in range(3):
            least = min(corners[t, 0, i], corners[t, 1, i], corners[t, 2, i])
            most = max(corners[t, 0, i], corners[t, 1, i], corners[t, 2, i])
            low[i] = max(0, int(np.floor(least - 1e-6)))
            high[i] = min(shape[i] - 1, int(np.floor(most + 1e-6)))
        for x in range(low[0], high[0] + 1):
            for y in range(low[1], high[1] + 1):
                for z in range(low[2], high[2] + 1):
                    if _meets(x + 0.5, y + 0.5, z + 0.5, 0.500001, corners, t):
                        if count < room:
                            code[count], triangle[count] = code_of(x, y, z), t
                        count += 1
    return code, triangle, count


@kernel(parallel=True)
def meeting_children(code, triangle, corners, scale):
    """Which of the eight parts (n, 8) of boxes with a triangle meet it; corners count boxes of the coarsest size,
    of which the parts are `scale`."""
    meets = np.zeros((len(code), 8), np.bool_)
    for k in prange(len(code)):
        t = triangle[k]
        for child in range(8):
            part = code[k] << 3 | child
            x, y, z = _gather(part), _gather(part >> 1), _gather(part >> 2)
            meets[k, child] = _meets(
                (x + 0.5) * scale, (y + 0.5) * scale, (z + 0.5) * scale, 0.500001 * scale, corners, t
            )  # fmt: skip
    return meets


@kernel(inline="always")
def _leaf_at(code, wanted, near):
    """The last leaf whose code is not over the wanted one; looked for from the leaf `near` on, ever further."""
    low, high, step = near, near + 1, 1
    while low > 0 and code[low] > wanted:
        low, high = max(0, low - step), low
        step *= 2
    while high < len(code) and code[high] <= wanted:
        low, high = high, min(len(code), high + step)
        step *= 2
    while high - low > 1:
        middle = (low + high) // 2
        if code[middle] <= wanted:
            low = middle
        else:
            high = middle
    return low


@kernel(parallel=True)
def faces_between(code, at, side, shape):
    """The neighbour (n, 6) of each leaf over its sides −x, +x, −y, … : a leaf of its size or larger; -1 where the grid
    (`shape` finest boxes) ends or leaves are left out, -2 where there are smaller ones."""
    found = np.empty((len(code), 6), np.int64)
    for k in prange(len(code)):
        for d in range(6):
            i = d // 2
            x, y, z = at[k, 0], at[k, 1], at[k, 2]
            step = side[k] if d % 2 else -1
            if i == 0:
                x += step
            elif i == 1:
                y += step
            else:
                z += step
            if x < 0 or y < 0 or z < 0 or x >= shape[0] or y >= shape[1] or z >= shape[2]:
                found[k, d] = -1
                continue
            wanted = code_of(x, y, z)
            other = _leaf_at(code, wanted, np.int64(k))
            if code[other] > wanted or wanted >= code[other] + side[other] ** 3:
                found[k, d] = -1  # nothing is kept of what lies there
            else:
                found[k, d] = -2 if side[other] < side[k] else other
    return found


@kernel
def side_pairs(beside, side):
    """Every pair of leaves that share a side once, from what lies over the sides `beside` (n, 6): the leaf not larger,
    its side, and the other, -1 where the grid ends."""
    count = 0
    for turn in range(2):
        if turn:
            leaf, direction, other = np.empty(count, np.int64), np.empty(count, np.int64), np.empty(count, np.int64)
            count = 0
        for k in range(len(beside)):
            for d in range(6):
                there = beside[k, d]
                if there == -1 or (there >= 0 and (side[there] > side[k] or d % 2 == 1)):
                    if turn:
                        leaf[count], direction[count], other[count] = k, d, there
                    count += 1
    return leaf, direction, other


@kernel
def exposed(leaf, direction, other, side, inside):
    """The share (n, 6) of each side of leaves inside that looks at leaves that are not, from pairs of leaves."""
    found = np.zeros((len(inside), 6))
    for k in range(len(leaf)):
        one, two = leaf[k], other[k]
        there = two >= 0 and inside[two]
        if inside[one] and not there:
            found[one, direction[k]] = 1.0
        elif there and not inside[one]:
            found[two, direction[k] ^ 1] += (side[one] / side[two]) ** 2
    return found


# corners of the six sides of a box, seen from outside anticlockwise
SIDES = np.array([
    [[0, 0, 0], [0, 0, 1], [0, 1, 1], [0, 1, 0]], [[1, 0, 0], [1, 1, 0], [1, 1, 1], [1, 0, 1]],
    [[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]], [[0, 1, 0], [0, 1, 1], [1, 1, 1], [1, 1, 0]],
    [[0, 0, 0], [0, 1, 0], [1, 1, 0], [1, 0, 0]], [[0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]],
])  # fmt: skip


@kernel(parallel=True)
def quads(leaf, direction, at, side, turned):
    """Keys (n, 4) of the corners of sides of leaves, anticlockwise seen from outside, or clockwise where `turned` (n,)."""
    key = np.empty((len(leaf), 4), np.int64)
    for f in prange(len(leaf)):
        k = leaf[f]
        for c in range(4):
            x = at[k, 0] + side[k] * SIDES[direction[f], c, 0]
            y = at[k, 1] + side[k] * SIDES[direction[f], c, 1]
            z = at[k, 2] + side[k] * SIDES[direction[f], c, 2]
            key[f, 3 - c if turned[f] else c] = x | y << WIDE | z << (2 * WIDE)
    return key


@kernel
def _rows(nodes):
    """Where in sorted `nodes` each row of them begins, those of one z and of 2**drop values of y: (rows + 1,), rows at one z, drop."""
    count = len(nodes)
    tall = (nodes[-1] >> (2 * WIDE)) + 1 if count else 1
    deep = 1
    for k in range(count):
        deep = max(deep, (nodes[k] >> WIDE & ONE) + 1)
    drop = 0
    while tall * ((deep >> drop) + 1) > 4 * count + 64 and deep >> drop > 0:
        drop += 1
    wide = (deep >> drop) + 1
    start = np.zeros(tall * wide + 1, np.int64)
    for k in range(count):
        start[(nodes[k] >> (2 * WIDE)) * wide + ((nodes[k] >> WIDE & ONE) >> drop) + 1] += 1
    for r in range(tall * wide):
        start[r + 1] += start[r]
    return start, wide, drop


@kernel
def _find(keys, key, start, wide, drop):
    row = (key >> (2 * WIDE)) * wide + ((key >> WIDE & ONE) >> drop)
    low, last = start[row], start[row + 1]
    high = last
    while low < high:
        middle = (low + high) // 2
        if keys[middle] < key:
            low = middle + 1
        else:
            high = middle
    return low if low < last and keys[low] == key else -1


@kernel(parallel=True)
def polygons(key, nodes):
    """Points (n, 8) of quads with the nodes that stand half way along their edges, -1 behind the last, and how many."""
    start, wide, drop = _rows(nodes)
    points = np.empty((len(key), 8), np.int64)
    counts = np.empty(len(key), np.int64)
    for f in prange(len(key)):
        count = 0
        for c in range(4):
            a, b = key[f, c], key[f, (c + 1) % 4]
            points[f, count] = _find(nodes, a, start, wide, drop)
            count += 1
            total = a + b  # coordinates do not flow over: each has a bit to spare
            if total & (1 | 1 << WIDE | 1 << (2 * WIDE)) == 0:
                middle = _find(nodes, total >> 1, start, wide, drop)
                if middle >= 0:
                    points[f, count] = middle
                    count += 1
        counts[f] = count
        for c in range(count, 8):
            points[f, c] = -1
    return points, counts
