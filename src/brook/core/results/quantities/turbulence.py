"""What a turbulence model knows: energy and rate of eddies, how much more viscous they make the fluid, y⁺ of walls."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS, NONE, dimension_of


def _of(name: str) -> Callable[[View], Values]:
    """A field of the model (C,) and (B,), nowhere known in a laminar run."""

    def values(view: View) -> Values:
        fields = view.fields
        nothing = np.full(fields.mesh.cell_count, np.nan), np.full(len(fields.boundary_pressure), np.nan)
        return fields.more.get(name, nothing)

    return values


def _ratio(view: View) -> Values:
    """Of the eddy viscosity to the fluid's own; nothing where no fluid is."""
    cells, boundary = _of("eddy_viscosity")(view)
    own = view.fields.viscosity
    near = own[view.fields.stencil.face_cell]
    return tuple(
        np.divide(e, v, out=np.zeros(len(e)), where=np.asarray(v) > 0) for e, v in ((cells, own), (boundary, near))
    )


ENERGY = QuantityKind(
    "turbulent_energy", dimension_of("m^2/s^2"), "turbulent kinetic energy", _of("turbulent_energy"), positive=True
)
RATE = QuantityKind(
    "dissipation_rate", DIMENSIONS["rate"], "specific dissipation rate", _of("dissipation_rate"), positive=True
)
RATIO = QuantityKind("viscosity_ratio", NONE, "eddy viscosity ratio", _ratio, positive=True)
# in a picture each cell shows that of the wall nearest to it
HEIGHT = QuantityKind("y_plus", NONE, "y⁺ of the first cells", _of("y_plus"), positive=True, on=("patch",))
EVERY = (ENERGY, RATE, RATIO, HEIGHT)
