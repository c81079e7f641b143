"""What stands or acts within the fluid, under the names of `brook.core.study.within`."""

from brook.core.solve.within.acting import NOTHING_ACTS, Act, Acting, Acts
from brook.core.solve.within.blowers import Blower
from brook.core.solve.within.exchangers import Exchanger
from brook.core.solve.within.steps import PressureSteps, Screens

__all__ = ["NOTHING_ACTS", "Act", "Acting", "Acts", "Blower", "Exchanger", "PressureSteps", "Screens"]
