"""Compiled loops over points, faces and cells of a mesh."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel


@kernel
def face_vectors(points, face_points, face_offsets):
    """Area vectors of polygons, by triangles about the mean point."""
    count = len(face_offsets) - 1
    vector = np.zeros((count, 3))
    for f in range(count):
        a, b = face_offsets[f], face_offsets[f + 1]
        mx, my, mz = _mean(points, face_points, a, b)
        for k in range(a, b):
            x, y, z = _triangle(points, face_points[k], face_points[k + 1 if k + 1 < b else a], mx, my, mz)
            vector[f, 0] += x
            vector[f, 1] += y
            vector[f, 2] += z
    return vector


@kernel
def face_centres(points, face_points, face_offsets, vector):
    """Centroids of polygons with these area vectors, by the same triangles."""
    count = len(face_offsets) - 1
    centre = np.zeros((count, 3))
    for f in range(count):
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


@kernel
def cell_geometry(points, face_points, face_offsets, owner, neighbour, face_centre, cell_count):
    """Volumes and centroids of polyhedra, by tetrahedra about the mean of the face centroids."""
    middle = np.zeros((cell_count, 3))
    faces = np.zeros(cell_count)
    inner = len(neighbour)
    for f in range(len(owner)):
        for side in range(2 if f < inner else 1):
            c = owner[f] if side == 0 else neighbour[f]
            faces[c] += 1.0
            for i in range(3):
                middle[c, i] += face_centre[f, i]
    for c in range(cell_count):
        for i in range(3):
            middle[c, i] /= max(faces[c], 1.0)
    volume = np.zeros(cell_count)
    centre = np.zeros((cell_count, 3))
    for f in range(len(owner)):
        a, b = face_offsets[f], face_offsets[f + 1]
        fx, fy, fz = face_centre[f, 0], face_centre[f, 1], face_centre[f, 2]
        for k in range(a, b):
            p, q = face_points[k], face_points[k + 1 if k + 1 < b else a]
            x, y, z = _triangle(points, p, q, fx, fy, fz)
            for side in range(2 if f < inner else 1):
                c = owner[f] if side == 0 else neighbour[f]
                sign = 1.0 if side == 0 else -1.0
                height = x * (fx - middle[c, 0]) + y * (fy - middle[c, 1]) + z * (fz - middle[c, 2])
                part = sign * height / 3.0
                volume[c] += part
                centre[c, 0] += part * (points[p, 0] + points[q, 0] + fx + middle[c, 0]) / 4.0
                centre[c, 1] += part * (points[p, 1] + points[q, 1] + fy + middle[c, 1]) / 4.0
                centre[c, 2] += part * (points[p, 2] + points[q, 2] + fz + middle[c, 2]) / 4.0
    for c in range(cell_count):
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
def cell_boxes(points, face_points, face_offsets, owner, neighbour, cell_count):
    """The box round each cell."""
    low = np.full((cell_count, 3), np.inf)
    high = np.full((cell_count, 3), -np.inf)
    for f in range(len(owner)):
        for k in range(face_offsets[f], face_offsets[f + 1]):
            p = points[face_points[k]]
            for side in range(2 if f < len(neighbour) else 1):
                c = owner[f] if side == 0 else neighbour[f]
                for i in range(3):
                    low[c, i] = min(low[c, i], p[i])
                    high[c, i] = max(high[c, i], p[i])
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


@kernel
def chosen_faces(face_points, face_offsets, faces, turn):
    """Polygons of some faces as CSR, those marked in `turn` the other way round."""
    offsets = np.zeros(len(faces) + 1, np.int64)
    for k in range(len(faces)):
        offsets[k + 1] = offsets[k] + face_offsets[faces[k] + 1] - face_offsets[faces[k]]
    flat = np.empty(offsets[-1], np.int64)
    for k in range(len(faces)):
        a, b = face_offsets[faces[k]], face_offsets[faces[k] + 1]
        for j in range(b - a):
            flat[offsets[k] + j] = face_points[b - 1 - j] if turn[faces[k]] else face_points[a + j]
    return flat, offsets
