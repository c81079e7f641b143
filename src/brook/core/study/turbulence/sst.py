"""Menter's k-ω model of shear stress transport."""

from __future__ import annotations

from typing import ClassVar, Literal

from brook.core.study.turbulence.model import Model


class Sst(Model):
    """Menter's k-ω model of shear stress transport."""

    words: ClassVar[str] = "turbulent (k-ω SST)"
    kind: Literal["sst"] = "sst"
