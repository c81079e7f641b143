"""Compiled loops over points, faces and cells of a mesh."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, prange

SHARES = 4  # of the cells, among threads


@kernel(parallel=True)
def face_vectors(points, face_points, face_offsets):
    """Area vectors of polygons, by triangles about the mean point."""
    count = len(face_offsets) - 1
    vector = np.zeros((count, 3))
    for f in prange(count):
        a, b = face_offsets[f], face_offsets[f + 1]
        mx, my, mz = _mean(points, face_points, a, b)
        for k in range(a, b):
            x, y, z = _triangle(points, face_points[k], face_points[k + 1 if k + 1 < b else a], mx, my, mz)
            vector[f, 0] += x
            vector[f, 1] += y
            vector[f, 2] += z
    return vector


@kernel(parallel=True)
def face_centres(points, face_points, face_offsets, vector):
    """Centroids of polygons with these area vectors, by the same triangles."""
    count = len(face_offsets) - 1
    centre = np.zeros((count, 3))
    for f in prange(count):
        a, b = face_offsets[f], face_offsets[f + 1]
        mx, my, mz = _mean(points, face_points, a, b)
        area = np.sqrt(vector[f, 0] ** 2 + vector[f, 1] ** 2 + vector[f, 2] ** 2)
        if area == 0.0:
            centre[f, 0], centre[f, 1], centre[f, 2] = mx, my, mz
            continue
        weight = 0.0
        for k in range(a, b):
            p, q = face_points[k], face_points[k + 1 if k + 1 < b else a]
            x, y, z = _triangle(points, p, q, mx, my, mz)
            part = (x * vector[f, 0] + y * vector[f, 1] + z * vector[f, 2]) / area
            weight += part
            centre[f, 0] += part * (points[p, 0] + points[q, 0] + mx) / 3.0
            centre[f, 1] += part * (points[p, 1] + points[q, 1] + my) / 3.0
            centre[f, 2] += part * (points[p, 2] + points[q, 2] + mz) / 3.0
        for i in range(3):
            centre[f, i] /= weight
    return centre


@kernel(inline="always")
def _mean(points, face_points, first, last):
    """Mean of the corners of a polygon."""
    x, y, z = 0.0, 0.0, 0.0
    for k in range(first, last):
        p = face_points[k]
        x += points[p, 0]
        y += points[p, 1]
        z += points[p, 2]
    return x / (last - first), y / (last - first), z / (last - first)


@kernel(inline="always")
def _triangle(points, p, q, x, y, z):
    """Area vector of the triangle of two points and (x, y, z)."""
    px, py, pz = points[p, 0] - x, points[p, 1] - y, points[p, 2] - z
    qx, qy, qz = points[q, 0] - x, points[q, 1] - y, points[q, 2] - z
    return 0.5 * (py * qz - pz * qy), 0.5 * (pz * qx - px * qz), 0.5 * (px * qy - py * qx)


@kernel(parallel=True)
def cell_geometry(points, face_points, face_offsets, owner, neighbour, face_centre, cell_count):
    """Volumes and centroids of polyhedra, by tetrahedra about the mean of the face centroids."""
    middle = np.zeros((cell_count, 3))
    faces = np.zeros(cell_count)
    volume = np.zeros(cell_count)
    centre = np.zeros((cell_count, 3))
    inner = len(neighbour)
    share = cell_count // SHARES + 1
    for part in prange(SHARES):  # each adds to cells of its own, in the order of the faces whoever does it
        first, last = part * share, min(cell_count, (part + 1) * share)
        for f in range(len(owner)):
            for side in range(2 if f < inner else 1):
                c = owner[f] if side == 0 else neighbour[f]
                if first <= c < last:
                    faces[c] += 1.0
                    for i in range(3):
                        middle[c, i] += face_centre[f, i]
        for c in range(first, last):
            for i in range(3):
                middle[c, i] /= max(faces[c], 1.0)
        for f in range(len(owner)):
            mine = first <= owner[f] < last
            theirs = f < inner and first <= neighbour[f] < last
            if not (mine or theirs):
                continue
            a, b = face_offsets[f], face_offsets[f + 1]
            fx, fy, fz = face_centre[f, 0], face_centre[f, 1], face_centre[f, 2]
            for k in range(a, b):
                p, q = face_points[k], face_points[k + 1 if k + 1 < b else a]
                x, y, z = _triangle(points, p, q, fx, fy, fz)
                for side in range(2):
                    if not (mine if side == 0 else theirs):
                        continue
                    c = owner[f] if side == 0 else neighbour[f]
                    sign = 1.0 if side == 0 else -1.0
                    height = x * (fx - middle[c, 0]) + y * (fy - middle[c, 1]) + z * (fz - middle[c, 2])
                    pyramid = sign * height / 3.0
                    volume[c] += pyramid
                    centre[c, 0] += pyramid * (points[p, 0] + points[q, 0] + fx + middle[c, 0]) / 4.0
                    centre[c, 1] += pyramid * (points[p, 1] + points[q, 1] + fy + middle[c, 1]) / 4.0
                    centre[c, 2] += pyramid * (points[p, 2] + points[q, 2] + fz + middle[c, 2]) / 4.0
        for c in range(first, last):
            for i in range(3):  # a cell without volume is told by whoever takes meshes in
                centre[c, i] = centre[c, i] / volume[c] if volume[c] != 0.0 else middle[c, i]
    return volume, centre


@kernel
def faces_of_cells(owner, neighbour, cell_count):
    """Faces of each cell in CSR form, in the order of the faces."""
    offsets = np.zeros(cell_count + 1, np.int64)
    for f in range(len(owner)):
        offsets[owner[f] + 1] += 1
    for f in range(len(neighbour)):
        offsets[neighbour[f] + 1] += 1
    offsets = np.cumsum(offsets)
    faces = np.empty(offsets[-1], np.int64)
    at = offsets[:-1].copy()
    for f in range(len(owner)):
        faces[at[owner[f]]] = f
        at[owner[f]] += 1
        if f < len(neighbour):
            faces[at[neighbour[f]]] = f
            at[neighbour[f]] += 1
    return offsets, faces


@kernel
def face_order(owner, neighbour, cell_count):
    """The order (F,) of a mesh: faces within (`neighbour` (F,) not under 0) by owner, then neighbour, and behind them
    those of the skin by owner; among equals as they stood."""
    faces = len(owner)
    start = np.zeros(2 * cell_count + 1, np.int64)  # those within of each cell, then its skin
    for f in range(faces):
        start[owner[f] + (cell_count if neighbour[f] < 0 else 0) + 1] += 1
    for k in range(2 * cell_count):
        start[k + 1] += start[k]
    order = np.empty(faces, np.int64)
    used = start[:-1].copy()
    for f in range(faces):
        k = owner[f] + (cell_count if neighbour[f] < 0 else 0)
        j = used[k]
        used[k] += 1
        if k < cell_count:
            while j > start[k] and neighbour[order[j - 1]] > neighbour[f]:
                order[j] = order[j - 1]
                j -= 1
        order[j] = f
    return order


@kernel(parallel=True)
def renumbered(owner, neighbour, rank):
    """Owners and neighbours (F,) by new numbers (C,), the lower one the owner, -1 at the skin as before; and which
    faces (F,) have to be turned for that."""
    faces = len(owner)
    one, two, turn = np.empty(faces, np.int64), np.empty(faces, np.int64), np.zeros(faces, np.bool_)
    for f in prange(faces):
        a, b = rank[owner[f]], rank[neighbour[f]] if neighbour[f] >= 0 else -1
        turn[f] = 0 <= b < a
        one[f], two[f] = (b, a) if turn[f] else (a, b)
    return one, two, turn


@kernel
def used_points(flat, count):
    """Which of `count` points polygons name (n,), in their order; `flat` is numbered by them anew, in place."""
    number = np.full(count, -1, np.int64)
    for k in range(len(flat)):
        number[flat[k]] = 0
    used = np.empty(count, np.int64)
    found = 0
    for p in range(count):
        if number[p] == 0:
            number[p] = found
            used[found] = p
            found += 1
    for k in range(len(flat)):
        flat[k] = number[flat[k]]
    return used[:found].copy()


@kernel
def order_of_parts(parents, count):
    """The order (n,) that puts each next to the one of `count` that it is part of (`parents` (n,)), and the rank (n,)
    that each has in it; among equals as they stood."""
    start = np.zeros(count + 1, np.int64)
    for k in range(len(parents)):
        start[parents[k] + 1] += 1
    for p in range(count):
        start[p + 1] += start[p]
    order, rank = np.empty(len(parents), np.int64), np.empty(len(parents), np.int64)
    for k in range(len(parents)):
        at = start[parents[k]]
        start[parents[k]] += 1
        order[at] = k
        rank[k] = at
    return order, rank


@kernel(parallel=True)
def cell_boxes(points, face_points, face_offsets, owner, neighbour, cell_count):
    """The box round each cell."""
    low = np.full((cell_count, 3), np.inf)
    high = np.full((cell_count, 3), -np.inf)
    share = cell_count // SHARES + 1
    for part in prange(SHARES):
        first, last = part * share, min(cell_count, (part + 1) * share)
        for f in range(len(owner)):
            for side in range(2 if f < len(neighbour) else 1):
                c = owner[f] if side == 0 else neighbour[f]
                if c < first or c >= last:
                    continue
                for k in range(face_offsets[f], face_offsets[f + 1]):
                    for i in range(3):
                        x = points[face_points[k], i]
                        low[c, i], high[c, i] = min(low[c, i], x), max(high[c, i], x)
    return low, high


@kernel
def hexahedra(offsets, faces, face_points, face_offsets, owner):
    """Corners (C, 8) of cells with six four-cornered faces and eight points in the order of VTK:
    a bottom seen from inside, then the point above each of its corners; -1 for all other cells."""
    cells = len(offsets) - 1
    out = np.full((cells, 8), -1, np.int64)
    for c in range(cells):
        if offsets[c + 1] - offsets[c] != 6:
            continue
        fits = True
        for k in range(offsets[c], offsets[c + 1]):
            fits &= face_offsets[faces[k] + 1] - face_offsets[faces[k]] == 4
        if not fits:
            continue
        first = face_offsets[faces[offsets[c]]]
        outward = owner[faces[offsets[c]]] == c
        for i in range(4):
            out[c, i] = face_points[first + (3 - i if outward else i)]
        for k in range(offsets[c] + 1, offsets[c + 1]):
            start = face_offsets[faces[k]]
            for i in range(4):
                p, q = face_points[start + i], face_points[start + (i + 1) % 4]
                for j in range(4):
                    p_low, q_low = False, False
                    for m in range(4):
                        p_low |= out[c, m] == p
                        q_low |= out[c, m] == q
                    if out[c, j] == p and not q_low:
                        out[c, 4 + j] = q
                    if out[c, j] == q and not p_low:
                        out[c, 4 + j] = p
        for i in range(8):
            fits &= out[c, i] >= 0
            for j in range(i):
                fits &= out[c, i] != out[c, j]
        if not fits:
            out[c] = -1
    return out


@kernel(parallel=True)
def chosen_faces(face_points, face_offsets, faces, turn):
    """Polygons of some faces as CSR, those marked in `turn` the other way round."""
    offsets = np.zeros(len(faces) + 1, np.int64)
    for k in range(len(faces)):
        offsets[k + 1] = offsets[k] + face_offsets[faces[k] + 1] - face_offsets[faces[k]]
    flat = np.empty(offsets[-1], np.int64)
    for k in prange(len(faces)):
        a, b = face_offsets[faces[k]], face_offsets[faces[k] + 1]
        for j in range(b - a):
            flat[offsets[k] + j] = face_points[b - 1 - j] if turn[faces[k]] else face_points[a + j]
    return flat, offsets


@kernel(parallel=True)
def face_measures(owner, neighbour, vector, face_centre, centre, depth):
    """Of each inner face (inner,), with its unit normal n, centroid m, the line l of length |l| from the centroid of
    its owner o to that of its neighbour, and s = (m − o)·n / l·n, where that line meets its plane: the angle between
    l and n in degrees; |o + s l − m| over |l| or half its extent, or 2 |s − ½| where that is over 1 and more; and
    (1 − r) / r with r = min(s, 1 − s). In a plane mesh a `depth` over nothing makes extents of areas, else their root.
    """
    inner = len(neighbour)
    angle, skewness, growth = np.empty(inner), np.empty(inner), np.empty(inner)
    for f in prange(inner):
        c, d = owner[f], neighbour[f]
        length, along, to_face, area = 0.0, 0.0, 0.0, 0.0
        for i in range(3):
            line = centre[d, i] - centre[c, i]
            length += line * line
            along += line * vector[f, i]
            to_face += (face_centre[f, i] - centre[c, i]) * vector[f, i]
            area += vector[f, i] ** 2
        length, area = np.sqrt(length), np.sqrt(area)
        turned = along / max(area * length, 1e-300)
        degrees = np.degrees(np.arccos(min(1.0, max(-1.0, turned))))
        angle[f] = degrees if degrees >= 1e-5 else 0.0  # round-off of the arc cosine
        share = to_face / along if along != 0.0 else np.inf
        miss = 0.0
        for i in range(3):
            miss += (centre[c, i] + share * (centre[d, i] - centre[c, i]) - face_centre[f, i]) ** 2
        across = area / depth if depth > 0.0 else np.sqrt(area)
        skew = np.sqrt(miss) / max(length, across / 2)
        beside = 2.0 * abs(share - 0.5)
        if beside > 1.0:
            skew = max(skew, beside)
        skewness[f] = skew if not skew < 1e-9 else 0.0
        nearer = min(0.5, max(1e-3, min(share, 1.0 - share)))
        growth[f] = (1.0 - nearer) / nearer
    return angle, skewness, growth


@kernel
def openness(owner, neighbour, vector, cell_count):
    """The largest |Σ A| / Σ |A| over the outward area vectors A of the faces of a cell: nothing where all are closed."""
    total = np.zeros((cell_count, 3))
    size = np.zeros(cell_count)
    for f in range(len(owner)):
        c = owner[f]
        x, y, z = vector[f, 0], vector[f, 1], vector[f, 2]
        area = np.sqrt(x * x + y * y + z * z)
        total[c, 0] += x
        total[c, 1] += y
        total[c, 2] += z
        size[c] += area
        if f < len(neighbour):
            d = neighbour[f]
            total[d, 0] -= x
            total[d, 1] -= y
            total[d, 2] -= z
            size[d] += area
    most = 0.0
    for c in range(cell_count):
        left = np.sqrt(total[c, 0] ** 2 + total[c, 1] ** 2 + total[c, 2] ** 2) / max(size[c], 1e-300)
        if not left <= most:
            most = left
    return most
