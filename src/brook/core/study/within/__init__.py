"""What the document can say of what stands or acts within the fluid: one file a kind.

What porous bodies and screens take stands in `brook.core.physics.within`, under the same names; what all do to a flow in `brook.core.solve.within`.
"""

from typing import Annotated

from pydantic import Field

from brook.core.study.within.blower import Blower
from brook.core.study.within.exchanger import Exchanger
from brook.core.study.within.heating import Heating
from brook.core.study.within.porous import Porous
from brook.core.study.within.push import Push
from brook.core.study.within.release import Release
from brook.core.study.within.screen import Screen

KINDS = (Porous, Screen, Blower, Exchanger, Push, Heating, Release)
CALLED = {str(kind.model_fields["kind"].default): kind.called for kind in KINDS}  # as messages name them
ACTS = (Push, Heating, Release)  # what may change with the time
Within = Annotated[Porous | Screen | Blower | Exchanger | Push | Heating | Release, Field(discriminator="kind")]

__all__ = ["ACTS", "CALLED", "KINDS", "Blower", "Exchanger", "Heating", "Porous", "Push", "Release", "Screen", "Within"]
