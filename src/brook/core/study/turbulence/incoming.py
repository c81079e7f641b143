"""How turbulent what comes in is."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from brook.core.study.base import Formula, Length, Part, PatchName, Value

Intensity = Annotated[Formula, Value("number", "positive")]


class ByRatio(Part):
    """Velocities swing by `intensity` of the mean speed, and eddies make the fluid so many times more viscous."""

    words: ClassVar[str] = "by the viscosity ratio"
    kind: Literal["ratio"] = "ratio"
    intensity: Intensity = "5 %"
    ratio: Annotated[Formula, Value("number", "positive")] = "10"


class ByLength(Part):
    """Velocities swing by `intensity` of the mean speed, in eddies of a length."""

    words: ClassVar[str] = "by the length of eddies"
    kind: Literal["length"] = "length"
    intensity: Intensity = "5 %"
    length: Length = "5 mm"


class FromDuct(Part):
    """As what comes from a long duct has it: I = 0.16 Re^(-1/8) by the hydraulic diameter D, eddies of 0.07 D."""

    words: ClassVar[str] = "as from a long duct"
    kind: Literal["duct"] = "duct"
    diameter: Length = "50 mm"


INCOMING_KINDS = (ByRatio, ByLength, FromDuct)
Incoming = Annotated[ByRatio | ByLength | FromDuct, Field(discriminator="kind")]


class InflowTurbulence(Part):
    """What flows in through a patch is as turbulent as that."""

    patch: PatchName
    incoming: Incoming = ByRatio()
