"""(p - p_ref) / (ρ U_ref²/2), with the study's reference values, or the mean speed of the inflow."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import NONE


def inflow_speed(view: View) -> float:
    """The mean speed at which fluid enters through the boundaries, in m/s; the largest speed when none does."""
    fields = view.fields
    through = fields.volume_flux
    area = np.linalg.norm(fields.stencil.area[fields.stencil.inner :], axis=1)
    entering = through < -1e-12 * np.abs(through).max(initial=0.0)
    if entering.any():
        return float(-through[entering].sum() / area[entering].sum())
    return float(fields.speed.max(initial=0.0))


def values(view: View) -> Values:
    """(p − p₀) over ½ρU² of the reference values, in cells (C,) and on boundary faces (B,)."""
    speed = inflow_speed(view) if view.references.speed is None else view.references.speed
    dynamic = max(0.5 * float(view.fields.density.mean()) * speed**2, 1e-300)
    cells, boundary = view.values("pressure")
    return (cells - view.references.pressure) / dynamic, (boundary - view.references.pressure) / dynamic


QUANTITY = QuantityKind("pressure_coefficient", NONE, "pressure coefficient", values, signed=True)
