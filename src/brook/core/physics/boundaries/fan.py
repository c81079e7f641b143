"""A fan that blows in: at the patch p = p₀ + Δp(Q), with its static pressure Δp at the volume flow Q through the whole patch."""

from collections.abc import Callable

from brook.core.physics.conditions import OPEN, Condition, PatchFaces, Through
from brook.core.study import Resolved
from brook.core.study.of_flow import OfFlow


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    return Condition(
        OPEN,
        pressure=statement.pressure,
        through=Through(rise=curve_of(statement.rise), is_beyond=end_of(statement.rise)),
    )


def curve_of(rise: float) -> Callable[[float], float]:
    """The rise in Pa by the volume flow in m³/s, of a formula of it or of a number."""
    return rise.at if isinstance(rise, OfFlow) else lambda _: float(rise)


def end_of(rise: float) -> Callable[[float], bool]:
    """Whether a table of it has ended before a flow in m³/s."""
    return rise.is_beyond if isinstance(rise, OfFlow) else lambda _: False
