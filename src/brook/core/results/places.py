"""Where a reading is taken: a body, a box, a point, a line or a patch, as samples with weights."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from weakref import WeakKeyDictionary

import numpy as np

from brook.core.mesh import Mesh
from brook.core.results.quantities import QUANTITIES, View
from brook.core.results.space.locator import Locator, values_in
from brook.core.solve import Fields
from brook.core.study import Resolved

ALONG = 200  # places at which a line is read
TOUCHING = 1e-9  # of the size of the mesh
MOST_KNOWN = 200  # points and lines whose cells are kept


def nowhere() -> np.ndarray:
    """Of samples of which nobody said where they are."""
    return np.zeros((0, 3))


@dataclass(frozen=True, eq=False)
class Samples:
    """Values (n,) in SI units, each standing for a weight (n,): a volume in m³ or an area in m². On a patch `through` (n,)
    is the mass in kg/s that flows out. `at` is where they are, along a line in its order: only when asked, as readings of a run hardly ever do; of what has a direction `axis` is that, and
    `onward` +1 or -1, as the flow as a whole goes along it."""

    values: np.ndarray
    weights: np.ndarray
    through: np.ndarray | None = None
    place_of: Callable[[], np.ndarray] = nowhere
    is_line: bool = False
    axis: int = 0
    onward: float = 1.0

    @property
    def at(self) -> np.ndarray:
        """Places (n, 3) in m."""
        return self.place_of()


def directed(view: View, quantity: str, samples: Samples) -> Samples:
    """The samples with the way the flow goes along the axis that a quantity is along."""
    if quantity[-2:] not in ("_x", "_y", "_z"):
        return samples
    fields, axis = view.fields, "xyz".index(quantity[-1])
    onward = float((fields.density * fields.mesh.volume) @ fields.velocity[:, axis])
    return replace(samples, axis=axis, onward=-1.0 if onward < 0 else 1.0)


def body_samples(view: View, body: str, quantity: str) -> Samples:
    """Cell values of a body."""
    mesh = view.fields.mesh
    cells = mesh.body == mesh.bodies.index(body)
    return Samples(view.values(quantity)[0][cells], mesh.volume[cells], place_of=lambda: mesh.centre[cells])


def spot_samples(view: View, spot: Resolved, quantity: str) -> Samples:
    """Values at a point, or at `ALONG` places of a line, each for a share of its length; those outside of the mesh are left out."""
    places, length = _places_of(spot, view.fields.mesh)
    cells = _cells(view.fields, places)
    inside = cells >= 0
    values = values_in(view, quantity, places[inside], cells[inside])
    weights = np.full(len(values), length / len(places))
    return Samples(values, weights, place_of=lambda: places[inside], is_line=spot.kind == "line")


def spot_cells(fields: Fields, spot: Resolved) -> np.ndarray:
    """The cells (n,) that hold a point, or places of a line."""
    cells = _cells(fields, _places_of(spot, fields.mesh)[0])
    return cells[cells >= 0]


def _places_of(spot: Resolved, mesh: Mesh) -> tuple[np.ndarray, float]:
    """Where a point or a line is read (n, 3), and how long it is in m, a point 1."""
    if spot.kind == "point":
        places, length = np.array([[spot.x, spot.y, spot.z]]), 1.0
    else:
        ends = np.array([[getattr(spot, f"{which}_{axis}") for axis in "xyz"] for which in ("start", "end")])
        share = ((np.arange(ALONG) + 0.5) / ALONG)[:, None]
        places, length = (1 - share) * ends[0] + share * ends[1], float(np.linalg.norm(ends[1] - ends[0])) or 1.0
    if mesh.is_plane:
        places[:, 2] = mesh.points[:, 2].mean()
    return places, length


def _cells(fields: Fields, places: np.ndarray) -> np.ndarray:
    """The cell of each place, -1 outside; found once for a mesh, as monitors ask for the same at every iteration."""
    known = _found.setdefault(fields.mesh, {})
    key = places.tobytes()
    if key not in known:
        if len(known) >= MOST_KNOWN:
            known.clear()
        known[key] = Locator(fields.mesh).cells(places)
    return known[key]


_found: WeakKeyDictionary[Mesh, dict[bytes, np.ndarray]] = WeakKeyDictionary()


def box_samples(view: View, box: Resolved, quantity: str) -> Samples:
    """Values at the points of the box nearest to each cell's centroid, for the volume they share.

    Cells count with the part of them that lies in the box (exact for cells that are boxes), and
    values are carried from the centroid by the gradient, so a box may be thinner than a cell.
    """
    mesh = view.fields.mesh
    low, high = mesh.cell_box
    cells, shared, box_low, box_high = box_cells(mesh, box)
    tolerance = TOUCHING * mesh.size
    share = np.prod(np.maximum(shared[cells], tolerance) / (high - low)[cells], axis=1)
    centre = mesh.centre[cells]
    offset = np.clip(centre, box_low, box_high) - centre
    value = view.values(quantity)[0][cells] + np.einsum("ij,ij->i", view.slope(quantity)[cells], offset)
    if quantity in QUANTITIES and QUANTITIES[quantity].positive:
        value = np.maximum(value, 0.0)
    return Samples(value, share * mesh.volume[cells], place_of=lambda: centre + offset)


def box_cells(mesh: Mesh, box: Resolved) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """The cells (n,) that a box meets, how long each cell (C, 3) and it have in common, and its two corners (3,)."""
    low, high = mesh.cell_box
    deep = None if mesh.is_plane else getattr(box, "deep", None)
    back, front = (-np.inf, np.inf) if deep is None else (deep.back, deep.front)
    box_low = np.array([box.left, box.bottom, back])
    box_high = np.array([box.right, box.top, front])
    shared = np.minimum(high, box_high) - np.maximum(low, box_low)
    tolerance = TOUCHING * mesh.size
    cells = np.nonzero(np.all(shared > tolerance, axis=1))[0]
    if not len(cells):  # a line or a point: every cell it touches, all alike
        cells = np.nonzero(np.all(shared > -tolerance, axis=1))[0]
    return cells, shared, box_low, box_high


def patch_samples(view: View, patch_name: str, quantity: str) -> Samples:
    """Boundary values on a patch; of `flow`, what goes out through each face in m³/s."""
    fields = view.fields
    patch = fields.mesh.patch(patch_name)
    values = view.values(quantity)[1][fields.stencil.boundary_faces(patch)]
    areas, through = fields.mesh.face_areas(patch.faces), fields.flux[patch.faces]
    return Samples(values, areas, through, lambda: fields.mesh.face_centres(patch.faces))
