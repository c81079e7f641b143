"""Compiled loops over polygons and cells while a mesh is fitted to its shape."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, prange
from brook.core.mesh.kernels import SHARES

STEEP = 0.2588  # cosine of 75 degrees
MOST_SIDES, MOST_EDGES = 64, 256  # of one cell on one region, that are looked at


@kernel
def centres(points, polygon, corners):
    """Middles (n, 3) and unit normals (n, 3) of polygons (n, 8)."""
    count = len(polygon)
    middle, normal = np.zeros((count, 3)), np.zeros((count, 3))
    for f in range(count):
        for k in range(corners[f]):
            for i in range(3):
                middle[f, i] += points[polygon[f, k], i] / corners[f]
        for k in range(corners[f]):
            a, b = points[polygon[f, k]], points[polygon[f, k + 1 if k + 1 < corners[f] else 0]]
            normal[f, 0] += (a[1] - b[1]) * (a[2] + b[2])
            normal[f, 1] += (a[2] - b[2]) * (a[0] + b[0])
            normal[f, 2] += (a[0] - b[0]) * (a[1] + b[1])
        size = np.sqrt((normal[f] ** 2).sum())
        for i in range(3):
            normal[f, i] /= size
    return middle, normal


@kernel
def surrounding(place, polygon, corners):
    """For each point (n, 3) the mean of the middles of the polygons around it, weighted by their extent."""
    total = np.zeros_like(place)
    weight = np.zeros(len(place))
    for f in range(len(polygon)):
        x, y, z = 0.0, 0.0, 0.0
        for k in range(corners[f]):
            p = polygon[f, k]
            x += place[p, 0] / corners[f]
            y += place[p, 1] / corners[f]
            z += place[p, 2] / corners[f]
        nx, ny, nz = 0.0, 0.0, 0.0
        for k in range(corners[f]):
            a, b = polygon[f, k], polygon[f, k + 1 if k + 1 < corners[f] else 0]
            nx += (place[a, 1] - place[b, 1]) * (place[a, 2] + place[b, 2] - 2 * z)
            ny += (place[a, 2] - place[b, 2]) * (place[a, 0] + place[b, 0] - 2 * x)
            nz += (place[a, 0] - place[b, 0]) * (place[a, 1] + place[b, 1] - 2 * y)
        area = np.sqrt(nx * nx + ny * ny + nz * nz) + 1e-300
        for k in range(corners[f]):
            p = polygon[f, k]
            total[p, 0] += area * x
            total[p, 1] += area * y
            total[p, 2] += area * z
            weight[p] += area
    for p in range(len(place)):
        for i in range(3):
            total[p, i] = total[p, i] / weight[p] if weight[p] > 0 else place[p, i]
    return total


@kernel
def rings(link_start, link, points, number, most):
    """From which of the `points` each point (n,) is reached first over links, and over how many: -1 beyond `most`."""
    count = len(link_start) - 1
    root, ring = np.full(count, -1, np.int64), np.full(count, -1, np.int64)
    queue = np.empty(count, np.int64)
    first, last = 0, len(points)
    for k in range(len(points)):
        queue[k] = points[k]
        root[points[k]] = number[points[k]]
        ring[points[k]] = 0
    while first < last:
        p = queue[first]
        first += 1
        if ring[p] == most:
            continue
        for k in range(link_start[p], link_start[p + 1]):
            q = link[k]
            if ring[q] < 0:
                ring[q] = ring[p] + 1
                root[q] = root[p]
                queue[last] = q
                last += 1
    return root, ring


@kernel(parallel=True)
def handed_on(move, free, link_start, link, sweeps):
    """Moves (P, 3) of which those of free points are the mean of those they are linked to, all at once, again and again."""
    for _ in range(sweeps):
        found = np.empty((len(free), 3))
        for n in prange(len(free)):
            p = free[n]
            x, y, z = 0.0, 0.0, 0.0
            for k in range(link_start[p], link_start[p + 1]):
                q = link[k]
                x += move[q, 0]
                y += move[q, 1]
                z += move[q, 2]
            count = link_start[p + 1] - link_start[p]
            found[n, 0], found[n, 1], found[n, 2] = x / count, y / count, z / count
        for n in prange(len(free)):
            for i in range(3):
                move[free[n], i] = found[n, i]
    return move


@kernel(parallel=True)
def _sides(points, face_points, offsets):
    """The mean of the corners (F, 3), the vector (F, 3) and the area (F,) of polygons."""
    faces = len(offsets) - 1
    centre = np.zeros((faces, 3))
    vector = np.zeros((faces, 3))
    area = np.empty(faces)
    for f in prange(faces):
        a, b = offsets[f], offsets[f + 1]
        for k in range(a, b):
            for i in range(3):
                centre[f, i] += points[face_points[k], i]
        for i in range(3):
            centre[f, i] /= b - a
        for k in range(a, b):
            p, q = face_points[k], face_points[k + 1 if k + 1 < b else a]
            ux, uy, uz = points[p, 0] - centre[f, 0], points[p, 1] - centre[f, 1], points[p, 2] - centre[f, 2]
            vx, vy, vz = points[q, 0] - centre[f, 0], points[q, 1] - centre[f, 1], points[q, 2] - centre[f, 2]
            vector[f, 0] += 0.5 * (uy * vz - uz * vy)
            vector[f, 1] += 0.5 * (uz * vx - ux * vz)
            vector[f, 2] += 0.5 * (ux * vy - uy * vx)
        area[f] = np.sqrt(vector[f, 0] ** 2 + vector[f, 1] ** 2 + vector[f, 2] ** 2)
    return centre, vector, area


@kernel(parallel=True)
def _beside(
    points, face_points, offsets, owner, neighbour, size, least, skewed, aside, even, centre, vector, middle, centroid
):
    """Of each side (F,): 1 and 2 where it makes its owner or its neighbour unsound; and 2 where they miss each other, 3 where they are
    uneven."""
    faces = len(owner)
    turned = np.zeros(faces, np.int8)
    askew = np.zeros(faces, np.int8)
    for f in prange(faces):
        a, b = offsets[f], offsets[f + 1]
        found = 0
        c, d = owner[f], neighbour[f] if neighbour[f] >= 0 else owner[f]
        wx, wy, wz = centre[f, 0] - middle[c, 0], centre[f, 1] - middle[c, 1], centre[f, 2] - middle[c, 2]
        tx, ty, tz = centre[f, 0] - middle[d, 0], centre[f, 1] - middle[d, 1], centre[f, 2] - middle[d, 2]
        per_cube = least * (b - a) * 0.375
        if vector[f, 0] * wx + vector[f, 1] * wy + vector[f, 2] * wz < per_cube * size[c] ** 3:
            found |= 1
        if d != c and -(vector[f, 0] * tx + vector[f, 1] * ty + vector[f, 2] * tz) < per_cube * size[d] ** 3:
            found |= 2
        p = face_points[b - 1]
        ux, uy, uz = points[p, 0] - centre[f, 0], points[p, 1] - centre[f, 1], points[p, 2] - centre[f, 2]
        for k in range(a, b):  # no corner of the side behind the cell's middle
            q = face_points[k]
            vx, vy, vz = points[q, 0] - centre[f, 0], points[q, 1] - centre[f, 1], points[q, 2] - centre[f, 2]
            nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            if wx * nx + wy * ny + wz * nz < 0.0:
                found |= 1
            if d != c and tx * nx + ty * ny + tz * nz > 0.0:
                found |= 2
            ux, uy, uz = vx, vy, vz
        if neighbour[f] >= 0:
            c, d = owner[f], neighbour[f]
            along, one, other, to_side = 0.0, 0.0, 0.0, 0.0
            for i in range(3):
                line = centroid[d, i] - centroid[c, i]
                along += line * vector[f, i]
                one += line * line
                other += vector[f, i] ** 2
                to_side += (centre[f, i] - centroid[c, i]) * vector[f, i]
            if along <= 0.1736 * np.sqrt(one * other):
                found = 3
            elif skewed < 1e9:
                share, miss = to_side / along, 0.0
                for i in range(3):
                    miss += (centroid[c, i] + share * (centroid[d, i] - centroid[c, i]) - centre[f, i]) ** 2
                missed = (
                    along < STEEP * np.sqrt(one * other)
                    or miss > skewed * skewed * max(one, 0.25 * np.sqrt(other))
                    or share < aside
                    or share > 1.0 - aside
                )
                least_share = min(even[c], even[d])
                if missed:
                    askew[f] = 2
                elif share < least_share or share > 1.0 - least_share:
                    askew[f] = 3
        turned[f] = found
    return turned, askew


@kernel(parallel=True)
def _middles(owner, neighbour, cells, centre, vector, area, proper):
    """Of each cell the mean (C, 3) of its sides' middles by area; the centroid (C, 3) of all pyramids over the sides
    from there where it is wanted to be `proper`, else the same; and 1 (C,) where there are no sides, else 0."""
    middle, count = np.zeros((cells, 3)), np.zeros(cells)
    volume, centroid = np.zeros(cells), np.zeros((cells, 3))
    bad = np.zeros(cells, np.int8)
    share = cells // SHARES + 1
    for part in prange(SHARES):  # each adds to cells of its own, in the order of the faces whoever does it
        first, last = part * share, min(cells, (part + 1) * share)
        for f in range(len(owner)):
            for side in range(2):
                c = owner[f] if side == 0 else neighbour[f]
                if c < first or c >= last:
                    continue
                for i in range(3):
                    middle[c, i] += area[f] * centre[f, i]
                count[c] += area[f]
        for c in range(first, last):
            if count[c] == 0.0:
                bad[c] = 1
                continue
            for i in range(3):
                middle[c, i] /= count[c]
        if not proper:
            continue
        for f in range(len(owner)):
            for side in range(2):
                c = owner[f] if side == 0 else neighbour[f]
                if c < first or c >= last or bad[c] > 0:
                    continue
                pyramid = 0.0
                for i in range(3):
                    pyramid += (1.0 - 2.0 * side) * vector[f, i] * (centre[f, i] - middle[c, i])
                volume[c] += pyramid
                for i in range(3):
                    centroid[c, i] += pyramid * 0.75 * (centre[f, i] - middle[c, i])
        for c in range(first, last):
            for i in range(3):
                centroid[c, i] = middle[c, i] + (centroid[c, i] / volume[c] if volume[c] > 0.0 else 0.0)
    return middle, centroid if proper else middle, bad


@kernel
def middles(points, face_points, offsets, owner, neighbour, cells):
    """The middle (cells, 3) of the sides of each cell, weighed by their areas."""
    centre, vector, area = _sides(points, face_points, offsets)
    middle, _, _ = _middles(owner, neighbour, cells, centre, vector, area, False)
    return middle


@kernel
def judged(points, face_points, offsets, owner, neighbour, size, least, skewed, aside, even):
    """Of each cell (n,): 1 for one with a side whose pyramid from the cell's middle is under `least` of its cube, or
    turned, or whose line to a neighbour's middle runs along the side between them (over 80°); 2 for one that is sound
    but whose line misses the middle of that side by more than `skewed` of its length, or of half the side's own, or
    meets it nearer to an end than `aside` of it; 3 where that is nearer than both of the cells' `even` (n,); else 0."""
    faces, cells = len(owner), len(size)
    centre, vector, area = _sides(points, face_points, offsets)
    middle, centroid, bad = _middles(owner, neighbour, cells, centre, vector, area, skewed < 1e9)
    turned, askew = _beside(
        points,
        face_points,
        offsets,
        owner,
        neighbour,
        size,
        least,
        skewed,
        aside,
        even,
        centre,
        vector,
        middle,
        centroid,
    )
    for f in range(faces):
        c, d = owner[f], neighbour[f]
        if turned[f] & 1:
            bad[c] = 1
        if turned[f] & 2:
            bad[d] = 1
    for f in range(faces):
        if askew[f] > 0:
            for side in range(2):
                c = owner[f] if side == 0 else neighbour[f]
                if bad[c] == 0 or bad[c] > askew[f]:
                    bad[c] = askew[f]
    return bad


