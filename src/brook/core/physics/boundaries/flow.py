"""Volume flow into the fluid, in m³/s over the whole patch."""

from brook.core.physics.boundaries.velocity import inflow
from brook.core.physics.conditions import FIXED, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    mean_speed = statement.volume_flow / float(patch.size.sum())
    return Condition(FIXED, inflow(patch, mean_speed, statement.profile))
