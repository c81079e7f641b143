"""Values that change with the volume flow Q through a patch, by formula: the curves of fans and pumps."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from brook.core.formulas import FormulaError, Node, Reading, Scope, evaluate, names_in, parse
from brook.core.formulas.tables import watched
from brook.core.units import DIMENSIONS, Quantity

NAME = "Q"
SAMPLES = np.concatenate([[0.0], np.geomspace(1e-6, 1e3, 91)])  # in m³/s


class OfFlow(float):
    """A value in SI units where nothing flows; `at` gives it at flows."""

    tree: Node
    scope: Scope

    @classmethod
    def of(cls, text: str, scope: Scope) -> OfFlow:
        """From a formula of Q. Raises `FormulaError`."""
        tree = parse(text)
        found = cls(float(np.asarray(evaluate(tree, _with(scope, 0.0)).value)))
        found.tree, found.scope = tree, scope
        return found

    def scope_at(self, flow: float) -> Scope:
        """What names stand for at a flow in m³/s."""
        return _with(self.scope, flow)

    def at(self, flow: float) -> float:
        """The value at a flow in m³/s. Raises `FormulaError` where there is none."""
        return float(np.asarray(evaluate(self.tree, _with(self.scope, flow)).value))

    def is_beyond(self, flow: float) -> bool:
        """Whether a table that the formula asks has ended before a flow in m³/s: it is level from there on."""
        seen: list[tuple[float, float]] = []
        with suppress(FormulaError):  # where there is no value is told by whoever needs it
            evaluate(self.tree, _with(watched(self.scope, seen), flow))
        return any(beyond for _, beyond in seen)

    def samples(self) -> list[float | None]:
        """Values that tell one formula from another, None where there is none."""
        found: list[float | None] = []
        for flow in SAMPLES:
            try:
                found.append(float(f"{self.at(float(flow)):.12g}"))
            except FormulaError:
                found.append(None)
        return found


def names_flow(text: str) -> bool:
    """Whether a formula names the flow."""
    try:
        return any(name.text == NAME for name in names_in(parse(text)))
    except FormulaError:
        return False


def _with(scope: Scope, flow: float) -> Scope:
    def within(reading: Reading) -> Quantity:
        if reading.text == NAME:
            return Quantity(flow, DIMENSIONS["volume_flow"])
        return scope(reading)

    return within
