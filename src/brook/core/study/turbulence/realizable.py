"""The realizable k-ε model, with two layers at walls."""

from __future__ import annotations

from typing import ClassVar, Literal

from brook.core.study.turbulence.model import Model


class Realizable(Model):
    """The realizable k-ε model, with two layers at walls."""

    words: ClassVar[str] = "turbulent (k-ε, realizable)"
    kind: Literal["realizable"] = "realizable"
