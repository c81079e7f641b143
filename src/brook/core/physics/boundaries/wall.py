"""A still wall: the fluid sticks to it."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    return Condition(FIXED, np.zeros((len(patch.area), 3)))
