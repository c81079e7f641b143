"""A wall that slides in its own plane; what of a velocity goes through a bent wall is left out."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved
from brook.core.study.placed import at_places

STRAIGHT = 1e-3  # of a velocity: what goes along a wall at least


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch. Raises `ValueError` for a velocity that goes straight through all of it."""
    parts = (statement.velocity_x, statement.velocity_y, statement.velocity_z)
    velocity = np.stack([at_places(part, patch.centre) for part in parts], axis=1)
    through = np.einsum("ij,ij->i", velocity, patch.inward)
    along = velocity - through[:, None] * patch.inward
    if np.abs(velocity).max() > 0 and np.abs(along).max() < STRAIGHT * np.abs(velocity).max():
        raise ValueError(
            f"the velocity of the sliding wall '{patch.name}' goes straight through it, and a wall slides along itself: say that fluid enters "
            "there, or give it a velocity along the wall"
        )
    return Condition(FIXED, along)