def unsound(points, face_points, offsets, owner, neighbour, size, least):
    """Which cells (n,) could not be computed on: those judged 1."""
    return judged(points, face_points, offsets, owner, neighbour, size, least, 1e9, 0.0, np.zeros(0)) == 1


@kernel
def faces_near(owner, neighbour, marked):
    """The faces (n,) of marked cells (C,) and of their neighbours: what it takes to judge those marked."""
    near = marked.copy()
    for f in range(len(owner)):
        if neighbour[f] >= 0:
            if marked[owner[f]]:
                near[neighbour[f]] = True
            if marked[neighbour[f]]:
                near[owner[f]] = True
    found, count = np.empty(len(owner), np.int64), 0
    for f in range(len(owner)):
        if near[owner[f]] or (neighbour[f] >= 0 and near[neighbour[f]]):
            found[count] = f
            count += 1
    return found[:count].copy()


@kernel
def cells_round(marked, face_points, offsets, owner, neighbour, cells):
    """The cells (C,) that have one of the marked points (P,), and their neighbours."""
    own, found = np.zeros(cells, np.bool_), np.zeros(cells, np.bool_)
    for f in range(len(owner)):
        for k in range(offsets[f], offsets[f + 1]):
            if marked[face_points[k]]:
                own[owner[f]] = True
                if neighbour[f] >= 0:
                    own[neighbour[f]] = True
                break
    for f in range(len(owner)):
        c, d = owner[f], neighbour[f]
        found[c] |= own[c] or (d >= 0 and own[d])
        if d >= 0:
            found[d] |= own[c] or own[d]
    return found


