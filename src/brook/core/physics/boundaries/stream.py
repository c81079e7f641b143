"""A given velocity, by place where a formula says so; where it looks out of the fluid it leaves."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved
from brook.core.study.placed import at_places


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    parts = (statement.velocity_x, statement.velocity_y, statement.velocity_z)
    return Condition(FIXED, np.stack([at_places(part, patch.centre) for part in parts], axis=1))
