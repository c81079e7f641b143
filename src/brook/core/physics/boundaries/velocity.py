"""Mean speed into the fluid, even or with the profile of developed flow, or the speed by place."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.physics.developed import turbulent_profile
from brook.core.study import Resolved
from brook.core.study.placed import Placed


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    return Condition(FIXED, inflow(patch, statement.speed, statement.profile))


def inflow(patch: PatchFaces, mean_speed: float, profile: str) -> np.ndarray:
    """Velocities (n, 3) square to the patch whose area mean is `mean_speed`; by place they are those of the formula.

    Raises `ValueError` for a formula that is to be developed too, or that is negative somewhere.
    """
    if isinstance(mean_speed, Placed):
        speed = mean_speed.at(patch.centre)
        if profile == "developed":
            raise ValueError(f"the speed at '{patch.name}' is given by place already; let it enter evenly")
        if speed.min() < 0:
            x, y, z = patch.centre[int(speed.argmin())]
            raise ValueError(f"the speed into '{patch.name}' is negative at ({x:.4g} m, {y:.4g} m, {z:.4g} m)")
        return speed[:, None] * patch.inward
    shape = np.ones(len(patch.area))
    if profile == "developed" and patch.stirred:
        shape = turbulent_profile(patch.developed, patch.size, mean_speed / patch.stirred)
    elif profile == "developed":
        shape = patch.developed
    return mean_speed * shape[:, None] * patch.inward
