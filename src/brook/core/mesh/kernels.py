"""Compiled loops over points, faces and cells of a mesh."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def face_geometry(points, face_points, face_offsets):  # type: ignore[no-untyped-def]
    """Area vectors and centroids of polygons, by triangles about the mean point."""
    count = len(face_offsets) - 1
    vector = np.zeros((count, 3))
    centre = np.zeros((count, 3))
    for f in range(count):
        a, b = face_offsets[f], face_offsets[f + 1]
        mean = np.zeros(3)
        for k in range(a, b):
            mean += points[face_points[k]]
        mean /= b - a
        for k in range(a, b):
            p = points[face_points[k]] - mean
            q = points[face_points[k + 1 if k + 1 < b else a]] - mean
            vector[f] += 0.5 * np.cross(p, q)
        area = np.sqrt((vector[f] ** 2).sum())
        if area == 0.0:
            centre[f] = mean
            continue
        normal = vector[f] / area
        weight = 0.0
        for k in range(a, b):
            p = points[face_points[k]]
            q = points[face_points[k + 1 if k + 1 < b else a]]
            part = 0.5 * np.dot(np.cross(p - mean, q - mean), normal)
            weight += part
            centre[f] += part * (p + q + mean) / 3.0
        centre[f] /= weight
    return vector, centre


@njit(cache=True)
def cell_geometry(points, face_points, face_offsets, owner, neighbour, face_centre, cell_count):  # type: ignore[no-untyped-def]
    """Volumes and centroids of polyhedra, by tetrahedra about the mean of the face centroids."""
    middle = np.zeros((cell_count, 3))
    faces = np.zeros(cell_count)
    inner = len(neighbour)
    for f in range(len(owner)):
        middle[owner[f]] += face_centre[f]
        faces[owner[f]] += 1.0
        if f < inner:
            middle[neighbour[f]] += face_centre[f]
            faces[neighbour[f]] += 1.0
    for c in range(cell_count):
        middle[c] /= faces[c]
    volume = np.zeros(cell_count)
    centre = np.zeros((cell_count, 3))
    for f in range(len(owner)):
        a, b = face_offsets[f], face_offsets[f + 1]
        for side in range(2 if f < inner else 1):
            c = owner[f] if side == 0 else neighbour[f]
            sign = 1.0 if side == 0 else -1.0
            for k in range(a, b):
                p = points[face_points[k]]
                q = points[face_points[k + 1 if k + 1 < b else a]]
                cross = np.cross(p - face_centre[f], q - face_centre[f])
                part = sign * np.dot(cross, face_centre[f] - middle[c]) / 6.0
                volume[c] += part
                centre[c] += part * (p + q + face_centre[f] + middle[c]) / 4.0
    for c in range(cell_count):
        centre[c] /= volume[c]
    return volume, centre


@njit(cache=True)
def faces_of_cells(owner, neighbour, cell_count):  # type: ignore[no-untyped-def]
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


@njit(cache=True)
def cell_boxes(points, face_points, face_offsets, owner, neighbour, cell_count):  # type: ignore[no-untyped-def]
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
