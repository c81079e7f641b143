"""Where a reading is taken: a body, a box or a patch, as samples with weights."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.results.quantities import QUANTITIES, View
from brook.core.study import Resolved


@dataclass(frozen=True, eq=False)
class Samples:
    """Values (n,) in SI units, each standing for a weight (n,): a volume in m³ or an area in m². On a patch `through` (n,)
    is the mass in kg/s that flows out."""

    values: np.ndarray
    weights: np.ndarray
    through: np.ndarray | None = None


def body_samples(view: View, body: str, quantity: str) -> Samples:
    """Cell values of a body."""
    mesh = view.fields.mesh
    cells = mesh.body == mesh.bodies.index(body)
    return Samples(view.values(quantity)[0][cells], mesh.volume[cells])


def box_samples(view: View, box: Resolved, quantity: str) -> Samples:
    """Values at the points of the box nearest to each cell's centroid, for the volume they share.

    Cells count with the part of them that lies in the box (exact for cells that are boxes), and
    values are carried from the centroid by the gradient, so a box may be thinner than a cell.
    """
    mesh = view.fields.mesh
    low, high = mesh.cell_box
    deep = None if mesh.is_plane else getattr(box, "deep", None)
    back, front = (-np.inf, np.inf) if deep is None else (deep.back, deep.front)
    box_low = np.array([box.left, box.bottom, back])
    box_high = np.array([box.right, box.top, front])
    shared = np.minimum(high, box_high) - np.maximum(low, box_low)
    tolerance = 1e-9 * mesh.size
    cells = np.nonzero(np.all(shared > tolerance, axis=1))[0]
    if not len(cells):  # a line or a point: every cell it touches, all alike
        cells = np.nonzero(np.all(shared > -tolerance, axis=1))[0]
    share = np.prod(np.maximum(shared[cells], tolerance) / (high - low)[cells], axis=1)
    centre = mesh.centre[cells]
    offset = np.clip(centre, box_low, box_high) - centre
    value = view.values(quantity)[0][cells] + np.einsum("ij,ij->i", view.slope(quantity)[cells], offset)
    if quantity in QUANTITIES and QUANTITIES[quantity].positive:
        value = np.maximum(value, 0.0)
    return Samples(value, share * mesh.volume[cells])


def patch_samples(view: View, patch_name: str, quantity: str) -> Samples:
    """Boundary values on a patch; of `flow`, what goes out through each face in m³/s."""
    fields = view.fields
    patch = fields.mesh.patch(patch_name)
    values = view.values(quantity)[1][fields.stencil.boundary_faces(patch)]
    return Samples(values, fields.mesh.face_areas(patch.faces), fields.flux[patch.faces])
