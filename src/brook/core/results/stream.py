"""Streamlines of plane flow as lines of the stream function.

ψ at the points of the mesh is the flow between them: u = ∂ψ/∂y, v = -∂ψ/∂x. It comes from the fluxes through
the faces, so that no streamline crosses a wall and vortices close (Batchelor 1967, section 2.2).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import breadth_first_order, connected_components

from brook.core.mesh import Mesh
from brook.core.results import kernels
from brook.core.results.plane import Triangles
from brook.core.solve import Fields

LONGEST = 200_000
# Lines by default: so many share the through-flow, and so many lie in what turns on the spot.
THROUGH, TURNING = 10, 3


@dataclass(frozen=True, eq=False)
class Streamline:
    """Places (n, 2) in m in the direction of the flow; `value` is ψ in m²/s."""

    places: np.ndarray
    value: float
    closed: bool


def stream_function(fields: Fields) -> np.ndarray:
    """ψ (P,) in m²/s at the points of a plane mesh: volume flow for each metre of depth."""
    mesh, active = fields.mesh, fields.stencil.active
    depth = float(np.ptp(mesh.points[:, 2]))
    a, b = front_edges(mesh, np.arange(active))
    # ψ(b) - ψ(a) = flow through the face, seen with its normal on the right of a → b
    run, normal = mesh.points[b] - mesh.points[a], mesh.face_vector[:active]
    sign = np.where(run[:, 1] * normal[:, 0] - run[:, 0] * normal[:, 1] > 0, 1.0, -1.0)
    # one density for all of a body, so that what enters a cell leaves it where density varies
    weight = np.bincount(mesh.body, fields.density) / np.maximum(np.bincount(mesh.body), 1)
    step = sign * fields.flux / weight[mesh.body[fields.stencil.owner]] / depth
    count = len(mesh.points)
    value = np.zeros(count)
    graph = sparse.csr_matrix((np.arange(1, active + 1), (a, b)), shape=(count, count))
    _, part = connected_components(graph, directed=False)
    for number in np.unique(part[a]):
        start = int(np.argmax(part == number))
        order, parent = breadth_first_order(graph, start, directed=False)
        inward = parent[order[1:]]
        # the face between a point and its parent, and whether it runs from parent to point
        ahead = np.asarray(graph[inward, order[1:]]).ravel()
        behind = np.asarray(graph[order[1:], inward]).ravel()
        flow = np.zeros(count)
        flow[order[1:]] = np.where(ahead > 0, step[ahead - 1], -step[behind - 1])
        kernels.add_up_stream(order, parent, flow, value)
    front, back = (np.nonzero(mesh.points[:, 2] == z)[0] for z in (mesh.points[:, 2].min(), mesh.points[:, 2].max()))
    front, back = (side[np.lexsort(mesh.points[side, :2].T)] for side in (front, back))
    value[back] = value[front]
    return value


def front_edges(mesh: Mesh, faces: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The two points (n,) each that faces over the depth of a plane mesh have on its front."""
    corners = mesh.face_points[mesh.face_offsets[faces][:, None] + np.arange(4)]
    on_front = mesh.points[corners, 2] == mesh.points[:, 2].min()
    every = np.arange(len(faces))
    first = np.argmax(on_front, axis=1)
    on_front[every, first] = False
    return corners[every, first], corners[every, np.argmax(on_front, axis=1)]


def streamline(triangles: Triangles, psi: np.ndarray, place: tuple[float, float]) -> Streamline | None:
    """The streamline through a place, None outside the fluid."""
    found, share = triangles.locate(np.array([place]))
    if found[0] < 0:
        return None
    level = float(psi[triangles.triangles[found[0]]] @ share[0])
    return _trace(triangles, psi, int(found[0]), level)


def _trace(triangles: Triangles, psi: np.ndarray, seed: int, level: float) -> Streamline | None:
    """The line of a level through a triangle. u = ∂ψ/∂y: larger ψ lies on the left of the flow."""
    corners = psi[triangles.triangles[seed]]
    level = min(max(level, float(corners.min())), float(corners.max()))
    if not (corners.min() < level <= corners.max()):
        spread = float(corners.max() - corners.min())
        if spread == 0:
            return None
        level = float(corners.min()) + 1e-9 * spread
    arguments = (triangles.points, triangles.triangles, triangles.neighbours, psi, seed, level)
    ahead, closed = kernels.trace_level(*arguments, True, LONGEST)
    if closed:
        return Streamline(np.vstack([ahead, ahead[:1]]), level, True)
    behind, _ = kernels.trace_level(*arguments, False, LONGEST)
    places = np.vstack([behind[::-1], ahead])
    return Streamline(places, level, False) if len(places) > 1 else None


