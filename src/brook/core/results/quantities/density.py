"""The density of what fills a cell."""

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """In cells (C,) and on boundary faces (B,), in kg/m³."""
    density = view.fields.density
    return density, density[view.fields.stencil.face_cell]


QUANTITY = QuantityKind("density", DIMENSIONS["density"], "density", values, positive=True)
