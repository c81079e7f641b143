"""Mass flow out through the faces of a patch."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """On boundary faces (B,), outward, in kg/s; nothing in cells."""
    fields = view.fields
    return np.zeros(fields.mesh.cell_count), fields.flux[fields.stencil.inner :]


QUANTITY = QuantityKind(
    "mass_flow",
    DIMENSIONS["mass_flow"],
    "mass flow",
    values,
    signed=True,
    drawn=False,
    on=("patch",),
    summed="out through",
)
