"""The temperature, in runs with heat."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """In cells (C,) and on boundary faces (B,), in K."""
    fields = view.fields
    nothing = np.full(fields.mesh.cell_count, np.nan), np.full(len(fields.boundary_pressure), np.nan)
    return fields.more.get("temperature", nothing)


QUANTITY = QuantityKind("temperature", DIMENSIONS["temperature"], "temperature", values, positive=True)
