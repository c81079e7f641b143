"""What screens take of the pressure, ζ ρ u²/2: Idelchik (1966), Handbook of Hydraulic Resistance, diagrams 8-1 and 8-6, at high Reynolds numbers."""

from __future__ import annotations

import numpy as np

from brook.core.study import Resolved


def loss_of(said: Resolved) -> float:
    """ζ, by the speed in front. Plates with sharp holes, f being the open share: (0.707 √(1 − f) + 1 − f)²/f²; wires: 1.3 (1 − f) + (1/f − 1)².

    Raises `ValueError` for a share over 1."""
    if said.of == "number":
        return float(said.loss)
    if said.open > 1:
        raise ValueError("more of a screen is open than there is of it; write a share under 100 %")
    shut = 1 - said.open
    if said.of == "plate":
        return float((0.707 * np.sqrt(shut) + shut) ** 2 / said.open**2)
    return float(1.3 * shut + (1 / said.open - 1) ** 2)
