"""Volume flow out through the faces of a patch."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """On boundary faces (B,), outward, in m³/s; nothing in cells."""
    fields = view.fields
    return np.zeros(fields.mesh.cell_count), fields.volume_flux


QUANTITY = QuantityKind(
    "flow",
    DIMENSIONS["volume_flow"],
    "volume flow",
    values,
    signed=True,
    drawn=False,
    on=("patch",),
    summed="out through",
)
