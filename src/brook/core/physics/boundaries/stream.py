"""A given velocity, the same on all of the patch; where it looks out of the fluid it leaves."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    velocity = (statement.velocity_x, statement.velocity_y, statement.velocity_z)
    return Condition(FIXED, np.tile(velocity, (len(patch.area), 1)))
