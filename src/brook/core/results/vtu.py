"""Fields as a VTU file, by meshio. Cells with eight corners and six four-cornered faces are written
as hexahedra, all others as polyhedra."""

from __future__ import annotations

from pathlib import Path

import meshio
import numpy as np

from brook.core.mesh import Mesh
from brook.core.solve import Fields


def write_vtu(path: Path, fields: Fields) -> None:
    """Velocity in m/s, speed in m/s and pressure in Pa at cells, with each cell's body number."""
    mesh = fields.mesh
    blocks, order = _blocks(mesh)
    data = {
        "velocity": fields.velocity, "speed": fields.speed, "pressure": fields.pressure, "body": mesh.body,
    }  # fmt: skip
    split = np.cumsum([len(cells) for cells in order])[:-1]
    cell_data = {name: np.split(values[np.concatenate(order)], split) for name, values in data.items()}
    meshio.write(path, meshio.Mesh(mesh.points, blocks, cell_data=cell_data), file_format="vtu")


def _blocks(mesh: Mesh) -> tuple[list[tuple[str, object]], list[np.ndarray]]:
    offsets, faces = mesh.cell_faces
    corner_count = np.diff(mesh.face_offsets)
    face_count = np.diff(offsets)
    all_four = np.logical_and.reduceat(corner_count[faces] == 4, offsets[:-1])
    hexes, rest = [], []
    for cell in np.nonzero(np.ones(mesh.cell_count, bool))[0]:
        corners = _hexahedron(mesh, cell, faces[offsets[cell] : offsets[cell + 1]]) if (
            all_four[cell] and face_count[cell] == 6
        ) else None
        (rest if corners is None else hexes).append((cell, corners))
    blocks: list[tuple[str, object]] = []
    order = []
    if hexes:
        blocks.append(("hexahedron", np.array([c for _, c in hexes])))
        order.append(np.array([cell for cell, _ in hexes]))
    by_points: dict[int, list[tuple[int, list[list[int]]]]] = {}
    for cell, _ in rest:
        polygons = [_outward(mesh, cell, f) for f in faces[offsets[cell] : offsets[cell + 1]]]
        by_points.setdefault(len({p for q in polygons for p in q}), []).append((cell, polygons))
    for count, cells in sorted(by_points.items()):
        blocks.append((f"polyhedron{count}", [polygons for _, polygons in cells]))
        order.append(np.array([cell for cell, _ in cells]))
    return blocks, order


def _outward(mesh: Mesh, cell: int, face: int) -> list[int]:
    corners = mesh.face_points[mesh.face_offsets[face] : mesh.face_offsets[face + 1]].tolist()
    return corners if mesh.owner[face] == cell else corners[::-1]


def _hexahedron(mesh: Mesh, cell: int, faces: np.ndarray) -> list[int] | None:
    """Corners in VTK's order: a bottom face seen from inside, then the points above each."""
    polygons = [_outward(mesh, cell, f) for f in faces]
    bottom = polygons[0][::-1]
    above = {}
    for polygon in polygons[1:]:
        for k, point in enumerate(polygon):
            following = polygon[(k + 1) % 4]
            if (point in bottom) != (following in bottom):
                low, high = (point, following) if point in bottom else (following, point)
                above[low] = high
    if len(above) != 4 or len({*bottom, *above.values()}) != 8:
        return None
    return [*bottom, *(above[p] for p in bottom)]
