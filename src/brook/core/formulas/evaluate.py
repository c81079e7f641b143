"""Tree -> quantity. Numbers and arrays alike; units are checked at every step."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterable
from itertools import pairwise
from typing import Any

import numpy as np

from brook.core.formulas.tables import KnownTable
from brook.core.formulas.tree import Binary, Call, FormulaError, Negative, Node, Number, Reading
from brook.core.units import NONE, Dimension, Quantity, to_si

# What a name or a place reading stands for; raises FormulaError when it stands for nothing.
Scope = Callable[[Reading], Quantity]  # or a table, which only a call asks for


def nearest(word: str, known: Iterable[str]) -> str:
    """A hint that names the nearest known words, or lists a few of them."""
    known = sorted(set(known))
    close = difflib.get_close_matches(word, known, n=3, cutoff=0.5)
    if close:
        return "did you mean " + " or ".join(close) + "?"
    if known:
        return "known are " + ", ".join(known[:8]) + (" …" if len(known) > 8 else "")
    return "none is defined yet"


def evaluate(node: Node, scope: Scope) -> Quantity:
    """The quantity a formula stands for, in SI units. Raises `FormulaError`."""
    match node:
        case Number():
            return to_si(node.value, node.unit) if node.unit else Quantity(node.value)
        case Reading():
            found = scope(node)
            if isinstance(found, KnownTable):
                raise FormulaError(
                    f"'{node.text}' is a table: ask for its value at a place, {node.text}(y)", node.position
                )
            return found
        case Negative():
            inner = evaluate(node.inner, scope)
            return Quantity(-inner.value, inner.dimension)
        case Binary():
            return _binary(node, evaluate(node.left, scope), evaluate(node.right, scope))
        case Call():
            if node.function not in FUNCTIONS:
                return _tabled(node, scope)
            count, function = FUNCTIONS[node.function]
            if count is not None and len(node.arguments) != count:
                raise FormulaError(
                    f"{node.function} takes {count} value{'s' if count > 1 else ''}, not {len(node.arguments)}",
                    node.position,
                )
            return function(node, [evaluate(argument, scope) for argument in node.arguments])
    raise TypeError(node)


def _tabled(node: Call, scope: Scope) -> Quantity:
    """What a table of the study says at a place."""
    try:
        found = scope(Reading((node.function,), (), node.position))
    except FormulaError:
        found = None
    if not isinstance(found, KnownTable):
        raise FormulaError(f"unknown function '{node.function}': {nearest(node.function, FUNCTIONS)}", node.position)
    if len(node.arguments) != 1:
        raise FormulaError(f"the table {node.function} takes 1 place, not {len(node.arguments)}", node.position)
    return found.at(evaluate(node.arguments[0], scope), node.position)


def _same(node: Node, *values: Quantity) -> Dimension:
    for value in values[1:]:
        if value.dimension != values[0].dimension:
            raise FormulaError(
                f"{values[0].dimension.unit()} and {value.dimension.unit()} cannot be put together; give both the same kind of unit",
                node.position,
            )
    return values[0].dimension


def _plain(node: Call, value: Quantity) -> Any:
    if not value.dimension.is_none:
        raise FormulaError(
            f"{node.function} takes a plain number, this has the unit {value.dimension.unit()}", node.position
        )
    return value.value


def _binary(node: Binary, left: Quantity, right: Quantity) -> Quantity:
    match node.sign:
        case "+":
            return Quantity(left.value + right.value, _same(node, left, right))
        case "-":
            return Quantity(left.value - right.value, _same(node, left, right))
        case "*":
            return Quantity(left.value * right.value, left.dimension * right.dimension)
        case "/":
            if np.any(np.asarray(right.value) == 0):
                raise FormulaError("this divides by zero", node.position)
            return Quantity(left.value / right.value, left.dimension / right.dimension)
        case "^":
            return _power(node, left, right)
    _same(node, left, right)
    compare = {"<": np.less, "<=": np.less_equal, ">": np.greater, ">=": np.greater_equal,
               "==": np.equal, "!=": np.not_equal}[node.sign]  # fmt: skip
    return Quantity(compare(left.value, right.value) * 1.0)


def _power(node: Binary, base: Quantity, exponent: Quantity) -> Quantity:
    if not exponent.dimension.is_none:
        raise FormulaError("an exponent has to be a plain number", node.position)
    if not base.dimension.is_none and np.ndim(exponent.value):
        raise FormulaError("a value with a unit takes the same exponent everywhere", node.position)
    with np.errstate(all="ignore"):
        value = np.power(np.asarray(base.value, dtype=float), exponent.value)
    if not np.all(np.isfinite(value)):
        raise FormulaError("this power has no finite value", node.position)
    dimension = NONE if base.dimension.is_none else base.dimension ** float(exponent.value)
    return Quantity(value if np.ndim(value) else float(value), dimension)


def _elementwise(function: Callable[[Any], Any]) -> Callable[[Call, list[Quantity]], Quantity]:
    def call(node: Call, arguments: list[Quantity]) -> Quantity:
        with np.errstate(all="ignore"):
            value = function(_plain(node, arguments[0]))
        if not np.all(np.isfinite(value)):
            raise FormulaError(f"{node.function} has no value there", node.position)
        return Quantity(value if np.ndim(value) else float(value))

    return call


def _sqrt(node: Call, arguments: list[Quantity]) -> Quantity:
    value = arguments[0]
    if np.any(np.asarray(value.value) < 0):
        raise FormulaError("sqrt of a negative value", node.position)
    return Quantity(np.sqrt(value.value), value.dimension**0.5)


def _abs(node: Call, arguments: list[Quantity]) -> Quantity:
    return Quantity(np.abs(arguments[0].value), arguments[0].dimension)


def _extreme(function: Any) -> Callable[[Call, list[Quantity]], Quantity]:
    def call(node: Call, arguments: list[Quantity]) -> Quantity:
        dimension = _same(node, *arguments)
        value = arguments[0].value
        for argument in arguments[1:]:
            value = function(value, argument.value)
        return Quantity(value, dimension)

    return call


def _if(node: Call, arguments: list[Quantity]) -> Quantity:
    condition, yes, no = arguments
    dimension = _same(node, yes, no)
    value = np.where(np.asarray(_plain(node, condition)) != 0, yes.value, no.value)
    return Quantity(value if np.ndim(value) else float(value), dimension)


def _ramp(node: Call, arguments: list[Quantity]) -> Quantity:
    """0 before t0, 1 after t1, straight in between."""
    _same(node, *arguments)
    t, t0, t1 = (a.value for a in arguments)
    if np.any(np.asarray(t1) <= t0):
        raise FormulaError("ramp needs its end after its start", node.position)
    value = np.clip((t - t0) / (t1 - t0), 0.0, 1.0)
    return Quantity(value if np.ndim(value) else float(value))


def _pulse(node: Call, arguments: list[Quantity]) -> Quantity:
    """1 from t0 to t1, 0 elsewhere."""
    _same(node, *arguments)
    t, t0, t1 = (a.value for a in arguments)
    value = np.where((t >= t0) & (t <= t1), 1.0, 0.0)
    return Quantity(value if np.ndim(value) else float(value))


def _table(node: Call, arguments: list[Quantity]) -> Quantity:
    """Straight between known points, `table(x, x1, y1, x2, y2, …)`, and level beyond them."""
    if len(arguments) < 5 or len(arguments) % 2 == 0:
        raise FormulaError("table takes a value and then at least two pairs of a place and its value", node.position)
    _same(node, arguments[0], *arguments[1::2])
    dimension = _same(node, *arguments[2::2])
    places, values = ([float(a.value) for a in arguments[k::2]] for k in (1, 2))
    if any(b <= a for a, b in pairwise(places)):
        raise FormulaError("the places of a table have to rise", node.position)
    value = np.interp(arguments[0].value, places, values)
    return Quantity(value if np.ndim(value) else float(value), dimension)


FUNCTIONS: dict[str, tuple[int | None, Callable[[Call, list[Quantity]], Quantity]]] = {
    **{name: (1, _elementwise(getattr(np, numpy_name))) for name, numpy_name in {
        "sin": "sin", "cos": "cos", "tan": "tan", "asin": "arcsin", "acos": "arccos", "atan": "arctan",
        "exp": "exp", "ln": "log", "log10": "log10", "sinh": "sinh", "cosh": "cosh", "tanh": "tanh",
    }.items()},
    "sqrt": (1, _sqrt),
    "abs": (1, _abs),
    "min": (None, _extreme(np.minimum)),
    "max": (None, _extreme(np.maximum)),
    "if": (3, _if),
    "ramp": (3, _ramp),
    "pulse": (3, _pulse),
    "table": (None, _table),
}  # fmt: skip
