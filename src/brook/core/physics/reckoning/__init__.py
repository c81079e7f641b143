"""Small calculations before a run, each with its formula and where that stands: one list, in the order in which an engineer asks.

A calculator is a function of its inputs in SI units; `CALCULATORS` has them by name.
"""

from brook.core.physics.reckoning.calculator import Calculator, Input, Result
from brook.core.physics.reckoning.films import FILMS
from brook.core.physics.reckoning.heights import HEIGHTS
from brook.core.physics.reckoning.losses import LOSSES
from brook.core.physics.reckoning.numbers import NUMBERS
from brook.core.physics.reckoning.stirring import STIRRING

CALCULATORS: dict[str, Calculator] = {c.name: c for c in (*NUMBERS, *LOSSES, *STIRRING, *HEIGHTS, *FILMS)}

__all__ = ["CALCULATORS", "Calculator", "Input", "Result"]
