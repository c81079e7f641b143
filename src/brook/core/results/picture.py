"""What a page needs to draw the fields of a plane mesh: corners of cells, and values at them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import Mesh
from brook.core.mesh.quality import plane_sides_of
from brook.core.results.quantities import QUANTITIES, View


@dataclass(frozen=True, eq=False)
class PlanePolygons:
    """Cells of a plane mesh as polygons: corners (n, 2) in m, offsets (C+1,), point number of each corner (n,)."""

    corners: np.ndarray
    offsets: np.ndarray
    points: np.ndarray


def polygons(mesh: Mesh) -> PlanePolygons:
    """The front face of every cell, in the order of the cells."""
    faces = plane_sides_of(mesh)
    faces = faces[mesh.face_vector[faces, 2] > 0]
    faces = faces[np.argsort(mesh.owner[faces], kind="stable")]
    counts = np.diff(mesh.face_offsets)[faces]
    offsets = np.concatenate([[0], np.cumsum(counts)])
    within = np.arange(offsets[-1]) - np.repeat(offsets[:-1], counts)
    points = mesh.face_points[np.repeat(mesh.face_offsets[faces], counts) + within]
    return PlanePolygons(mesh.points[points, :2], offsets, points)


def corner_values(view: View, quantity: str, shapes: PlanePolygons) -> np.ndarray:
    """Values (n,) at the corners: the mean of what the cells round a point say, by their gradients.

    A point on the boundary takes the boundary's own value, so that walls show a standing fluid.
    """
    fields, mesh = view.fields, view.fields.mesh
    value, boundary = view.values(quantity)
    cell = np.repeat(np.arange(mesh.cell_count), np.diff(shapes.offsets))
    offset = np.zeros((len(cell), 3))
    offset[:, :2] = shapes.corners - mesh.centre[cell, :2]
    reached = value[cell] + np.einsum("ij,ij->i", view.slope(quantity)[cell], offset)
    total = np.bincount(shapes.points, reached, len(mesh.points))
    count = np.bincount(shapes.points, minlength=len(mesh.points)).astype(float)
    start, end = fields.stencil.inner, fields.stencil.active
    spread = np.diff(mesh.face_offsets)[start:end]
    at = mesh.face_points[mesh.face_offsets[start] : mesh.face_offsets[end]]
    size = np.repeat(mesh.face_area[start:end], spread)
    edge_total = np.bincount(at, np.repeat(boundary, spread) * size, len(mesh.points))
    edge_size = np.bincount(at, size, len(mesh.points))
    on_edge = edge_size > 0
    mean = np.divide(total, count, out=np.zeros_like(total), where=count > 0)
    mean[on_edge] = edge_total[on_edge] / edge_size[on_edge]
    if quantity in QUANTITIES and QUANTITIES[quantity].positive:
        mean = np.maximum(mean, 0.0)
    return mean[shapes.points]
