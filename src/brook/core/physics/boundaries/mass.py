"""Mass flow into the fluid, in kg/s over the whole patch, even or with the profile of developed flow."""

from brook.core.physics.boundaries.velocity import inflow
from brook.core.physics.conditions import FIXED, Condition, Metered, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch; how fast that is depends on the density there."""
    even = inflow(patch, 1.0, statement.profile)
    return Condition(FIXED, even, metered=Metered("in", statement.mass_flow))
