"""How fast the fluid is strained, √(2 S:S) with S = (∇u + ∇uᵀ)/2, and the power that friction turns into heat there, 2 (μ + μ_t) S:S."""

from __future__ import annotations

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS, dimension_of


def strained(slope: np.ndarray) -> np.ndarray:
    """2 S:S (n,) in 1/s² of gradients (n, 3, 3)."""
    both = slope + np.swapaxes(slope, 1, 2)
    return np.asarray(0.5 * np.einsum("nij,nij->n", both, both))


def _rate(view: View) -> Values:
    return np.sqrt(strained(view.velocity_slope)), np.sqrt(strained(view.boundary_velocity_slope))


def _lost(view: View) -> Values:
    """Of the eddies too, where a model has them: what the mean flow loses."""
    fields = view.fields
    cells, boundary = (v * v for v in view.values("strain_rate"))
    viscosity, near = fields.viscosity, fields.viscosity_on_boundary
    if "eddy_viscosity" in fields.more:
        more, at_walls = fields.more["eddy_viscosity"]
        viscosity, near = viscosity + more, np.where(view.is_wall, near, near + at_walls)
    return viscosity * cells, near * boundary


QUANTITY = QuantityKind("strain_rate", DIMENSIONS["rate"], "strain rate", _rate, positive=True)
LOST = QuantityKind("friction_loss", dimension_of("W/m^3"), "power lost to friction", _lost, positive=True)
