"""The same way for plane shapes: boxes of one sheet only, all of one height, fitted to the shape drawn out across it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from scipy.spatial import cKDTree

from brook.core.geometry.plane import PlaneShape
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.triangles import welded
from brook.core.mesh.assembling import Polygons
from brook.core.mesh.boxes.build import Sizes, core_of, grid_of
from brook.core.mesh.boxes.faces import frame_of
from brook.core.mesh.boxes.keeping import Tell, tidied
from brook.core.mesh.boxes.layers import Layers, grow
from brook.core.mesh.boxes.octree import MeshError, Octree
from brook.core.mesh.boxes.skin import features_of, fit, kernels
from brook.core.mesh.polyhedral import PLANE_SIDES, Mesh, Patch

LIDS = ("front", "back")
ASTRAY = 0.05  # of the half height of a sheet, which is that of its smallest boxes: so far may points be from those under them


@dataclass(frozen=True, eq=False)
class Sheet(Octree):
    """The leaves of an octree that stand on its floor. They know nothing over or under them."""

    flat = True

    @cached_property
    def beside(self) -> np.ndarray:
        """The box (n, 4) on each side of each, -1 where there is none."""
        found = super().beside
        found[:, 4:] = -2
        return found


def _sheet(octree: Octree) -> Sheet:
    whole = Sheet(octree.grid, octree.code, octree.level, octree.meets)
    return whole.only(octree.at[:, 2] == 0)


def drawn_out(shape: PlaneShape, height: float) -> Surface:
    """The shape as a closed surface from z = 0 to a height, `LIDS` on its two ends."""
    names = [*shape.patches, *LIDS]
    up = np.array([0.0, 0.0, height])
    triangles: list[Any] = []
    patch: list[int] = []
    for edge in shape.edges():
        a, b = np.array([edge.x0, edge.y0, 0.0]), np.array([edge.x1, edge.y1, 0.0])
        triangles += [[a, b, b + up], [a, b + up, a + up]]
        patch += [names.index(edge.patch)] * 2
    rings = [[(e.x0, e.y0) for e in ring] for ring in shape.rings]
    areas = [sum(a[0] * b[1] - b[0] * a[1] for a, b in pairwise([*ring, ring[0]])) for ring in rings]
    outer = int(np.argmax(areas))
    face = shapely.Polygon(rings[outer], [r for k, r in enumerate(rings) if k != outer])
    for piece in shapely.get_parts(shapely.constrained_delaunay_triangles(face)):
        flat = shapely.get_coordinates(piece)[:3]
        one, other = flat[1] - flat[0], flat[2] - flat[0]
        if one[0] * other[1] - one[1] * other[0] < 0:
            flat = flat[::-1]
        low = np.column_stack([flat, np.zeros(3)])
        triangles += [low[::-1], low + up]
        patch += [names.index("back"), names.index("front")]
    return welded(np.array(triangles), np.array(patch), names)


def build_plane(shape: PlaneShape, sizes: Sizes, tell: Tell = lambda _: None, layers: Sequence[Layers] = ()) -> Mesh:
    """The mesh of a plane shape, one cell thick over its depth. Raises `MeshError`."""
    height = min([sizes.bulk, *sizes.patches.values()])
    surface = drawn_out(shape, height)
    walls = surface.only(surface.patch < len(shape.patches))
    low = walls.points.copy()
    low[:, 2] = np.where(low[:, 2] > 0, 1e-3 * height, 5e-4 * height)
    octree = _sheet(grid_of(walls.placed(low), sizes, tell, floor=True))
    tell("telling inside from outside")
    centre = octree.centre[:, :2]
    places = shapely.points(centre)
    shapely.prepare(shape.domain)
    inside = shapely.contains(shape.domain, places)
    depth = np.where(inside, -1.0, 1.0) * shapely.distance(shape.domain.boundary, places)
    inside = tidied(octree, inside, depth, np.zeros(0, np.int64), tell)
    if not inside.any():
        raise MeshError("no box lies inside the shape; choose a smaller size")
    tell("making faces")
    frame = frame_of(octree, inside)
    frame.points[:, 2] = np.where(frame.points[:, 2] > octree.grid.start[2], height, 0.0)
    tell("fitting the skin")
    features = features_of(surface)
    fitted = fit(frame, features, tell)
    tell("joining sides")
    core = core_of(frame, fitted)
    if layers:
        core = grow(core, features, layers, tell)
    return _as_slice(core.mesh(features, shape.body), shape.depth / height)


def _as_slice(mesh: Mesh, stretch: float) -> Mesh:
    """The same with both lids as the plane sides of a plane mesh, upper points right over the lower ones."""
    points = mesh.points.copy()
    middle = points[:, 2].max() / 2
    mesh = _one_over_other(replace(mesh, points=points), middle)
    points = mesh.points.copy()
    points[:, 2] = np.where(points[:, 2] > middle, 2 * middle * stretch, 0.0)
    kept = [p for p in mesh.patches if p.name not in LIDS]
    begin = min(p.start for p in mesh.patches if p.name in LIDS)
    if any(p.end > begin for p in kept):
        raise MeshError("the lids of a plane mesh do not stand last")
    return _with_whole_lids(replace(mesh, points=points, patches=(*kept, Patch(PLANE_SIDES, begin, mesh.face_count))))


def _with_whole_lids(mesh: Mesh) -> Mesh:
    """The same with one side of each cell on the floor and one on the lid: where layers end there are more."""
    begin = mesh.patches[-1].start
    lids = np.arange(begin, mesh.face_count)
    up = mesh.face_vector[lids, 2] > 0
    order = np.lexsort((mesh.owner[lids], up))
    sides = Polygons(mesh.face_points, mesh.face_offsets)
    rows = sides.part(lids[order])
    owner, up = mesh.owner[lids[order]], up[order].astype(np.int64)
    flat, offsets, first = kernels.merged(mesh.points, rows.flat, rows.offsets, owner, up, 0.5)
    if len(first) != 2 * mesh.cell_count:
        raise MeshError("layers end on several sides of one cell; choose smaller cells, or other layers")
    faces = sides.part(np.arange(begin)).and_(Polygons(flat, offsets))
    patches = (*mesh.patches[:-1], Patch(PLANE_SIDES, begin, begin + len(first)))
    return replace(
        mesh, face_points=faces.flat, face_offsets=faces.offsets, patches=patches,
        owner=np.concatenate([mesh.owner[:begin], owner[first]]),
    )  # fmt: skip


def _one_over_other(mesh: Mesh, middle: float) -> Mesh:
    """Upper points moved over the lower ones: those that an upright edge joins, and of the rest, which stand in the middle of
    sides where layers end, the nearest. Raises `MeshError` where a point has none over it.

    A sheet whose points do not stand just over one another has cells that lean, and gradients across it of nothing.
    """
    after = np.arange(1, len(mesh.face_points) + 1)
    after[mesh.face_offsets[1:] - 1] = mesh.face_offsets[:-1]
    one, other = mesh.face_points, mesh.face_points[after]
    upright = (mesh.points[one, 2] < middle) & (mesh.points[other, 2] > middle)
    points = mesh.points.copy()
    points[other[upright], :2] = points[one[upright], :2]
    alone = np.ones(len(points), bool)
    alone[one[upright]] = alone[other[upright]] = False
    alone[np.setdiff1d(np.arange(len(points)), mesh.face_points)] = False
    low, high = (np.nonzero(alone & side)[0] for side in (points[:, 2] < middle, points[:, 2] > middle))
    if len(low) != len(high):
        raise MeshError("the two sides of a plane mesh are not alike; choose other sizes of its layers")
    if len(low):
        near, under = cKDTree(points[low, :2]).query(points[high, :2])
        if near.max() > ASTRAY * middle or len(np.unique(under)) < len(low):
            raise MeshError("the two sides of a plane mesh are not alike; choose other sizes of its layers")
        points[high, :2] = points[low[under], :2]
    return replace(mesh, points=points)
