"""Static pressure over the pressure that outlets are measured against."""

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """In cells (C,) and on boundary faces (B,), in Pa."""
    return view.fields.pressure, view.fields.boundary_pressure


QUANTITY = QuantityKind("pressure", DIMENSIONS["pressure"], "pressure", values)
