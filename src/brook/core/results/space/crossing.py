"""Where the faces and cells of a mesh are crossed by a surface at height nothing, `height` (P,) being that of each point.

A point at height nothing counts as over it. A ring of points round a face is crossed upwards and downwards in turn.
"""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel, loop


@loop
def reached(first, last, chunk, low, high, way, level, found):
    """Whether the plane x·n = `level` goes through the box of each cell, found (C,); n is `way`, of length 1."""
    for c in range(first, last):
        middle, half = -level, 0.0
        for i in range(3):
            middle += 0.5 * way[i] * (low[c, i] + high[c, i])
            half += 0.5 * abs(way[i]) * (high[c, i] - low[c, i])
        found[c] = abs(middle) <= 1.000001 * half + 1e-12 * abs(level)


@loop
def crossed(first, last, chunk, faces, above, face_points, face_offsets, counts):
    """How often each of `faces` (n,) is crossed, counts (n,), from where each point lies, above (P,)."""
    for n in range(first, last):
        f = faces[n]
        a, b = face_offsets[f], face_offsets[f + 1]
        before, found = above[face_points[b - 1]], 0
        for k in range(a, b):
            here = above[face_points[k]]
            if here != before:
                found += 1
            before = here
        counts[n] = found


@kernel
def crossings(cut, offsets, above, face_points, face_offsets):
    """Of the faces `cut` (n,) the edges that cross the surface, from the place `offsets` (n + 1,) says on: of each a key made of its
    ends and whether it is gone upwards."""
    total = len(above)
    key, up = np.empty(offsets[-1], np.int64), np.empty(offsets[-1], np.bool_)
    for n in range(len(cut)):
        f, at = cut[n], offsets[n]
        a, b = face_offsets[f], face_offsets[f + 1]
        for k in range(a, b):
            p, q = np.int64(face_points[k]), np.int64(face_points[k + 1 if k + 1 < b else a])
            if above[p] != above[q]:
                key[at] = min(p, q) * total + max(p, q)
                up[at] = above[q]
                at += 1
    return key, up


@kernel
def polygons(cells, place, offsets, edge, up, owner, cell_offsets, cell_faces):
    """The polygons in which `cells` (n,) are crossed: the cell (m,) of each, its corners as numbers of edges and where these begin
    (m + 1,). `place` (F,) says where in `offsets` the crossings of a face end, 0 that there are none; `edge` and `up` are theirs.

    All polygons go round the same way; a cell that is cut in two pieces has two."""
    cell = np.empty(len(edge) + 1, np.int64)
    corners = np.empty(2 * len(edge), np.int64)
    corner_offsets = np.zeros(len(edge) + 2, np.int64)
    most = 1
    for n in range(len(cells)):
        count = 0
        for m in range(cell_offsets[cells[n]], cell_offsets[cells[n] + 1]):
            at = place[cell_faces[m]]
            if at > 0:
                count += offsets[at] - offsets[at - 1]
        most = max(most, count)
    start, end, used = np.empty(most, np.int64), np.empty(most, np.int64), np.zeros(most, np.bool_)
    made, length = 0, 0
    for n in range(len(cells)):
        c, count = cells[n], 0
        for m in range(cell_offsets[c], cell_offsets[c + 1]):
            f = cell_faces[m]
            if place[f] == 0:
                continue
            a, b = offsets[place[f] - 1], offsets[place[f]]
            for k in range(a, b):
                if up[k]:  # from where a face comes up to where it goes down next
                    one, other = edge[k], edge[k + 1 if k + 1 < b else a]
                    if owner[f] != c:
                        one, other = other, one
                    start[count], end[count], used[count] = one, other, False
                    count += 1
        for first in range(count):
            if used[first]:
                continue
            at = _followed(first, count, start, end, used, corners, length)
            if at - length >= 3:
                cell[made] = c
                made += 1
                length = at
                corner_offsets[made] = length
    return cell[:made], corners[:length], corner_offsets[: made + 1]


@kernel
def _followed(first, count, start, end, used, corners, at):
    """Writes the corners of the polygon that pieces make from the `first` on, from place `at`; gives where it ends."""
    here = first
    while here >= 0:
        used[here] = True
        corners[at] = start[here]
        at += 1
        following = -1
        for m in range(count):
            if not used[m] and start[m] == end[here]:
                following = m
                break
        here = following
    return at


