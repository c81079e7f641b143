"""Mass flow out of the fluid, in kg/s over the whole patch."""

from brook.core.physics.conditions import FIXED, Condition, Metered, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch; how it is spread over them the flow knows."""
    return Condition(FIXED, -patch.inward, metered=Metered("out", statement.mass_flow))
