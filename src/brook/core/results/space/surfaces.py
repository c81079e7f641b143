"""Surfaces through a mesh as polygons in its cells: planes, and where a quantity has one value."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import Mesh
from brook.core.numerics.chunks import chunks_of, over
from brook.core.results.quantities import QUANTITIES, View
from brook.core.results.space import crossing

Triple = tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class Polygons:
    """Polygons in cells: where each begins, `offsets` (m + 1,); `points` (n,) numbers its corners among `at` (P, 3) in m;
    `cell` (m,); `rim` are (point, boundary face) pairs (k, 2). All of a cut or a surface go round the same way.
    """

    offsets: np.ndarray
    points: np.ndarray
    at: np.ndarray
    cell: np.ndarray
    rim: np.ndarray


def plane_cut(mesh: Mesh, origin: Triple, normal: Triple) -> Polygons:
    """The cells of a mesh where the plane through a place (m) across a direction cuts them.

    Raises `ValueError` for a direction of no length and where the plane misses the mesh."""
    way = np.array(normal, float)
    with np.errstate(over="ignore"):
        length = float(np.linalg.norm(way))
    if not (length > 0.0 and np.isfinite(length) and np.isfinite(origin).all()):
        raise ValueError("a plane needs a place and a direction")
    way /= length
    level = float(way @ np.asarray(origin, float))
    reached = np.empty(mesh.cell_count, bool)
    over(chunks_of(mesh.cell_count), crossing.reached, *mesh.cell_box, way, level, reached)
    offsets, faces = mesh.cell_faces
    near = np.zeros(mesh.face_count, bool)
    near[faces[_ranges(offsets, np.nonzero(reached)[0])]] = True
    return crossed_cells(mesh, mesh.points @ way - level, "the plane", np.nonzero(near)[0])


def section_from(mesh: Mesh, cell: int, origin: np.ndarray, way: np.ndarray) -> Polygons:
    """The cells that hang together with one of them in the plane through a place (3,) in m across a unit vector (3,), and some beside
    them, where it cuts them; without a rim. Raises `ValueError` where it does not cut them."""
    level = float(way @ origin)
    some = _flooded(mesh, cell, way, level)
    part, cells = _part(mesh, some)
    found = crossed_cells(part, part.points @ way - level, "the plane")
    return Polygons(found.offsets, found.points, found.at, cells[found.cell], np.empty((0, 2), np.int64))


def _flooded(mesh: Mesh, cell: int, way: np.ndarray, level: float) -> np.ndarray:
    """Cells (k,), the first of them given, that are reached through faces and whose boxes a plane cuts."""
    low, high = mesh.cell_box
    offsets, faces = mesh.cell_faces
    known = np.zeros(mesh.cell_count, bool)
    known[cell] = True
    front, found = np.array([cell]), []
    while len(front):
        found.append(front)
        around = faces[_ranges(offsets, front)]
        around = around[around < mesh.inner_count]
        beside = np.concatenate([mesh.owner[around], mesh.neighbour[around]])
        beside = np.unique(beside[~known[beside]])
        middle, half = 0.5 * (low[beside] + high[beside]), 0.5 * (high[beside] - low[beside])
        reach = (1.0 + 1e-6) * (half @ np.abs(way))  # a plane may lie in faces of theirs
        front = beside[np.abs(middle @ way - level) <= reach].astype(np.int64)
        known[beside] = True  # one that is not cut is looked at once
    return np.concatenate(found)


@dataclass(frozen=True, eq=False)
class Part:
    """Some cells of a mesh with numbers of their own, as far as cuts need it; a face between them comes before one that has but one."""

    points: np.ndarray
    face_points: np.ndarray
    face_offsets: np.ndarray
    owner: np.ndarray
    neighbour: np.ndarray
    cell_faces: tuple[np.ndarray, np.ndarray]
    cell_count: int
    face_count: int
    inner_count: int


def _part(mesh: Mesh, cells: np.ndarray) -> tuple[Part, np.ndarray]:
    """Some cells (k,) as a part of a mesh, and which they are in its order."""
    cells = np.sort(cells)
    offsets, faces = mesh.cell_faces
    counts = offsets[cells + 1] - offsets[cells]
    every, number = np.unique(faces[_ranges(offsets, cells)], return_inverse=True)
    inner = every < mesh.inner_count
    other = np.where(inner, mesh.neighbour[np.minimum(every, mesh.inner_count - 1)], -1)
    place = np.stack([_place_in(cells, mesh.owner[every]), _place_in(cells, other)])
    both = (place >= 0).all(axis=0)
    order = np.concatenate([np.nonzero(both)[0], np.nonzero(~both)[0]])
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    every, place = every[order], place[:, order]
    corners = mesh.face_points[_ranges(mesh.face_offsets, every)]
    used, renamed = np.unique(corners, return_inverse=True)
    owner_of = np.where(place[0] >= 0, place[0], -1)
    part = Part(
        mesh.points[used],
        renamed.astype(mesh.face_points.dtype),
        np.concatenate([[0], np.cumsum(mesh.face_offsets[every + 1] - mesh.face_offsets[every])]).astype(mesh.face_offsets.dtype),
        owner_of.astype(mesh.owner.dtype),
        place[1, : both.sum()].astype(mesh.neighbour.dtype),
        (np.concatenate([[0], np.cumsum(counts)]).astype(offsets.dtype), rank[number].astype(faces.dtype)),
        len(cells), len(every), int(both.sum()),
    )  # fmt: skip
    return part, cells


def _place_in(cells: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Where each of some cells stands in sorted ones (k,), -1 where it does not."""
    at = np.minimum(np.searchsorted(cells, wanted), len(cells) - 1)
    return np.where(cells[at] == wanted, at, -1)


