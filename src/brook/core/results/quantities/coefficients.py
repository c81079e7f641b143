"""Drag, lift and moment over the dynamic pressure and the area that a patch shows to the stream, or the one that is said."""

from __future__ import annotations

import numpy as np

from brook.core.results.frontal import frontal_area
from brook.core.results.quantities.base import QuantityKind, References, Values, View
from brook.core.results.quantities.force import NAMES as FORCES
from brook.core.results.quantities.pressure_coefficient import inflow_speed
from brook.core.units import NONE

NAMES = ("drag_coefficient", "lift_coefficient", "moment_coefficient")


def dynamic(view: View) -> float:
    """ρ U²/2 in Pa of the reference values; the speed is that of the inflow and the density the mean where none is said."""
    said = view.references
    speed = inflow_speed(view) if said.speed is None else said.speed
    density = float(view.fields.density.mean()) if said.density is None else said.density
    return max(0.5 * density * speed**2, 1e-300)


def area_and_length(view: View, faces: slice) -> tuple[float, float]:
    """In m² and m, of a patch: as said, or its shadow along the stream and how long it is along it."""
    said, mesh = view.references, view.fields.mesh
    along = np.array(said.along)
    area = frontal_area(mesh, faces, along) if said.area is None else said.area
    if said.length is not None:
        return area, said.length
    first, last, _ = faces.indices(mesh.face_count)
    points = mesh.points[mesh.face_points[mesh.face_offsets[first] : mesh.face_offsets[last]]]
    return area, float(np.ptp(points @ along)) if len(points) else 0.0


def _every(view: View) -> None:
    """C_d = F·d/(q A), C_l = F·l/(q A), C_m = (r × F)·(d × l)/(q A L), on each face its part."""
    said: References = view.references
    stencil = view.fields.stencil
    force = np.stack([view.values(name)[1] for name in FORCES], axis=1)
    along, up = np.array(said.along), np.array(said.up)
    away = view.fields.mesh.face_centres(slice(stencil.inner, stencil.active)) - np.array(said.about)
    turning = np.cross(away, force) @ np.cross(along, up)
    pressure, found = dynamic(view), np.zeros((3, stencil.boundary_count))
    for patch in stencil.patches:
        here = stencil.boundary_faces(patch)
        area, length = area_and_length(view, patch.faces)
        if area > 0:
            found[0, here] = force[here] @ along / (pressure * area)
            found[1, here] = force[here] @ up / (pressure * area)
        if area * length > 0:
            found[2, here] = turning[here] / (pressure * area * length)
    view.computed.update({n: (np.zeros(stencil.cells), found[k]) for k, n in enumerate(NAMES)})


def _made(name: str, words: str) -> QuantityKind:
    def values(view: View) -> Values:
        _every(view)
        return view.computed[name]

    return QuantityKind(name, NONE, words, values, signed=True, drawn=False, on=("patch",), summed="of")


DRAG, LIFT, MOMENT = (_made(name, name.replace("_", " ")) for name in NAMES)
EVERY = (DRAG, LIFT, MOMENT)
