"""Values that change from place to place, by formula of x, y and z."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from brook.core.formulas import FormulaError, Node, Reading, Scope, evaluate, names_in, parse
from brook.core.formulas.tables import watched
from brook.core.units import DIMENSIONS, Quantity

NAMES = ("x", "y", "z")
# places in m whose values tell one formula from another
SAMPLES = np.concatenate(
    [np.zeros((1, 3)), *(np.random.default_rng(k).uniform(-s, s, (16, 3)) for k, s in enumerate((0.03, 1.0, 30.0)))]
)


class Placed(float):
    """A value in SI units, which as a number is that at the origin; `at` gives it at places."""

    tree: Node
    scope: Scope

    @classmethod
    def of(cls, text: str, scope: Scope) -> Placed:
        """From a formula of x, y and z. Raises `FormulaError`."""
        tree = parse(text)
        found = cls(_first(tree, scope))
        found.tree, found.scope = tree, scope
        return found

    def scope_at(self, places: np.ndarray) -> Scope:
        """What names stand for at places (n, 3), or one (3,), in m."""
        return _with(self.scope, places)

    def at(self, places: np.ndarray) -> np.ndarray:
        """Values (n,) at places (n, 3) in m. Raises `FormulaError` where there is none."""
        value = evaluate(self.tree, _with(self.scope, places)).value
        return np.broadcast_to(np.asarray(value, float), len(places)).copy()

    def beyond(self, places: np.ndarray) -> float:
        """The largest share of places (n, 3) in m that lie beyond the ends of a table that the formula asks: it is level there."""
        seen: list[tuple[float, float]] = []
        with suppress(FormulaError):  # where there is no value is told by whoever needs it
            evaluate(self.tree, _with(watched(self.scope, seen), places))
        return max((before + after for before, after in seen), default=0.0)

    def samples(self) -> list[float | None]:
        """Values at places that tell one formula from another, None where there is none."""
        found: list[float | None] = []
        for place in SAMPLES:
            try:
                found.append(float(f"{float(self.at(place[None])[0]):.12g}"))
            except FormulaError:
                found.append(None)
        return found


def is_placed(text: str) -> bool:
    """Whether a formula names a coordinate."""
    try:
        return any(name.text in NAMES for name in names_in(parse(text)))
    except FormulaError:
        return False


def at_places(value: float, places: np.ndarray) -> np.ndarray:
    """Values (n,) of a number, or of a formula, at places (n, 3) in m."""
    return value.at(places) if isinstance(value, Placed) else np.full(len(places), float(value))


def _first(tree: Node, scope: Scope) -> float:
    """At the origin, or where it has a value."""
    for place in SAMPLES:
        try:
            return float(np.asarray(evaluate(tree, _with(scope, place)).value))
        except FormulaError as error:
            problem = error
    raise problem


def _with(scope: Scope, places: np.ndarray) -> Scope:
    def within(reading: Reading) -> Quantity:
        if reading.text in NAMES:
            return Quantity(places[..., NAMES.index(reading.text)], DIMENSIONS["length"])
        return scope(reading)

    return within
