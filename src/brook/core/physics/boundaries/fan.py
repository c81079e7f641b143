"""A fan that blows in: at the patch p = p₀ + Δp(Q), with its static pressure Δp at the volume flow Q through the whole patch."""

from brook.core.physics.conditions import OPEN, Condition, PatchFaces, Through
from brook.core.study import Resolved
from brook.core.study.of_flow import OfFlow


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    rise = statement.rise
    return Condition(
        OPEN,
        pressure=statement.pressure,
        through=Through(rise=rise.at if isinstance(rise, OfFlow) else lambda _: float(rise)),
    )
