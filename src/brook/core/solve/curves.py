"""Values that are said as curves over a volume flow: of fans, pumps and heat exchangers."""

from __future__ import annotations

from collections.abc import Callable
from math import isfinite

from brook.core.formulas import FormulaError


def at_flow(curve: Callable[[float], float], flow: float, called: str) -> float:
    """The value of a curve at a flow in m³/s. Raises `ValueError`, naming what it is `called`, where it has none."""
    try:
        found = curve(flow)
        if not isfinite(found):
            raise FormulaError("it is not finite")
        return found
    except FormulaError as error:
        raise ValueError(f"{called} has no value at {flow:.4g} m³/s: {error.message}") from None
