"""What the fluid does to several patches together: force, moment about a place, where it acts, coefficients, and how it is spread along a direction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brook.core.mesh import Mesh, Patch
from brook.core.results.forces import face_forces
from brook.core.results.frontal import frontal_area
from brook.core.results.quantities import View
from brook.core.results.quantities.coefficients import area_and_length, dynamic

PIECES = 40  # of a direction, along which a force is spread
LEAST = 1e-9  # of a force, under which it acts nowhere in particular


@dataclass(frozen=True, eq=False)
class Load:
    """pressure (3,) and friction (3,) in N, moment (3,) in N m about the reference place, `centre` (3,) in m: the place nearest to that on the line along
    which the force acts, None where there is no force. Coefficients are over a dynamic pressure in Pa, an area in m² and a length in m; None where one of these is nothing."""

    pressure: np.ndarray
    friction: np.ndarray
    moment: np.ndarray
    centre: np.ndarray | None
    coefficients: tuple[float, float, float] | None
    dynamic: float
    area: float
    length: float

    @property
    def total(self) -> np.ndarray:
        """In N (3,)."""
        return self.pressure + self.friction


def _on_faces(view: View, patches: Sequence[Patch]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pressure and friction (n, 3) in N and the middle (n, 3) in m of all faces of patches."""
    mesh = view.fields.mesh
    both = [face_forces(view.fields, patch, view.velocity_slope) for patch in patches]
    places = [mesh.face_centres(patch.faces) for patch in patches]
    nothing = np.zeros((0, 3))
    pressure, friction = (np.concatenate([nothing, *(one[k] for one in both)]) for k in (0, 1))
    return pressure, friction, np.concatenate([nothing, *places])


def load_on(view: View, names: Sequence[str]) -> Load:
    """On patches by name. Raises `KeyError` for one that is not there."""
    mesh, said = view.fields.mesh, view.references
    patches = [mesh.patch(name) for name in names]
    pressure, friction, place = _on_faces(view, patches)
    about = np.array(said.about)
    if mesh.is_plane:  # a slice turns in its plane alone
        place[:, 2] = about[2]
    force, moment = (pressure + friction).sum(axis=0), np.cross(place - about, pressure + friction).sum(axis=0)
    size = float(force @ force) ** 0.5
    moved = float(np.linalg.norm(pressure + friction, axis=1).sum())
    centre = about + np.cross(force, moment) / size**2 if size > LEAST * moved else None
    if centre is not None and mesh.is_plane:
        centre[2] = 0.0
    area, length = _shown(view, patches)
    q, along, up = dynamic(view), np.array(said.along), np.array(said.up)
    over, found = q * area, None
    if over > 0 and length > 0:
        turning = float(moment @ np.cross(along, up))
        found = (float(force @ along) / over, float(force @ up) / over, turning / (over * length))
    return Load(pressure.sum(axis=0), friction.sum(axis=0), moment, centre, found, q, area, length)


def _shown(view: View, patches: Sequence[Patch]) -> tuple[float, float]:
    """The area in m² and the length in m that coefficients of several patches are over: as said, or what they show and how long they are together, each
    counted for itself where they do not lie side by side in the mesh."""
    if not patches:
        return 0.0, 0.0
    ordered = sorted(patches, key=lambda patch: patch.faces.start)
    joined = all(a.faces.stop == b.faces.start for a, b in pairwise(ordered))
    if joined:
        return area_and_length(view, slice(ordered[0].faces.start, ordered[-1].faces.stop))
    each = [area_and_length(view, patch.faces) for patch in ordered]
    said = view.references
    along = np.array(said.along)
    area = said.area if said.area is not None else sum(frontal_area(view.fields.mesh, p.faces, along) for p in ordered)
    return area, max(length for _, length in each)


@dataclass(frozen=True, eq=False)
class Spread:
    """`at` (n,) in m along an axis, pressure and friction (n, 3) in N/m there, and the total from the beginning on (n, 3) in N at the ends of the pieces."""

    at: np.ndarray
    pressure: np.ndarray
    friction: np.ndarray
    so_far: np.ndarray


def spread_along(view: View, names: Sequence[str], axis: int, pieces: int = PIECES) -> Spread:
    """How a force is spread along an axis, each face shared among the pieces that it reaches over. Raises `KeyError` for a patch that is not there."""
    mesh = view.fields.mesh
    patches = [mesh.patch(name) for name in names]
    pressure, friction, _ = _on_faces(view, patches)
    low, high = (np.concatenate([_ends(mesh, p, axis)[k] for p in patches]) if patches else np.zeros(0) for k in (0, 1))
    if not len(low) or not high.max() > low.min():
        return Spread(np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3)))
    edges = np.linspace(low.min(), high.max(), pieces + 1)
    parts = [_shared(force, low, high, edges) for force in (pressure, friction)]
    wide = edges[1] - edges[0]
    return Spread(
        (edges[1:] + edges[:-1]) / 2, parts[0] / wide, parts[1] / wide, np.cumsum(parts[0] + parts[1], axis=0)
    )


def _ends(mesh: Mesh, patch: Patch, axis: int) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and the highest coordinate (n,) of each face of a patch along an axis."""
    first, last, _ = patch.faces.indices(mesh.face_count)
    offsets = mesh.face_offsets[first : last + 1]
    along = mesh.points[mesh.face_points[offsets[0] : offsets[-1]], axis]
    begins = offsets[:-1] - offsets[0]
    return np.minimum.reduceat(along, begins), np.maximum.reduceat(along, begins)


def _shared(force: np.ndarray, low: np.ndarray, high: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """The force (pieces, 3) within each piece: the difference of what lies before its ends."""
    wide = np.maximum(high - low, 1e-12 * (edges[-1] - edges[0]))
    before = np.stack([np.clip((edge - low) / wide, 0.0, 1.0) @ force for edge in edges])
    before[-1] = force.sum(axis=0)
    return np.diff(before, axis=0)
