"""Nothing goes through and nothing drags."""

from brook.core.physics.conditions import SLIP, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    return Condition(SLIP)
