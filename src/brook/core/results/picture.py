"""What a page needs to draw the fields of a mesh: corners of cells in a plane, and values at them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import PLANE_SIDES, Mesh
from brook.core.mesh.quality import plane_sides_of
from brook.core.results import kernels
from brook.core.results.quantities import QUANTITIES, View


@dataclass(frozen=True, eq=False)
class PlanePolygons:
    """What of a mesh is drawn, as polygons in a plane.

    corners (n, 2) in m and offsets (m+1,); `points` (n,) numbers the point of each corner among `at` (P, 3), in space;
    `cell` (m,) of each polygon; `rim` are (point, boundary face) pairs (k, 2); `axes` says which coordinates the two
    of the plane are.
    """

    corners: np.ndarray
    offsets: np.ndarray
    points: np.ndarray
    at: np.ndarray
    cell: np.ndarray
    rim: np.ndarray
    axes: tuple[int, int] = (0, 1)


def polygons(mesh: Mesh) -> PlanePolygons:
    """The front face of every cell of a plane mesh, in the order of the cells; of another its usual section."""
    if not mesh.is_plane:
        return section(mesh, *usual_section(mesh))
    faces = plane_sides_of(mesh)
    faces = faces[mesh.face_vector[faces, 2] > 0]
    faces = faces[np.argsort(mesh.owner[faces], kind="stable")]
    counts = np.diff(mesh.face_offsets)[faces]
    offsets = np.concatenate([[0], np.cumsum(counts)])
    within = np.arange(offsets[-1]) - np.repeat(offsets[:-1], counts)
    points = mesh.face_points[np.repeat(mesh.face_offsets[faces], counts) + within]
    edge = np.arange(mesh.inner_count, mesh.patch(PLANE_SIDES).start)
    spread = np.diff(mesh.face_offsets)[edge]
    at = mesh.face_points[mesh.face_offsets[mesh.inner_count] : mesh.face_offsets[mesh.patch(PLANE_SIDES).start]]
    rim = np.stack([at, np.repeat(edge, spread)], axis=1)
    return PlanePolygons(mesh.points[points, :2], offsets, points, mesh.points, mesh.owner[faces], rim)


def usual_section(mesh: Mesh) -> tuple[int, float]:
    """The axis along which a mesh is shortest, and a place near the middle of the mesh on it.

    Beside the middle, as boxes meet there: the plane would run along their sides.
    """
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    span = high - low
    axis = int(np.argmin(np.round(span / span.max(), 3)))  # of equal ones the first
    beside = 0.23 * float(np.cbrt(np.median(mesh.volume)))
    if len(mesh.bodies) == 1:
        return axis, float((low + high)[axis] / 2 + beside)
    # of several bodies as many as can be are cut
    places = low[axis] + span[axis] * np.array([0.5, 0.4, 0.6, 0.3, 0.7, 0.25, 0.75, 0.2, 0.8, 0.1, 0.9]) + beside
    reach = [
        (mesh.centre[mesh.body == k, axis].min(), mesh.centre[mesh.body == k, axis].max())
        for k in range(len(mesh.bodies))
    ]
    cut = [sum(a <= place <= b for a, b in reach) for place in places]
    return axis, float(places[int(np.argmax(cut))])


def section(mesh: Mesh, axis: int, place: float) -> PlanePolygons:
    """The cells of a mesh where a plane across an axis cuts them."""
    height = mesh.points[:, axis] - place
    ends, cell, points, offsets, rim = kernels.section(
        height, mesh.face_points, mesh.face_offsets, mesh.owner, mesh.neighbour, *mesh.cell_faces
    )
    low, high = height[ends[:, 0]], height[ends[:, 1]]
    share = (low / (low - high))[:, None]
    at = (1 - share) * mesh.points[ends[:, 0]] + share * mesh.points[ends[:, 1]]
    axes = ((1, 2), (0, 2), (0, 1))[axis]
    counts = np.diff(offsets)
    x, y = at[points][:, axes].T
    after = np.arange(1, len(points) + 1)
    after[offsets[1:] - 1] = offsets[:-1]
    if (x * y[after] - x[after] * y).sum() < 0:  # anticlockwise in the picture
        within = np.arange(len(points)) - np.repeat(offsets[:-1], counts)
        points = points[np.repeat(offsets[1:] - 1, counts) - within]
    return PlanePolygons(np.ascontiguousarray(at[points][:, axes]), offsets, points, at, cell, rim, axes)


def corner_values(view: View, quantity: str, shapes: PlanePolygons) -> np.ndarray:
    """Values (n,) at the corners: the mean of what the cells round a point say, by their gradients.

    A point on the boundary takes the boundary's own value, so that walls show a standing fluid.
    """
    fields, mesh = view.fields, view.fields.mesh
    value, boundary = view.values(quantity)
    counts = np.diff(shapes.offsets)
    cell = np.repeat(shapes.cell, counts)
    offset = shapes.at[shapes.points] - mesh.centre[cell]
    if mesh.is_plane:
        offset[:, 2] = 0.0
    reached = value[cell] + np.einsum("ij,ij->i", view.slope(quantity)[cell], offset)
    total = np.bincount(shapes.points, reached, len(shapes.at))
    count = np.bincount(shapes.points, minlength=len(shapes.at)).astype(float)
    point, face = shapes.rim.T
    size = np.linalg.norm(mesh.face_vector[face], axis=1)
    edge_total = np.bincount(point, boundary[face - fields.stencil.inner] * size, len(shapes.at))
    edge_size = np.bincount(point, size, len(shapes.at))
    on_edge = edge_size > 0
    mean = np.divide(total, count, out=np.zeros_like(total), where=count > 0)
    mean[on_edge] = edge_total[on_edge] / edge_size[on_edge]
    if quantity in QUANTITIES and QUANTITIES[quantity].positive:
        mean = np.maximum(mean, 0.0)
    return mean[shapes.points]
