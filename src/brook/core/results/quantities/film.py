"""Heat through walls as coefficients: the flux q, the film coefficient h = q/(T_w − T₀), and the Nusselt number h L/k.

T₀ is the reference temperature of the study, or the mixed one of what flows in, or where nothing does the mean one of what flows.
"""

from __future__ import annotations

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS, NONE

LEAST = 1e-9  # K between a wall and the reference under which no coefficient is known


def _flux(view: View) -> Values:
    """Into what flows there, in W/m² on boundary faces (B,); nothing in cells."""
    stencil = view.fields.stencil
    cells, leaving = view.values("heat")
    return cells, -leaving / np.linalg.norm(stencil.area[stencil.inner :], axis=1)


def reference_temperature(view: View) -> float:
    """T₀ in K."""
    if view.references.temperature is not None:
        return view.references.temperature
    fields = view.fields
    cells, boundary = view.values("temperature")
    flux = fields.flux[fields.stencil.inner :]
    capacity = fields.flowing_capacity
    entering = -np.minimum(flux, 0.0) * capacity[fields.stencil.face_cell]
    if entering.sum() > 0:
        return float(np.average(boundary, weights=entering))
    return float(np.average(cells, weights=fields.mesh.volume * fields.density * capacity))


def _film(view: View) -> Values:
    cells, flux = view.values("heat_flux")
    apart = view.values("temperature")[1] - reference_temperature(view)
    return cells, np.divide(flux, apart, out=np.zeros(len(flux)), where=np.abs(apart) > LEAST)


def _nusselt(view: View) -> Values:
    """By the reference length, or how long each patch is along the stream; nothing where no conductivity is known."""
    from brook.core.results.quantities.coefficients import area_and_length

    cells, film = view.values("film_coefficient")
    stencil, found = view.fields.stencil, np.zeros(len(film))
    for patch in stencil.patches:
        here = stencil.boundary_faces(patch)
        length = area_and_length(view, patch.faces)[1]
        if view.references.conductivity:
            found[here] = film[here] * length / view.references.conductivity
    return cells, found


FLUX = QuantityKind("heat_flux", DIMENSIONS["heat_flux"], "heat flux into the fluid", _flux, signed=True, drawn=False, on=("patch",))  # fmt: skip
FILM = QuantityKind("film_coefficient", DIMENSIONS["film_coefficient"], "film coefficient", _film, drawn=False, on=("patch",))  # fmt: skip
NUSSELT = QuantityKind("nusselt", NONE, "Nusselt number", _nusselt, drawn=False, on=("patch",))
EVERY = (FLUX, FILM, NUSSELT)
