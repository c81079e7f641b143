"""Static pressure outside; where fluid leaves p = p₀ + ζ ρ u²/2. What flows back enters square to the patch."""

from brook.core.physics.conditions import OPEN, Condition, PatchFaces, Through
from brook.core.study import Resolved
from brook.core.study.placed import at_places


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    loss = getattr(statement, "loss", 0.0)
    return Condition(
        OPEN, pressure=at_places(statement.pressure, patch.centre), through=Through(leaving=loss) if loss else None
    )