def iso_surface(mesh: Mesh, values: np.ndarray, level: float) -> Polygons:
    """Where a quantity with `values` (P,) at points has a level; the way round shows to smaller values.

    Raises `ValueError` where the level lies outside of the values."""
    return crossed_cells(mesh, values - level, "a surface of this value")


def crossed_cells(mesh: Mesh | Part, height: np.ndarray, words: str, near: np.ndarray | None = None) -> Polygons:
    """The cells in which a surface at height nothing lies, `height` (P,) being that of points; where `near` (n,) is given, none
    but these faces can be crossed. Raises `ValueError`, naming the surface by its words, where there is none."""
    above = height >= 0.0
    faces = np.arange(mesh.face_count) if near is None else near
    counts = np.empty(len(faces), np.uint16)
    over(chunks_of(len(faces)), crossing.crossed, faces, above, mesh.face_points, mesh.face_offsets, counts)
    which = np.nonzero(counts)[0]
    cut = faces[which]
    if len(cut) == 0:
        raise ValueError(f"{words} does not cut this mesh")
    several = counts[which].astype(np.int64)
    offsets = np.concatenate([[0], np.cumsum(several)])
    key, up = crossing.crossings(cut, offsets, above, mesh.face_points, mesh.face_offsets)
    order = np.argsort(key)
    fresh = np.concatenate([[True], np.diff(key[order]) != 0])
    edge = np.empty(len(key), np.int64)
    edge[order] = np.cumsum(fresh) - 1
    low, high = np.divmod(key[order][fresh], len(height))
    place = np.zeros(mesh.face_count, np.int32)
    place[cut] = np.arange(1, len(cut) + 1)
    inner = mesh.inner_count
    touched = np.zeros(mesh.cell_count, bool)
    touched[mesh.owner[cut]] = True
    touched[mesh.neighbour[cut[cut < inner]]] = True
    cell, corners, starts = crossing.polygons(
        np.nonzero(touched)[0], place, offsets, edge, up, mesh.owner, *mesh.cell_faces
    )
    share = (height[low] / (height[low] - height[high]))[:, None]
    at = (1 - share) * mesh.points[low] + share * mesh.points[high]
    outer = np.nonzero(cut >= inner)[0]
    of_outer = np.repeat(outer, several[outer])
    at_rim = np.arange(len(key))[np.repeat(cut >= inner, several)]
    rim = np.stack([edge[at_rim], cut[of_outer]], axis=1)
    return Polygons(starts, corners, at, cell, rim)


def turned_round(points: np.ndarray, offsets: np.ndarray) -> np.ndarray:
    """The corners (n,) of polygons, each the other way round."""
    counts = np.diff(offsets)
    within = np.arange(len(points)) - np.repeat(offsets[:-1], counts)
    turned: np.ndarray = points[np.repeat(offsets[1:] - 1, counts) - within]
    return turned


def _ranges(offsets: np.ndarray, rows: np.ndarray) -> np.ndarray:
    """Places of all entries of some rows, which begin at `offsets`."""
    first = offsets[rows]
    counts = offsets[rows + 1] - first
    found: np.ndarray = np.arange(counts.sum()) + np.repeat(first - (np.cumsum(counts) - counts), counts)
    return found


