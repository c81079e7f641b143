"""A fan that draws out: at the patch p = p₀ − Δp(Q) − ρ (Q/A)²/2, as its static pressure Δp is that behind it less the total one before it."""

from brook.core.physics.boundaries.fan import curve_of, end_of
from brook.core.physics.conditions import OPEN, Condition, PatchFaces, Through
from brook.core.study import Resolved


def condition(statement: Resolved, patch: PatchFaces) -> Condition:
    """What holds on the faces of a patch."""
    return Condition(
        OPEN,
        pressure=statement.pressure,
        through=Through(draws=True, rise=curve_of(statement.rise), is_beyond=end_of(statement.rise)),
    )
