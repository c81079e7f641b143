"""A wall that slides in its own plane; a velocity through the wall is left out."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved
from brook.core.study.placed import at_places


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    parts = (statement.velocity_x, statement.velocity_y, statement.velocity_z)
    velocity = np.stack([at_places(part, patch.centre) for part in parts], axis=1)
    through = np.einsum("ij,ij->i", velocity, patch.inward)
    return Condition(FIXED, velocity - through[:, None] * patch.inward)
