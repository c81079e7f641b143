"""Meshes for tests: boxes of hexahedra in three dimensions, straight or bent out of shape."""

from __future__ import annotations

import numpy as np

from brook.core.mesh import Mesh, Patch

SIDES = ("left", "right", "bottom", "top", "back", "front")


def box_mesh(cells: tuple[int, int, int], size: tuple[float, float, float] = (1, 1, 1), bend: float = 0.0) -> Mesh:
    """A box of hexahedra with six patches; `bend` moves inner points by that share of a cell's size."""
    nx, ny, nz = cells
    axes = [np.linspace(0, s, n + 1) for s, n in zip(size, cells, strict=True)]
    points = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    if bend:
        x, y, z = (points[..., i] / size[i] for i in range(3))
        wave = np.sin(np.pi * x) * np.sin(np.pi * y) * np.sin(np.pi * z)
        for i in range(3):
            points[..., i] += bend * size[i] * wave * np.cos((i + 1) * np.pi * (x + y + z))
    points = points.reshape(-1, 3)

    def point(i, j, k):
        return (i * (ny + 1) + j) * (nz + 1) + k

    def cell(i, j, k):
        return (i * ny + j) * nz + k

    inner, sides = [], {name: [] for name in SIDES}
    steps = np.eye(3, dtype=int)
    for i, j, k in np.ndindex(nx + 1, ny + 1, nz + 1):
        for axis in range(3):
            a, b = steps[(axis + 1) % 3], steps[(axis + 2) % 3]
            here = np.array([i, j, k])
            if np.any(
                (here + a + b)[[(axis + 1) % 3, (axis + 2) % 3]] > np.array(cells)[[(axis + 1) % 3, (axis + 2) % 3]]
            ):
                continue
            corners = [point(*here), point(*(here + a)), point(*(here + a + b)), point(*(here + b))]
            low = cell(*(here - steps[axis])) if here[axis] > 0 else -1
            high = cell(*here) if here[axis] < cells[axis] else -1
            if low >= 0 and high >= 0:
                inner.append((low, high, corners))
            elif low >= 0:
                sides[SIDES[2 * axis + 1]].append((low, corners))
            else:
                sides[SIDES[2 * axis]].append((high, corners[::-1]))
    inner.sort()
    owner = [f[0] for f in inner]
    corners = [f[2] for f in inner]
    patches = []
    for name, faces in sides.items():
        patches.append(Patch(name, len(owner), len(owner) + len(faces)))
        owner += [f[0] for f in faces]
        corners += [f[1] for f in faces]
    return Mesh(
        points=points,
        face_points=np.array(corners).ravel(),
        face_offsets=np.arange(0, 4 * len(corners) + 1, 4),
        owner=np.array(owner),
        neighbour=np.array([f[1] for f in inner]),
        patches=tuple(patches),
        bodies=("fluid",),
        body=np.zeros(nx * ny * nz, np.int64),
    )
