"""Axes of plots made by formula: of the distance along a line, the place, the value and named values."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from brook.core.formulas import FormulaError, Node, Reading, Scope, evaluate, nearest, parse
from brook.core.results.profile import Profile
from brook.core.units import DIMENSIONS, Dimension, Quantity

LENGTH = DIMENSIONS["length"]
PLACES = ("distance", "x", "y", "z")
NAMES = (*PLACES, "value")
SAMPLE = {name: 1.37 + 0.61 * k for k, name in enumerate(NAMES)}  # places at which a formula hardly divides by zero


def axis_dimension(formula: str, value: Dimension, named: Scope) -> Dimension:
    """The dimension of what a formula makes, of a `value` of some dimension. Raises `FormulaError`."""
    return evaluate(parse(formula), _scope({**SAMPLE}, value, named)).dimension


def axis_values(formula: str, value: Dimension, named: Scope, profile: Profile) -> np.ndarray:
    """What a formula makes (n,) of the places and values of a profile, in SI units, nan where it has no value.

    Raises `FormulaError`."""
    columns = profile.places.T
    known = {"distance": profile.distance, "value": profile.values, **dict(zip("xyz", columns, strict=False))}
    if len(columns) == 2:
        known["z"] = np.zeros(len(profile.distance))
    tree = parse(formula)
    try:
        made = _made(tree, known, value, named)
    except FormulaError as refused:  # at some places there may be no value, as where it divides by zero
        made = np.full(len(profile.distance), np.nan)
        for n in range(len(made)):
            with suppress(FormulaError):
                made[n] = _made(tree, {name: column[n] for name, column in known.items()}, value, named)
        if np.isnan(made).all():
            raise refused
    found = np.broadcast_to(made, len(profile.distance)).copy()
    found[~np.isfinite(found)] = np.nan
    return found


def _made(tree: Node, known: dict[str, np.ndarray], value: Dimension, named: Scope) -> np.ndarray:
    with np.errstate(all="ignore"):
        return np.asarray(evaluate(tree, _scope(known, value, named)).value, float)


def _scope(known: dict[str, float] | dict[str, np.ndarray], value: Dimension, named: Scope) -> Scope:
    def scope(reading: Reading) -> Quantity:
        if reading.text in NAMES and not reading.arguments:
            return Quantity(known[reading.text], value if reading.text == "value" else LENGTH)
        if len(reading.parts) > 1:
            raise FormulaError(
                "an axis is made of the place, the value and named values, not of readings", reading.position
            )
        try:
            return named(reading)
        except FormulaError:
            raise FormulaError(
                f"'{reading.text}' is nothing of an axis and no named value: {nearest(reading.text, NAMES)}",
                reading.position,
            ) from None

    return scope
