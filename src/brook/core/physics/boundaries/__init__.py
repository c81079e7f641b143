"""Boundary kinds, one file each: `condition(statement, patch)` says what holds on the faces.

The names are those of `brook.core.study.boundaries`.
"""

from collections.abc import Callable

from brook.core.physics.boundaries import (
    drawn,
    exhaust,
    fan,
    flow,
    mass,
    pressure,
    rest,
    share,
    sliding,
    slip,
    stream,
    symmetry,
    turning,
    velocity,
    wall,
)
from brook.core.physics.conditions import Condition, PatchFaces
from brook.core.study import Resolved

CONDITIONS: dict[str, Callable[[Resolved, PatchFaces], Condition]] = {
    module.__name__.rsplit(".", 1)[1]: module.condition
    for module in (
        velocity,
        flow,
        mass,
        rest,
        fan,
        stream,
        pressure,
        exhaust,
        drawn,
        share,
        wall,
        sliding,
        turning,
        slip,
        symmetry,
    )
}
