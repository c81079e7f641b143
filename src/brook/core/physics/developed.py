"""The profile of developed flow over any flat patch.

Laminar flow in a straight duct obeys ∇²w = const with w = 0 at the wall (Shah & London 1978),
so the profile is found by solving just that on the faces of the patch. That of turbulent flow follows from it by a power law.
"""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import spsolve

from brook.core.mesh import Mesh, Patch


def developed_profile(mesh: Mesh, patch: Patch, sticking: set[str]) -> np.ndarray:
    """Speed over mean speed (n,) on the faces of a patch.

    The fluid sticks at the rim where the patch meets a patch named in `sticking`; elsewhere
    (symmetry, slip, the plane sides) the profile is level across the rim.

    Raises `ValueError` for a patch without such a rim: nothing says how a flow develops there.
    """
    area, centre = mesh.face_areas(patch.faces), mesh.face_centres(patch.faces)
    edges = _edges(mesh, patch)
    rim_points = _points_of(mesh, sticking)
    rows, columns, entries = [], [], []
    diagonal, held = np.zeros(patch.count), 0
    for (p, q), faces in edges.items():
        a, b = mesh.points[p], mesh.points[q]
        length = float(np.linalg.norm(b - a))
        first = centre[faces[0]]
        if len(faces) == 2:
            second = centre[faces[1]]
            entry = length / (_distance(first, a, b) + _distance(second, a, b))
            rows += [faces[0], faces[1]]
            columns += [faces[1], faces[0]]
            entries += [-entry, -entry]
            diagonal[faces] += entry
        elif (p, q) in rim_points:
            diagonal[faces[0]] += length / _distance(first, a, b)
            held += 1
    if not held:
        raise ValueError(
            f"no wall touches the rim of '{patch.name}', so a developed flow has no profile there; let it enter evenly, or "
            "say that what surrounds it is a wall"
        )
    every = np.arange(patch.count)
    matrix = sparse.csr_matrix(
        (np.concatenate([diagonal, entries]), (np.concatenate([every, rows]), np.concatenate([every, columns]))),
        shape=(patch.count, patch.count),
    )
    profile = np.atleast_1d(spsolve(matrix, area))
    if not np.all(np.isfinite(profile)) or not profile @ area > 0:
        raise ValueError(f"the developed profile on '{patch.name}' has no solution; let the flow enter evenly")
    return profile * area.sum() / float(profile @ area)


def turbulent_profile(laminar: np.ndarray, area: np.ndarray, reynolds: float) -> np.ndarray:
    """Speed over mean speed (n,) of turbulent flow, from that of laminar flow on faces of areas (n,): u ~ y^√f (Nunner 1956).

    y = 1 − √(1 − w/w_max) is the distance from the wall over the half width, in a pipe and between plates exactly; f is that of smooth walls
    (Petukhov 1970) at a Reynolds number by the hydraulic diameter, 4000 at least.
    """
    friction = (0.79 * np.log(max(reynolds, 4000.0)) - 1.64) ** -2
    far = 1 - np.sqrt(np.maximum(1 - np.maximum(laminar, 0.0) / laminar.max(), 0.0))
    profile = far ** np.sqrt(friction)
    return profile * area.sum() / float(profile @ area)


def wetted_rim(mesh: Mesh, patch: Patch, sticking: set[str]) -> float:
    """Length in m of the rim of a patch where it meets a patch named in `sticking`."""
    rim = _points_of(mesh, sticking)
    ends = np.array([edge for edge, faces in _edges(mesh, patch).items() if len(faces) == 1 and edge in rim])
    return float(np.linalg.norm(mesh.points[ends[:, 1]] - mesh.points[ends[:, 0]], axis=1).sum()) if len(ends) else 0.0


def _face_edges(mesh: Mesh, face: int) -> list[tuple[int, int]]:
    corners = mesh.face_points[mesh.face_offsets[face] : mesh.face_offsets[face + 1]]
    following = np.roll(corners, -1)
    return [(min(p, q), max(p, q)) for p, q in zip(corners.tolist(), following.tolist(), strict=True)]


def _edges(mesh: Mesh, patch: Patch) -> dict[tuple[int, int], list[int]]:
    edges: dict[tuple[int, int], list[int]] = {}
    for k in range(patch.count):
        for edge in _face_edges(mesh, patch.start + k):
            edges.setdefault(edge, []).append(k)
    return edges


def _points_of(mesh: Mesh, names: set[str]) -> set[tuple[int, int]]:
    """Edges of all faces of the named patches."""
    return {
        edge
        for patch in mesh.patches
        if patch.name in names
        for face in range(patch.start, patch.end)
        for edge in _face_edges(mesh, face)
    }


def _distance(point: np.ndarray, a: np.ndarray, b: np.ndarray) -> float:
    along = (b - a) / np.linalg.norm(b - a)
    offset = point - a
    return float(np.linalg.norm(offset - np.dot(offset, along) * along))
