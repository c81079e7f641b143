"""Where the fluid turns more than it is strained: Q = (|Ω|² − |S|²)/2, above nothing in a vortex. Hunt, Wray & Moin 1988."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import dimension_of


def _of(slope: np.ndarray) -> np.ndarray:
    """(|Ω|² − |S|²)/2 = (tr(∇u)² − ∇u:∇uᵀ)/2 (n,) without the first, which is nothing where the density stays."""
    return np.asarray(-0.5 * np.einsum("nij,nji->n", slope, slope))


def values(view: View) -> Values:
    """In cells (C,) and on boundary faces (B,), in 1/s²."""
    return _of(view.velocity_slope), _of(view.boundary_velocity_slope)


QUANTITY = QuantityKind("q_criterion", dimension_of("1/s^2"), "Q criterion", values, signed=True)
