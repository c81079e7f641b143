"""What a page needs to draw the fields of a mesh: corners of cells in a plane, and values at them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh import PLANE_SIDES, Mesh
from brook.core.mesh.quality import plane_sides_of
from brook.core.results.space.surfaces import Polygons, corner_values, plane_cut, turned_round

__all__ = ["PlanePolygons", "corner_values", "polygons", "section", "usual_section"]


@dataclass(frozen=True, eq=False)
class PlanePolygons(Polygons):
    """What of a mesh is drawn, as polygons in a plane: their corners (n, 2) there in m; `axes` says which coordinates these
    two are."""

    corners: np.ndarray
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
    return PlanePolygons(offsets, points, mesh.points, mesh.owner[faces], rim, mesh.points[points, :2])


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
    """The cells of a mesh where a plane across an axis cuts them. Raises `ValueError` where it misses the mesh."""
    origin, normal = np.zeros((2, 3))
    origin[axis], normal[axis] = place, 1.0
    cut = plane_cut(mesh, tuple(origin), tuple(normal))
    points, offsets, axes = cut.points, cut.offsets, ((1, 2), (0, 2), (0, 1))[axis]
    if axis != 1:  # anticlockwise in the picture
        points = turned_round(points, offsets)
    return PlanePolygons(
        offsets, points, cut.at, cut.cell, cut.rim, np.ascontiguousarray(cut.at[points][:, axes]), axes
    )