@kernel
def points_of(bad, face_points, offsets, owner, neighbour, count):
    """The points (n,) of cells that are marked."""
    marked = np.zeros(count, np.bool_)
    for f in range(len(owner)):
        if bad[owner[f]] or (neighbour[f] >= 0 and bad[neighbour[f]]):
            for k in range(offsets[f], offsets[f + 1]):
                marked[face_points[k]] = True
    return marked


@kernel
def merged(points, face_points, offsets, owner, label, least_alike):
    """Sides of one cell on one region made one polygon where they lie nearly in a plane and have one rim.

    Faces stand by owner and label. Gives (points, offsets, first face of each polygon).
    """
    faces = len(owner)
    out = np.empty(len(face_points), np.int64)
    out_offsets = np.empty(faces + 1, np.int64)
    from_face = np.empty(faces, np.int64)
    out_offsets[0] = 0
    made, used = 0, 0
    first = 0
    start, end = np.empty(MOST_EDGES, np.int64), np.empty(MOST_EDGES, np.int64)
    rim, alive = np.empty(MOST_EDGES, np.int64), np.empty(MOST_EDGES, np.bool_)
    normal = np.zeros((MOST_SIDES, 3))
    while first < faces:
        last = first + 1
        while last < faces and owner[last] == owner[first] and label[last] == label[first]:
            last += 1
        few = last - first > 1 and last - first <= MOST_SIDES and offsets[last] - offsets[first] <= MOST_EDGES
        length = 0
        if few and _in_a_plane(points, face_points, offsets, first, last, least_alike, normal):
            length = _one_rim(face_points, offsets, first, last, start, end, alive, rim)
        if length > 0:
            for k in range(length):
                out[used] = rim[k]
                used += 1
            from_face[made] = first
            made += 1
            out_offsets[made] = used
        else:
            for f in range(first, last):
                for k in range(offsets[f], offsets[f + 1]):
                    out[used] = face_points[k]
                    used += 1
                from_face[made] = f
                made += 1
                out_offsets[made] = used
        first = last
    return out[:used], out_offsets[: made + 1], from_face[:made]