def corner_values(view: View, quantity: str, surface: Polygons) -> np.ndarray:
    """Values (n,) at the corners: the mean of what the cells round a point say, by their gradients.

    A point on the boundary takes the boundary's own value, so that walls show a standing fluid.
    """
    fields, mesh = view.fields, view.fields.mesh
    value, boundary = view.values(quantity)
    cell = np.repeat(surface.cell, np.diff(surface.offsets))
    offset = surface.at[surface.points] - mesh.centre[cell]
    if mesh.is_plane:
        offset[:, 2] = 0.0
    reached = value[cell] + np.einsum("ij,ij->i", view.slope(quantity)[cell], offset)
    total = np.bincount(surface.points, reached, len(surface.at))
    count = np.bincount(surface.points, minlength=len(surface.at)).astype(float)
    point, face = surface.rim.T
    mean = np.divide(total, count, out=np.zeros_like(total), where=count > 0)
    _put_edge(mean, point, boundary[face - fields.stencil.inner], np.linalg.norm(mesh.face_vector[face], axis=1))
    return _kept(quantity, mean)[surface.points]


def point_values(view: View, quantity: str) -> np.ndarray:
    """Values (P,) at all points of a mesh: the mean of what the cells round a point say, on boundaries what these say. Kept with
    the view."""
    if quantity in view.pointed:
        return view.pointed[quantity]
    mesh, (value, boundary) = view.fields.mesh, view.values(quantity)
    total, count = crossing.sums_at_points(
        value, view.slope(quantity), mesh.centre, mesh.points, mesh.face_points, mesh.face_offsets, mesh.owner, mesh.neighbour
    )  # fmt: skip
    mean = total / np.maximum(count, 1)
    inner, active = mesh.inner_count, view.fields.stencil.active
    spread = np.diff(mesh.face_offsets)[inner:active]
    point = mesh.face_points[mesh.face_offsets[inner] : mesh.face_offsets[active]]
    size = mesh.face_areas(slice(inner, active))
    _put_edge(mean, point, np.repeat(boundary, spread), np.repeat(size, spread))
    view.pointed[quantity] = _kept(quantity, mean)
    return view.pointed[quantity]


def _kept(quantity: str, mean: np.ndarray) -> np.ndarray:
    """Values as they can be: those that are never negative are not so between cells either."""
    positive = quantity in QUANTITIES and QUANTITIES[quantity].positive
    return np.maximum(mean, 0.0) if positive else mean


def _put_edge(mean: np.ndarray, point: np.ndarray, value: np.ndarray, size: np.ndarray) -> None:
    """Lets boundary faces of some size (k,) say what holds at their points (k,). In place."""
    total, whole = np.bincount(point, value * size, len(mean)), np.bincount(point, size, len(mean))
    on_edge = whole > 0
    mean[on_edge] = total[on_edge] / whole[on_edge]


def area(surface: Polygons) -> float:
    """The area of all polygons in m²."""
    return float(
        np.linalg.norm(crossing.polygon_measures(surface.at, surface.points, surface.offsets)[0], axis=1).sum()
    )


def mean_over(view: View, quantity: str, surface: Polygons) -> float:
    """The mean of a quantity over the area of all polygons, exact where it is linear in each cell."""
    vector, centroid = crossing.polygon_measures(surface.at, surface.points, surface.offsets)
    size, cell = np.linalg.norm(vector, axis=1), surface.cell
    offset = centroid - view.fields.mesh.centre[cell]
    value = view.values(quantity)[0][cell] + np.einsum("ij,ij->i", view.slope(quantity)[cell], offset)
    return float((value * size).sum() / size.sum())


def volume_above(mesh: Mesh, values: np.ndarray, level: float) -> float:
    """The volume in m³ in which a quantity with `values` (P,) at points is at or above a level."""
    height = values - level
    first = mesh.face_points[mesh.face_offsets[mesh.cell_faces[1][mesh.cell_faces[0][:-1]]]]
    whole = height[first] >= 0.0
    try:
        surface = crossed_cells(mesh, height, "a surface of this value")
    except ValueError:
        return float(mesh.volume[whole].sum())
    cells = np.unique(surface.cell)
    whole[cells] = False
    parts = crossing.volumes_above(
        cells, height, mesh.points, mesh.face_points, mesh.face_offsets, mesh.owner, *mesh.cell_faces, mesh.centre
    )
    sides = crossing.polygon_volumes(surface.at, surface.points, surface.offsets, surface.cell, mesh.centre)
    return float(mesh.volume[whole].sum() + parts.sum() + sides.sum())
