"""Mean speed into the fluid, even or with the profile of developed flow."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    return Condition(FIXED, inflow(patch, statement.speed, statement.profile))


def inflow(patch: PatchFaces, mean_speed: float, profile: str) -> np.ndarray:
    """Velocities (n, 3) square to the patch whose area mean is `mean_speed`."""
    shape = patch.developed if profile == "developed" else np.ones(len(patch.area))
    return mean_speed * shape[:, None] * patch.inward
