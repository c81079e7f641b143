"""What the temperature would be if the flow came to rest without loss: T + |u|²/(2 c)."""

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def values(view: View) -> Values:
    """In cells (C,) and on boundary faces (B,), in K; where nothing flows the temperature itself."""
    temperature, speed = view.values("temperature"), view.values("speed")
    capacity = view.fields.flowing_capacity
    near = capacity[view.fields.stencil.face_cell]
    found = [
        t + np.divide(u * u, 2 * c, out=np.zeros(len(c)), where=c > 0)
        for t, u, c in zip(temperature, speed, (capacity, near), strict=True)
    ]
    return found[0], found[1]


QUANTITY = QuantityKind("total_temperature", DIMENSIONS["temperature"], "total temperature", values, positive=True)