@kernel
def polygon_measures(at, points, offsets):
    """Area vector (m, 3) in m² and centroid (m, 3) of each polygon, by triangles round the mean of its corners at[points]."""
    count = len(offsets) - 1
    vector, centroid = np.zeros((count, 3)), np.zeros((count, 3))
    for n in range(count):
        a, b = offsets[n], offsets[n + 1]
        m0, m1, m2 = 0.0, 0.0, 0.0
        for k in range(a, b):
            m0 += at[points[k], 0] / (b - a)
            m1 += at[points[k], 1] / (b - a)
            m2 += at[points[k], 2] / (b - a)
        whole = 0.0
        for k in range(a, b):
            p, q = points[k], points[k + 1 if k + 1 < b else a]
            x, y, z = at[p, 0] - m0, at[p, 1] - m1, at[p, 2] - m2
            u, v, w = at[q, 0] - m0, at[q, 1] - m1, at[q, 2] - m2
            s0, s1, s2 = 0.5 * (y * w - z * v), 0.5 * (z * u - x * w), 0.5 * (x * v - y * u)
            vector[n, 0] += s0
            vector[n, 1] += s1
            vector[n, 2] += s2
            size = np.sqrt(s0 * s0 + s1 * s1 + s2 * s2)
            whole += size
            centroid[n, 0] += size * (x + u) / 3.0
            centroid[n, 1] += size * (y + v) / 3.0
            centroid[n, 2] += size * (z + w) / 3.0
        share = 1.0 / whole if whole > 0.0 else 0.0
        centroid[n, 0] = m0 + share * centroid[n, 0]
        centroid[n, 1] = m1 + share * centroid[n, 1]
        centroid[n, 2] = m2 + share * centroid[n, 2]
    return vector, centroid


@kernel
def volumes_above(cells, height, points, face_points, face_offsets, owner, cell_offsets, cell_faces, centre):
    """Σ_f ∫ (x − x_P)·dS / 3 over what of the faces of each of `cells` (n,) lies at or above height nothing, in m³ (n,): the volume
    above but for the part of the surface itself."""
    found = np.zeros(len(cells))
    for n in range(len(cells)):
        c = cells[n]
        o0, o1, o2 = centre[c, 0], centre[c, 1], centre[c, 2]
        for m in range(cell_offsets[c], cell_offsets[c + 1]):
            f = cell_faces[m]
            a, b = face_offsets[f], face_offsets[f + 1]
            sense = 1.0 if owner[f] == c else -1.0
            corners = 0
            f0, f1, f2, l0, l1, l2 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for k in range(a, b):
                p, q = face_points[k], face_points[k + 1 if k + 1 < b else a]
                hp, hq = height[p], height[q]
                for which in range(2):
                    if which == 0:
                        if hp < 0.0:
                            continue
                        x, y, z = points[p, 0] - o0, points[p, 1] - o1, points[p, 2] - o2
                    else:
                        if (hp >= 0.0) == (hq >= 0.0):
                            continue
                        t = hp / (hp - hq)
                        x = points[p, 0] + t * (points[q, 0] - points[p, 0]) - o0
                        y = points[p, 1] + t * (points[q, 1] - points[p, 1]) - o1
                        z = points[p, 2] + t * (points[q, 2] - points[p, 2]) - o2
                    if corners == 0:
                        f0, f1, f2 = x, y, z
                    elif corners > 1:
                        triple = f0 * (l1 * z - l2 * y) + f1 * (l2 * x - l0 * z) + f2 * (l0 * y - l1 * x)
                        found[n] += sense * triple / 6.0
                    l0, l1, l2 = x, y, z
                    corners += 1
    return found


@kernel
def polygon_volumes(at, points, offsets, cell, centre):
    """∫ (x − x_P)·dS / 3 over each polygon (m,) in m³, x_P the centre of its cell."""
    found = np.zeros(len(cell))
    for n in range(len(cell)):
        c, a = cell[n], points[offsets[n]]
        f0, f1, f2 = at[a, 0] - centre[c, 0], at[a, 1] - centre[c, 1], at[a, 2] - centre[c, 2]
        for k in range(offsets[n] + 1, offsets[n + 1] - 1):
            p, q = points[k], points[k + 1]
            x, y, z = at[p, 0] - centre[c, 0], at[p, 1] - centre[c, 1], at[p, 2] - centre[c, 2]
            u, v, w = at[q, 0] - centre[c, 0], at[q, 1] - centre[c, 1], at[q, 2] - centre[c, 2]
            found[n] += (f0 * (y * w - z * v) + f1 * (z * u - x * w) + f2 * (x * v - y * u)) / 6.0
    return found


@kernel
def sums_at_points(value, slope, centre, points, face_points, face_offsets, owner, neighbour):
    """Of what cells say of their points, φ_P + ∇φ·(x − x_P): the sum over all cells and faces round each point, and how many."""
    total, count = np.zeros(len(points)), np.zeros(len(points), np.int32)
    inner = len(neighbour)
    for f in range(len(owner)):
        for side in range(2):
            if side == 1 and f >= inner:
                continue
            c = owner[f] if side == 0 else neighbour[f]
            for k in range(face_offsets[f], face_offsets[f + 1]):
                p = face_points[k]
                total[p] += (
                    value[c]
                    + slope[c, 0] * (points[p, 0] - centre[c, 0])
                    + slope[c, 1] * (points[p, 1] - centre[c, 1])
                    + slope[c, 2] * (points[p, 2] - centre[c, 2])
                )
                count[p] += 1
    return total, count
