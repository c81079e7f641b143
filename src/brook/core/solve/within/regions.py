"""Which cells lie in a region, and by what share."""

from __future__ import annotations

import numpy as np

from brook.core.mesh import Mesh
from brook.core.study import Resolved
from brook.core.units import DIMENSIONS, show

OFF = 0.02  # of a volume drawn: by how much more the mesh may have without being told
POINTS, PLANE_POINTS = 8, 16  # along each side of the box round a cell
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


def _reach(region: Resolved, sign: float) -> np.ndarray:
    """The upper corner (3,) in m of the box round a shape, with -1 the lower one."""
    at = np.array([region.x, region.y, region.z])
    if region.kind == "box":
        return at + (np.array([region.width, region.depth, region.height]) if sign > 0 else 0.0)
    end = np.array([region.end_x, region.end_y, region.end_z]) if region.kind == "cylinder" else at
    return np.asarray((np.maximum(at, end) if sign > 0 else np.minimum(at, end)) + sign * region.diameter / 2)


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
    """What share of each cell (C,) lies in a region, where its border cuts a cell by a grid of points in the box round it.

    Raises `ValueError` for a body that is not there, and for a shape in which nothing lies."""
    if region.kind == "everywhere":
        return np.ones(mesh.cell_count)
    if region.kind == "body":
        if region.body not in mesh.bodies:
            raise ValueError(f"there is no body {region.body} here for {title}; bodies are {', '.join(mesh.bodies)}")
        return (mesh.body == mesh.bodies.index(region.body)).astype(float)
    planes, (low, high) = mesh.is_plane, mesh.cell_box
    corners = np.array([[x, y, z] for x in (0.0, 1.0) for y in (0.0, 1.0) for z in (0.0, 1.0)])
    held = sum(inside(region, low + c * (high - low), planes).astype(int) for c in corners)
    found = (np.asarray(held) == len(corners)).astype(float)
    near = ((low <= _reach(region, 1.0)) & (high >= _reach(region, -1.0)))[:, : 2 if planes else 3].all(axis=1)
    cut = np.nonzero(near & (found < 1))[0]
    count = PLANE_POINTS if planes else POINTS
    line = (np.arange(count) + 0.5) / count
    for x in line:  # cells that the border may cut, point by point of a grid in the box round each
        for y in line:
            for z in (0.5,) if planes else line:
                at = low[cut] + np.array([x, y, z]) * (high[cut] - low[cut])
                found[cut] += inside(region, at, planes) / (count**2 if planes else count**3)
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
