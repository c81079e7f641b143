"""Static pressure and the dynamic pressure of the flow: p + ρ|u|²/2."""

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """p + ½ρu² in cells (C,) and on boundary faces (B,), in Pa."""
    pressure, speed = view.values("pressure"), view.values("speed")
    half = 0.5 * view.fields.density
    near = half[view.fields.stencil.face_cell]
    return pressure[0] + half * speed[0] ** 2, pressure[1] + near * speed[1] ** 2


QUANTITY = QuantityKind("total_pressure", DIMENSIONS["pressure"], "total pressure", values)
