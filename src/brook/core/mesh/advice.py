"""Which statement of a mesh plan to change when a mesh will not do."""

from __future__ import annotations

import numpy as np

from brook.core.mesh.polyhedral import PLANE_SIDES, WEDGE_SIDES, Mesh
from brook.core.mesh.quality import LIMITS, Quality, per_cell
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]


def patch_near(mesh: Mesh, place: np.ndarray) -> str:
    """The name of the patch whose face lies nearest to a place (3,), "no patch" where there is none."""
    best, name = np.inf, "no patch"
    for patch in mesh.patches:
        if patch.name in (PLANE_SIDES, WEDGE_SIDES) or patch.count == 0:
            continue
        distance = np.linalg.norm(mesh.face_centres(patch.faces) - place, axis=1).min()
        if distance < best:
            best, name = float(distance), patch.name
    return name


def _heights(mesh: Mesh, face: int) -> tuple[float, float]:
    """The lower and the larger height in m of the cells on both sides of a face, across it."""
    vector = mesh.face_vector[face]
    centre = mesh.face_centres(slice(face, face + 1))[0]
    away = [2 * abs(float((mesh.centre[c] - centre) @ vector)) for c in (mesh.owner[face], mesh.neighbour[face])]
    size = float(np.linalg.norm(vector))
    return min(away) / size, max(away) / size


def advice(mesh: Mesh, quality: Quality) -> str:
    """One sentence on what to change about the first measure over its limit, '' when all are under theirs."""
    worst = quality.worst()
    over = next((n for level in (1, 0) for n in LIMITS if worst[n] > LIMITS[n][level]), None)
    if over is None:
        return ""
    values = quality.aspect_ratio if over == "aspect_ratio" else per_cell(mesh, getattr(quality, over))
    cell = int(np.argmax(values))
    near = patch_near(mesh, mesh.centre[cell])
    faces = mesh.cell_faces[1][mesh.cell_faces[0][cell] : mesh.cell_faces[0][cell + 1]]
    inner = faces[faces < mesh.inner_count]
    beside = np.concatenate([mesh.owner[inner], mesh.neighbour[inner], [cell]])
    if not (mesh.layer[beside] > 0).any():
        if over == "growth":
            return f"It is near {near}: let each next cell grow less."
        return f"It is near {near}: make cells there smaller."
    if over == "aspect_ratio":
        return f"It is in the layers along {near}: make the first one thicker, or cells there smaller."
    if over == "growth":
        last, beside_it = _heights(mesh, inner[np.argmax(quality.growth[inner])])
        return (
            f"It is where the layers along {near} end: the last is {show(last, LENGTH)} high, the cell beside it {show(beside_it, LENGTH)}; "
            f"make them more or thicker, or cells there smaller."
        )
    return f"It is in the layers along {near}: make these thinner, or cells there smaller."
