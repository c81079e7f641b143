"""Static pressure; fluid that flows back enters square to the patch."""

from brook.core.physics.conditions import OPEN, Condition, PatchFaces
from brook.core.study import Resolved
from brook.core.study.placed import at_places


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    return Condition(OPEN, pressure=at_places(statement.pressure, patch.centre))
