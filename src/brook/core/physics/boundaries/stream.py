"""A given velocity, by place where a formula says so; where it looks out of the fluid it leaves."""

import numpy as np

from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved
from brook.core.study.placed import at_places

ROUND = 1e-9  # of the area of a patch that lies all round: what its faces come to together
OF_MIDDLES = 0.02  # of what passes


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    parts = (statement.velocity_x, statement.velocity_y, statement.velocity_z)
    velocity = np.stack([at_places(part, patch.centre) for part in parts], axis=1)
    return Condition(FIXED, velocity - _left_over(velocity, patch))


def _left_over(velocity: np.ndarray, patch: PatchFaces) -> np.ndarray:
    """What has to be taken off velocities (n, 3) all round a flow so that as much leaves as enters: a formula that does so along a whole side does not quite where it is
    taken at the middles of faces. Nothing where the patch does not lie all round, or where more is left over than comes of that."""
    size = patch.size
    whole = float(size.sum())
    if float(np.linalg.norm(patch.area.sum(axis=0))) > ROUND * whole:
        return np.zeros_like(velocity)
    net = float(np.einsum("ij,ij->", velocity, patch.area))
    if abs(net) > OF_MIDDLES * float(np.linalg.norm(velocity, axis=1) @ size):
        return np.zeros_like(velocity)
    return net / whole * patch.area / size[:, None]
