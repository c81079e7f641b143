"""The size of the velocity."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """In cells (C,) and on boundary faces (B,), in m/s."""
    return view.fields.speed, np.linalg.norm(view.fields.boundary_velocity, axis=1)


QUANTITY = QuantityKind("speed", DIMENSIONS["speed"], "speed", values, positive=True)
