"""Static pressure; fluid that flows back enters square to the patch."""

from brook.core.physics.conditions import OPEN, Condition, PatchFaces
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    return Condition(OPEN, pressure=statement.pressure)
