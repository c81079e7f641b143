"""Fields as a VTU file, by meshio: as hexahedra when all cells are, else all as polyhedra
(meshio cannot mix the two)."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from brook.core.mesh import Mesh
from brook.core.mesh.kernels import hexahedra
from brook.core.solve import Fields

OF_FACES = ("heat", "capacity")  # what more fields hold that says nothing of cells, or is no result


def write_vtu(path: Path, fields: Fields) -> None:
    """Velocity in m/s, speed in m/s and pressure in Pa at cells, with each cell's body number; the temperature in K, and
    means over time and the fluctuation in m/s, where there are any."""
    import meshio  # only here: few ask for a file, and loading it takes a while

    mesh = fields.mesh
    blocks, order = _blocks(mesh)
    data = {
        "velocity": fields.velocity, "speed": fields.speed, "pressure": fields.pressure, "body": mesh.body,
    }  # fmt: skip
    data |= {name: cells for name, (cells, _) in fields.more.items() if name not in OF_FACES}
    split = np.cumsum([len(cells) for cells in order])[:-1]
    cell_data = {name: np.split(values[np.concatenate(order)], split) for name, values in data.items()}
    meshio.write(path, meshio.Mesh(mesh.points, blocks, cell_data=cell_data), file_format="vtu")


def _blocks(mesh: Mesh) -> tuple[list[tuple[str, object]], list[np.ndarray]]:
    """Cells by kind as meshio wants them, and the cell numbers of each kind."""
    offsets, faces = mesh.cell_faces
    corners = hexahedra(offsets, faces, mesh.face_points, mesh.face_offsets, mesh.owner)
    if np.all(corners[:, 0] >= 0):
        return [("hexahedron", corners)], [np.arange(mesh.cell_count)]
    by_points: dict[int, list[tuple[int, list[list[int]]]]] = {}
    for cell in range(mesh.cell_count):
        polygons = [_outward(mesh, cell, f) for f in faces[offsets[cell] : offsets[cell + 1]]]
        by_points.setdefault(len({p for q in polygons for p in q}), []).append((cell, polygons))
    blocks: list[tuple[str, object]] = []
    order = []
    for count, cells in sorted(by_points.items()):
        blocks.append((f"polyhedron{count}", [polygons for _, polygons in cells]))
        order.append(np.array([cell for cell, _ in cells]))
    return blocks, order


def _outward(mesh: Mesh, cell: int, face: int) -> list[int]:
    corners = mesh.face_points[mesh.face_offsets[face] : mesh.face_offsets[face + 1]].tolist()
    return corners if mesh.owner[face] == cell else corners[::-1]
