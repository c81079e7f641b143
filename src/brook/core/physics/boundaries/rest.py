"""From rest at a pressure p₀: at the patch p = p₀ − (1 + ζ) ρ u²/2 where fluid comes in."""

import numpy as np

from brook.core.physics.conditions import OPEN, Condition, PatchFaces, Through
from brook.core.study import Resolved
from brook.core.study.placed import at_places


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    outside = np.asarray(at_places(statement.pressure, patch.centre))
    return Condition(OPEN, pressure=outside, through=Through(entering=1.0 + statement.loss))
