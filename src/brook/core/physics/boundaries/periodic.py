"""A periodic pair: no boundary at all, but something that may drive what goes round."""

from brook.core.physics.conditions import Driven
from brook.core.study import Resolved


def driven(statement: Resolved) -> Driven:
    """By what a pair is driven."""
    value = {"none": 0.0, "drop": statement.drop, "mass_flow": statement.mass_flow}[statement.drive]
    return Driven(statement.drive, float(value))
