"""Walls that two bodies have in common, made one: where flat sides lie on each other they are divided alike.

Solids that touch each have a wall of their own at the same place. Each flat piece on which walls of several shells lie
is divided anew along all their outlines, so that a wall between two bodies stands there once.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from brook.core.geometry.booleans import together
from brook.core.geometry.surface import Surface, surface_of

NEAR = 1e-7  # of the size: places so near are the same
EDGE_ROUNDS = 6
THIN = 100.0  # times `near`: faces thinner than this on average
FLAT = 1e-6  # by which unit normals of one plane may differ


def shared_walls(surface: Surface, fresh: Surface) -> Surface:
    """Both surfaces together, with walls that they share there once; the patches of `fresh` go before."""
    both = together([surface, fresh])
    shell = np.repeat([0, 1], [surface.count, fresh.count])
    near = NEAR * max(both.size, 1e-300)
    points = snapped(both.points, near)
    corners = points[both.triangles]
    planes = coplanar(both, corners, shell, near)
    kept = np.ones(both.count, bool)
    pieces, patch = [], []
    for group in planes:
        parts = divided(corners[group], shell[group], both.patch[group], near)
        if parts is not None:
            # a wall that both have stands once, as the first has it and by the name that the second gives it
            kept[group] = False
            pieces.append(parts.corners[parts.first])
            patch.append(parts.last[parts.first])
    if not pieces:
        return _once(surface_of(points, both.triangles, both.patch, both.patches), shell)
    every = np.concatenate([corners[kept], *pieces])
    flat = snapped(every.reshape(-1, 3), near).reshape(-1, 3, 3)
    number = np.concatenate([both.patch[kept], *patch])
    of = np.concatenate([shell[kept], np.full(len(number) - int(kept.sum()), 2)])
    flat, number, of = whole_edges(flat, number, of, near)
    made = surface_of(flat.reshape(-1, 3), np.arange(3 * len(flat)).reshape(-1, 3), number, both.patches)
    a, b, c = made.triangles.T
    sound = (a != b) & (b != c) & (c != a)
    return _once(made.only(sound), of[sound])


def snapped(points: np.ndarray, near: float) -> np.ndarray:
    """Places (P, 3) with those that lie within a distance of each other made the same."""
    pairs = cKDTree(points).query_pairs(near, output_type="ndarray")
    if not len(pairs):
        return points
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points)))
    _, group = connected_components(graph, directed=False)
    _, first = np.unique(group, return_index=True)
    return points[first[group]]


def coplanar(
    surface: Surface, corners: np.ndarray, shell: np.ndarray, near: float, chosen: np.ndarray | None = None
) -> list[np.ndarray]:
    """Triangles, by number, of every plane in which two shells have some, among the chosen ones."""
    chosen = np.arange(surface.count) if chosen is None else chosen
    corners, shell = corners[chosen], shell[chosen]
    normal = surface.vectors[chosen] / np.maximum(surface.areas[chosen], 1e-300)[:, None]
    first = np.argmax(np.abs(normal) > 0.1, axis=1)
    normal = normal * np.sign(normal[np.arange(len(normal)), first])[:, None]
    height = np.einsum("ij,ij->i", corners[:, 0] - corners.reshape(-1, 3).mean(axis=0), normal)
    # planes as places in four dimensions, in which a hundredth of FLAT and `near` count alike
    place = np.round(np.column_stack([normal / FLAT, height / near]))
    # each place once: a flat side of many triangles is a single one
    cells, of = np.unique(place, axis=0, return_inverse=True)
    pairs = cKDTree(cells).query_pairs(2.0, output_type="ndarray")
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(cells), len(cells)))
    count, joined = connected_components(graph, directed=False)
    group = joined[of.ravel()]
    kinds = np.unique(np.stack([group, shell], axis=1), axis=0)
    wanted = np.nonzero(np.bincount(kinds[:, 0], minlength=count) > 1)[0]
    order = np.argsort(group, kind="stable")
    begin = np.searchsorted(group[order], wanted)
    end = np.searchsorted(group[order], wanted, side="right")
    return [chosen[order[a:b]] for a, b in zip(begin, end, strict=True)]


@dataclass(frozen=True, eq=False)
class Divided:
    """Triangles (n, 3, 3) of a plane, the patch and shell (n,) each is of; where several have a piece it stands there for each,
    and `first` (n,) marks that of the first shell; `last` (n,) is the patch that the last shell gives it."""

    corners: np.ndarray
    patch: np.ndarray
    side: np.ndarray
    first: np.ndarray
    last: np.ndarray


def divided(corners: np.ndarray, shell: np.ndarray, patch: np.ndarray, near: float) -> Divided | None:
    """Triangles of one plane divided along the outlines of all shells; None when these only touch. They go round as those of
    their own shell do."""
    middle = corners.reshape(-1, 3).mean(axis=0)
    vector = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    largest = int(np.argmax(np.linalg.norm(vector, axis=1)))
    axis = vector[largest] / np.linalg.norm(vector[largest])
    one = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    one /= np.linalg.norm(one)
    other = np.cross(axis, one)
    flat = np.stack([(corners - middle) @ one, (corners - middle) @ other], axis=-1)
    up = vector @ axis > 0
    shapes = shapely.polygons(flat)
    outlines, told = [], []
    for s in np.unique(shell):
        for p in np.unique(patch[shell == s]):
            for way in (False, True):
                chosen = (shell == s) & (patch == p) & (up == way)
                if chosen.any():
                    outlines.append(shapely.union_all(shapes[chosen]))
                    told.append((s, p, way))
    areas = [shapely.union_all([o for o, t in zip(outlines, told, strict=True) if t[0] == s]) for s in np.unique(shell)]
    if not any(_over(a, b, near) for a, b in combinations(areas, 2)):
        return None
    lines = shapely.unary_union([o.boundary for o in outlines])
    faces = shapely.get_parts(shapely.polygonize(shapely.get_parts(lines)))
    found: list[tuple[np.ndarray, int, int, bool, int]] = []
    for face in faces:
        owners = [t for o, t in zip(outlines, told, strict=True) if _lies_in(face, o, near)]
        for triangle in shapely.get_parts(shapely.constrained_delaunay_triangles(face)):
            at = shapely.get_coordinates(triangle)[:3]
            turns = np.cross(np.append(at[1] - at[0], 0), np.append(at[2] - at[0], 0))[2] > 0
            for k, (s, p, way) in enumerate(owners):
                here = at if turns == way else at[::-1]
                found.append((middle + here[:, :1] * one + here[:, 1:] * other, p, s, k == 0, owners[-1][1]))
    if not found:
        return None
    pieces, numbers, sides, first, last = zip(*found, strict=True)
    return Divided(np.array(pieces), np.array(numbers), np.array(sides), np.array(first), np.array(last))


def _lies_in(face: shapely.Geometry, outline: shapely.Geometry, near: float) -> bool:
    """Whether a face lies in an outline; of one that is thin no point is surely within, but its area is."""
    if face.area > THIN * near * face.length:
        return bool(outline.contains(face.representative_point()))
    return bool(shapely.intersection(outline, face).area > 0.5 * face.area)


def _over(one: shapely.Geometry, other: shapely.Geometry, near: float) -> bool:
    """Whether two areas lie on each other by more than a line that is `near` wide."""
    return bool(shapely.intersection(one, other).area > near * np.sqrt(min(one.area, other.area)))


def whole_edges(
    corners: np.ndarray, patch: np.ndarray, shell: np.ndarray, near: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The same triangles, those with a corner of another within one of their edges divided there."""
    for _ in range(EDGE_ROUNDS):  # what is left out as flat may leave a neighbour to be divided
        before = len(corners)
        corners, patch, shell, changed = _edges_divided(corners, patch, shell, near)
        if not changed and len(corners) == before:
            break
    return corners, patch, shell