@kernel
def _in_a_plane(points, face_points, offsets, first, last, least_alike, normal):
    """Whether the normals of faces `first` to `last`, written into `normal`, all look nearly the way of their sum."""
    mx, my, mz = 0.0, 0.0, 0.0
    for f in range(first, last):
        x, y, z = 0.0, 0.0, 0.0
        a, b = offsets[f], offsets[f + 1]
        o = points[face_points[a]]
        for k in range(a + 1, b - 1):
            p, q = points[face_points[k]], points[face_points[k + 1]]
            ux, uy, uz = p[0] - o[0], p[1] - o[1], p[2] - o[2]
            vx, vy, vz = q[0] - o[0], q[1] - o[1], q[2] - o[2]
            x += uy * vz - uz * vy
            y += uz * vx - ux * vz
            z += ux * vy - uy * vx
        mx += x
        my += y
        mz += z
        size = np.sqrt(x * x + y * y + z * z) + 1e-300
        normal[f - first, 0], normal[f - first, 1], normal[f - first, 2] = x / size, y / size, z / size
    size = np.sqrt(mx * mx + my * my + mz * mz) + 1e-300
    for f in range(last - first):
        if (normal[f, 0] * mx + normal[f, 1] * my + normal[f, 2] * mz) / size < least_alike:
            return False
    return True


@kernel
def _one_rim(face_points, offsets, first, last, start, end, alive, rim):
    """How many points the rim round faces `first` to `last` has, written into `rim`; 0 where they have not just one."""
    count = 0
    for f in range(first, last):
        a, b = offsets[f], offsets[f + 1]
        for k in range(a, b):
            start[count], end[count] = face_points[k], face_points[k + 1 if k + 1 < b else a]
            count += 1
    left, begin = 0, -1
    for k in range(count):  # edges that two of the faces share go
        alive[k] = True
        for m in range(count):
            if start[m] == end[k] and end[m] == start[k]:
                alive[k] = False
                break
        if alive[k]:
            left += 1
            begin = k
    if begin < 0:
        return 0
    here, length = begin, 0
    while length < left:
        rim[length] = start[here]
        length += 1
        after = -1
        ways = 0
        for m in range(count):
            if alive[m] and start[m] == end[here]:
                after = m
                ways += 1
        if ways != 1:
            break
        here = after
        if here == begin:
            break
    return length if length == left and here == begin else 0
