"""Which cells lie in a region, and by what share."""

from __future__ import annotations

import numpy as np

from brook.core.mesh import Mesh
from brook.core.study import Resolved
from brook.core.units import DIMENSIONS, show

OFF = 0.02  # of a volume drawn: by how much more the mesh may have without being told
MOSTLY = 0.5  # of a volume: what cells that its border cuts may hold


def inside(region: Resolved, places: np.ndarray, plane: bool) -> np.ndarray:
    """Which places (n, 3) in m lie in a shape; a drawing knows no z."""
    axes = 2 if plane else 3
    at = np.array([region.x, region.y, region.z])[:axes]
    away = places[:, :axes] - at
    if region.kind == "box":
        size = np.array([region.width, region.depth, region.height])[:axes]
        return np.asarray(((away >= 0) & (away <= size)).all(axis=1))
    if region.kind == "cylinder":
        end = np.array([region.end_x, region.end_y, region.end_z])[:axes] - at
        length = float(np.linalg.norm(end))
        along = away @ (end / length) if length > 0 else np.zeros(len(away))
        beside = away - along[:, None] * (end / length if length > 0 else 0.0)
        return np.asarray((along >= 0) & (along <= length) & (np.linalg.norm(beside, axis=1) <= region.diameter / 2))
    return np.asarray(np.linalg.norm(away, axis=1) <= region.diameter / 2)


def volume_drawn(region: Resolved, depth: float | None) -> float | None:
    """In m³, that of a drawing as deep as its mesh; None of what has no shape of its own."""
    if region.kind == "box":
        return float(region.width * region.depth * (region.height if depth is None else depth))
    if region.kind == "ball":
        return float(np.pi * region.diameter**2 / 4 * (region.diameter * 2 / 3 if depth is None else depth))
    if region.kind == "cylinder":
        axes = ("x", "y", "z") if depth is None else ("x", "y")
        length = float(np.linalg.norm([getattr(region, f"end_{a}") - getattr(region, a) for a in axes]))
        return float(length * region.diameter * (np.pi * region.diameter / 4 if depth is None else depth))
    return None


def shares(region: Resolved, mesh: Mesh, title: str) -> np.ndarray:
    """What share of each cell (C,) lies in a region: the pyramids over its faces whose middles do.

    Raises `ValueError` for a body that is not there, and for a shape in which nothing lies."""
    if region.kind == "everywhere":
        return np.ones(mesh.cell_count)
    if region.kind == "body":
        if region.body not in mesh.bodies:
            raise ValueError(f"there is no body {region.body} here for {title}; bodies are {', '.join(mesh.bodies)}")
        return (mesh.body == mesh.bodies.index(region.body)).astype(float)
    faces = mesh.face_centres()
    whole, caught = np.zeros(mesh.cell_count), np.zeros(mesh.cell_count)
    # a drawing is a cell deep: its pyramids over the two planes say nothing that those over the edges do not
    planes = mesh.is_plane
    for cells, face in ((mesh.owner, np.arange(mesh.face_count)), (mesh.neighbour, np.arange(mesh.inner_count))):
        out = faces[face] - mesh.centre[cells]
        size = np.abs(np.einsum("ij,ij->i", out, mesh.face_vector[face]))
        if planes:
            size[np.abs(mesh.face_vector[face, 2]) > np.linalg.norm(mesh.face_vector[face, :2], axis=1)] = 0.0
        middle = mesh.centre[cells] + (2 / 3 if planes else 3 / 4) * out
        np.add.at(whole, cells, size)
        np.add.at(caught, cells, size * inside(region, middle, planes))
    found = caught / np.maximum(whole, np.finfo(float).tiny)
    if not found.any():
        raise ValueError(f"nothing lies in the {region.kind} of {title}; move it, or make it larger than a cell")
    return found


def told(region: Resolved, mesh: Mesh, share: np.ndarray, title: str) -> list[str]:
    """That cells are large against a shape: its border cuts most of those that it holds, or it holds more than was drawn."""
    depth = float(np.ptp(mesh.points[:, 2])) if mesh.is_plane else None
    drawn, size = volume_drawn(region, depth), DIMENSIONS["volume"]
    held, cut = float(share @ mesh.volume), float((share * (share < 1)) @ mesh.volume)
    if drawn is None or (held <= (1 + OFF) * drawn and cut <= MOSTLY * held):
        return []
    return [
        f"cells are large against the {region.kind} of {title}: it holds {show(drawn, size)}, {show(held, size)} of the mesh stand for it, of which "
        f"{cut / held:.0%} lie in cells that its border cuts"
    ]
