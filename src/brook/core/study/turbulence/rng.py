"""The k-ε model by renormalization groups, with two layers at walls."""

from __future__ import annotations

from typing import ClassVar, Literal

from brook.core.study.turbulence.model import Model


class Rng(Model):
    """The k-ε model by renormalization groups, with two layers at walls."""

    words: ClassVar[str] = "turbulent (k-ε, RNG)"
    kind: Literal["rng"] = "rng"
