"""What is put into a flow or a solid besides what comes in through its patches."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Put:
    """So much heat in W is set free in a body, or taken there, by `what`; at the end of a run in time."""

    what: str
    body: str
    value: float