def streamlines_from(triangles: Triangles, psi: np.ndarray, seeds: np.ndarray) -> list[Streamline]:
    """Streamlines through seeds (n, 2); those outside the fluid are left out."""
    lines = [streamline(triangles, psi, (float(x), float(y))) for x, y in seeds]
    return [line for line in lines if line is not None]


def default_streamlines(triangles: Triangles, psi: np.ndarray, boundary: np.ndarray) -> list[Streamline]:
    """Lines that share the through-flow evenly, and a few in each side of what turns without leaving.

    `boundary` are the numbers of the points on the boundary.
    """
    low, high = float(psi[boundary].min()), float(psi[boundary].max())
    reach = _reach(triangles, psi)
    least, most = float(reach[0].min()), float(reach[1].max())
    through = high - low
    levels = [low + (k + 0.5) * through / THROUGH for k in range(THROUGH)] if through > 0 else []
    for inner, outer in ((low, least), (high, most)):
        gap = outer - inner
        if abs(gap) > 1e-3 * max(most - least, 1e-300):
            # closer together where it turns slowly, so that weak vortices show too
            levels += [inner + gap * ((k + 0.5) / TURNING) ** 1.5 for k in range(TURNING)]
    return [line for level in levels for line in lines_of_level(triangles, psi, level, reach)]


def _reach(triangles: Triangles, psi: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The least and the largest value (T,) at the corners of each triangle."""
    a, b, c = (psi[triangles.triangles[:, k]] for k in range(3))
    return np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)


def lines_of_level(
    triangles: Triangles, psi: np.ndarray, level: float, reach: tuple[np.ndarray, np.ndarray] | None = None
) -> list[Streamline]:
    """Every line of one level, the longest first; `reach` are the least and largest values of the triangles."""
    least, most = _reach(triangles, psi) if reach is None else reach
    waiting = np.nonzero((least < level) & (most >= level))[0]
    left = np.zeros(len(triangles.triangles), bool)
    left[waiting] = True
    lines = []
    for seed in waiting:
        if not left[seed]:
            continue
        line = _trace(triangles, psi, int(seed), level)
        left[seed] = False
        if line is None:
            continue
        middle = 0.5 * (line.places[1:] + line.places[:-1])
        passed, _ = triangles.locate(middle)
        left[passed[passed >= 0]] = False
        lines.append(line)
    return sorted(lines, key=lambda line: -len(line.places))


def seeds_on_patch(fields: Fields, patch_name: str, count: int) -> np.ndarray:
    """Places (count, 2) on a patch that share its flow evenly; even steps where nothing flows. Raises `KeyError`."""
    mesh, patch = fields.mesh, fields.mesh.patch(patch_name)
    flow = np.abs(fields.flux[patch.faces])
    weight = flow if flow.sum() > 0 else mesh.face_areas(patch.faces)
    order, start, end = _along(*front_edges(mesh, np.arange(patch.start, patch.end)))
    share = np.concatenate([[0.0], np.cumsum(weight[order])]) / weight.sum()
    wanted = (np.arange(count) + 0.5) / count
    piece = np.clip(np.searchsorted(share, wanted) - 1, 0, patch.count - 1)
    within = (wanted - share[piece]) / np.maximum(share[piece + 1] - share[piece], 1e-300)
    a, b = mesh.points[start[piece], :2], mesh.points[end[piece], :2]
    # a little into the fluid, so that the seed is inside
    inward = -mesh.face_vector[patch.start + order[piece], :2]
    inward /= np.linalg.norm(inward, axis=1)[:, None]
    return a + within[:, None] * (b - a) + 1e-6 * mesh.size * inward


def _along(one: np.ndarray, other: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Edges (n,) in the order in which they hang together, and the points where each begins and ends."""
    at: dict[int, list[int]] = {}
    for k, ends in enumerate(zip(one.tolist(), other.tolist(), strict=True)):
        for point in ends:
            at.setdefault(point, []).append(k)
    left = dict.fromkeys(range(len(one)))
    found: list[tuple[int, int, int]] = []
    loose = [p for p, edges in at.items() if len(edges) == 1]
    while left:
        point = next((p for p in loose if at[p][0] in left), None)
        point = int(one[next(iter(left))]) if point is None else point
        while (edge := next((k for k in at[point] if k in left), None)) is not None:
            del left[edge]
            beyond = int(other[edge] if one[edge] == point else one[edge])
            found.append((edge, point, beyond))
            point = beyond
    order, start, end = np.array(found).T
    return order, start, end
