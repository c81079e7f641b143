"""Heat that leaves through the faces of a patch: conducted, and carried by what flows out, counted from 0 K."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """Out of the bodies through boundary faces (B,), in W; nothing in cells."""
    fields = view.fields
    nothing = np.full(fields.mesh.cell_count, np.nan), np.full(len(fields.boundary_pressure), np.nan)
    return fields.more.get("heat", nothing)


QUANTITY = QuantityKind(
    "heat", DIMENSIONS["power"], "heat flow", values, signed=True, drawn=False, on=("patch",), summed="out through"
)
