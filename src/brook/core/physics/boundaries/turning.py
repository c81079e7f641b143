"""A wall that turns about an axis; a velocity through the wall, where it is not round, is left out."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    axis = statement.rate * np.eye(3)["xyz".index(statement.axis)]
    velocity = np.cross(axis, patch.centre - np.array([statement.x, statement.y, statement.z]))
    through = np.einsum("ij,ij->i", velocity, patch.inward)
    return Condition(FIXED, velocity - through[:, None] * patch.inward)
