"""Quantities by formula: `slow = if(speed < 0.5 mm/s, 1, 0)`, from other quantities, x, y, z and named values."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brook.core.formulas import FormulaError, Node, Reading, Scope, evaluate, nearest, parse
from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS, Dimension, Quantity

AXES = ("x", "y", "z")
Lookup = Callable[[str], Quantity]


@dataclass(frozen=True, eq=False)
class OwnQuantity:
    """A formula over fields, checked, or with no `text` a scalar that the flow carries; `kind` reads it like any other quantity."""

    name: str
    text: str
    kind: QuantityKind


def _scope(lookup: Lookup, known: dict[str, QuantityKind], named: Scope) -> Scope:
    def scope(reading: Reading) -> Quantity:
        if len(reading.parts) == 1 and not reading.arguments:
            if reading.text in AXES or reading.text in known:
                return lookup(reading.text)
            try:
                return named(reading)
            except FormulaError:
                names = [*known, *AXES]
                raise FormulaError(
                    f"'{reading.text}' is no field and no named value: {nearest(reading.text, names)}", reading.position
                ) from None
        raise FormulaError("a field is made from fields, places and named values, not from readings", reading.position)

    return scope


def own_quantity(name: str, text: str, known: dict[str, QuantityKind], named: Scope) -> OwnQuantity:
    """The quantity of a formula over the known ones. Raises `FormulaError`."""
    tree = parse(text)

    def sample(word: str) -> Quantity:
        return Quantity(1.0, DIMENSIONS["length"] if word in AXES else known[word].dimension)

    try:
        dimension = evaluate(tree, _scope(sample, known, named)).dimension
    except FormulaError as error:
        if "divides by zero" not in error.message:
            raise
        dimension = _dimension_elsewhere(tree, known, named)
    kind = QuantityKind(name, dimension, name.replace("_", " "), _values(tree, known, named))
    return OwnQuantity(name, text, kind)


def _dimension_elsewhere(tree: Node, known: dict[str, QuantityKind], named: Scope) -> Dimension:
    """The dimension from other sample values, for a formula that divides by zero where all are 1."""
    numbers = {word: 1.37 + 0.61 * k for k, word in enumerate([*AXES, *known])}

    def sample(word: str) -> Quantity:
        return Quantity(numbers[word], DIMENSIONS["length"] if word in AXES else known[word].dimension)

    return evaluate(tree, _scope(sample, known, named)).dimension


def _values(tree: Node, known: dict[str, QuantityKind], named: Scope) -> Callable[[View], Values]:
    def values(view: View) -> Values:
        mesh, stencil = view.fields.mesh, view.fields.stencil
        places = (mesh.centre, mesh.face_centres(slice(stencil.inner, stencil.active)))
        found = []
        for side, at in enumerate(places):

            def lookup(word: str, side: int = side, at: np.ndarray = at) -> Quantity:
                if word in AXES:
                    return Quantity(at[:, AXES.index(word)], DIMENSIONS["length"])
                return Quantity(view.values(word)[side], known[word].dimension)

            value = evaluate(tree, _scope(lookup, known, named)).value
            found.append(np.broadcast_to(np.asarray(value, float), len(at)))
        return found[0], found[1]

    return values
