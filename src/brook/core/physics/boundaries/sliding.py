"""A wall that slides in its own plane; a velocity through the wall is left out."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    velocity = np.tile([statement.velocity_x, statement.velocity_y, statement.velocity_z], (len(patch.area), 1))
    through = np.einsum("ij,ij->i", velocity, patch.inward)
    return Condition(FIXED, velocity - through[:, None] * patch.inward)
