"""Values that change with the temperature T, by formula."""

from __future__ import annotations

import numpy as np

from brook.core.formulas import FormulaError, Node, Reading, Scope, evaluate, names_in, parse
from brook.core.units import DIMENSIONS, Quantity

NAME = "T"
LEAST = 0.01  # of the value at the start: a property never falls further
SAMPLES = np.geomspace(20.0, 5000.0, 97)


class Varied(float):
    """A value in SI units at the start temperature; `at` gives it at others."""

    tree: Node
    scope: Scope

    @classmethod
    def of(cls, text: str, scope: Scope, start: float) -> Varied:
        """From a formula of T; `start` in K. Raises `FormulaError`."""
        tree = parse(text)
        found = cls(float(np.asarray(evaluate(tree, _with(scope, start)).value)))
        found.tree, found.scope = tree, scope
        return found

    def scope_at(self, temperature: float | np.ndarray) -> Scope:
        """What names stand for at a temperature in K."""
        return _with(self.scope, temperature)

    def at(self, temperature: np.ndarray) -> np.ndarray:
        """Values (n,) at temperatures (n,) in K, none under a hundredth of that at the start."""
        floor = LEAST * float(self)
        return np.fmax(self._plain(temperature), floor)

    def is_lost(self, temperature: np.ndarray) -> np.ndarray:
        """Where (n,) the formula comes to less than `at` gives, or to nothing."""
        return ~(self._plain(temperature) >= LEAST * float(self))

    def samples(self) -> list[float]:
        """Values over all temperatures that may come up: what tells one formula from another."""
        return [float(v) for v in self._plain(SAMPLES)]

    def _plain(self, temperature: np.ndarray) -> np.ndarray:
        try:
            with np.errstate(all="ignore"):
                value = evaluate(self.tree, _with(self.scope, temperature)).value
        except FormulaError:  # somewhere it has no value: find out where
            if len(temperature) == 1:
                return np.array([np.nan])
            half = len(temperature) // 2
            return np.concatenate([self._plain(temperature[:half]), self._plain(temperature[half:])])
        return np.broadcast_to(np.asarray(value, float), temperature.shape)


def varies(text: str) -> bool:
    """Whether a formula names the temperature."""
    try:
        return any(name.text == NAME for name in names_in(parse(text)))
    except FormulaError:
        return False


def _with(scope: Scope, temperature: float | np.ndarray) -> Scope:
    def within(reading: Reading) -> Quantity:
        if reading.text == NAME:
            return Quantity(temperature, DIMENSIONS["temperature"])
        return scope(reading)

    return within