def _edges_divided(
    corners: np.ndarray, patch: np.ndarray, shell: np.ndarray, near: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray, bool]:
    """One round of `whole_edges`, and whether a triangle was divided or left out."""
    sound = ~(corners == np.roll(corners, -1, axis=1)).all(axis=2).any(axis=1)
    corners, patch, shell = corners[sound], patch[sound], shell[sound]
    # only at edges that one triangle has alone can there be a corner of another
    number = np.unique(corners.reshape(-1, 3), axis=0, return_inverse=True)[1].reshape(-1, 3)
    low, high = np.minimum(number, np.roll(number, -1, axis=1)), np.maximum(number, np.roll(number, -1, axis=1))
    key = low.astype(np.int64) * (int(number.max()) + 1) + high
    _, of, uses = np.unique(key, return_inverse=True, return_counts=True)
    alone = uses[of.reshape(key.shape)] == 1
    chosen = alone.any(axis=1)
    if not chosen.any():
        return corners, patch, shell, False
    changed = not sound.all()
    tree_points = np.unique(corners[chosen].reshape(-1, 3), axis=0)
    tree = cKDTree(tree_points)
    done = list(zip(corners[~chosen], patch[~chosen], shell[~chosen], strict=True))
    waiting = list(zip(corners[chosen], patch[chosen], shell[chosen], strict=True))
    while waiting:
        at, p, s = waiting.pop()
        if (at == np.roll(at, -1, axis=0)).all(axis=1).any():
            changed = True
            continue  # what was flat, divided at its middle corner: its neighbours are divided there too
        split = None
        for k in range(3):
            a, b, c = at[k], at[(k + 1) % 3], at[(k + 2) % 3]
            length = float(np.linalg.norm(b - a))
            inside = tree.query_ball_point((a + b) / 2, length / 2)
            if not inside:
                continue
            q = tree_points[inside]
            share = (q - a) @ (b - a) / length**2
            off = np.linalg.norm(q - a - share[:, None] * (b - a), axis=1)
            on = np.nonzero((off < 2 * near) & (share * length > 2 * near) & ((1 - share) * length > 2 * near))[0]
            if len(on):
                m = q[on[np.argmin(np.abs(share[on] - 0.5))]]
                split = (np.array([a, m, c]), np.array([m, b, c]))
                break
        if split is None:
            done.append((at, p, s))
        else:
            changed = True
            waiting += [(half, p, s) for half in split]
    at, p, s = zip(*done, strict=True)
    return np.array(at), np.array(p), np.array(s), changed


def _once(surface: Surface, shell: np.ndarray) -> Surface:
    """Of triangles with the same corners the one that came last, looking as the first did."""
    key = np.sort(surface.triangles, axis=1)
    _, first, inverse = np.unique(key, axis=0, return_index=True, return_inverse=True)
    inverse = inverse.ravel()
    last = np.zeros(len(first), np.int64)
    np.maximum.at(last, inverse, np.arange(len(inverse)))
    order = np.sort(first)
    patch = surface.patch.copy()
    patch[first] = surface.patch[last]
    return Surface(surface.points, surface.triangles[order], patch[order], surface.patches)
