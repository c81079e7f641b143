"""Readings: the values of requirements, and whether they pass.

A reading is a formula of what places read: place, quantity, statistic, joined by dots, such as
`tray.speed.share_below(0.5 mm/s)` or `inlet.pressure.mean - weir.pressure.mean`.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from brook.core.formulas import Binary, FormulaError, Negative, Node, Number, Reading, Scope, evaluate, nearest, parse
from brook.core.results.particles.said import Statement
from brook.core.results.places import Samples, body_samples, box_samples, directed, patch_samples, spot_samples
from brook.core.results.quantities import QUANTITIES, OwnQuantity, QuantityKind, References, View, known_of
from brook.core.results.statistics import STATISTICS, Statistic
from brook.core.solve import Fields
from brook.core.study import Resolved
from brook.core.units import DIMENSIONS, Dimension, Quantity, from_si, round_text, sensible_unit, show

NO_SHARE = 10.0  # numbers from here on are no shares of anything


@dataclass(frozen=True)
class Places:
    """What a reading may name: bodies, patches, boxes, points and lines with their resolved corners, and quantities of one's own; those among them that particles
    make known once the run has ended, with what is said of these particles."""

    bodies: tuple[str, ...]
    patches: tuple[str, ...]
    boxes: dict[str, Resolved]
    own: dict[str, OwnQuantity] = field(default_factory=dict)
    references: References = field(default_factory=References)
    warm: bool = False
    averaged: bool = False
    eddies: bool = False
    flights: dict[str, Statement] = field(default_factory=dict)

    def quantities(self) -> dict[str, QuantityKind]:
        """Every quantity that can be read, by name; those of heat and of averages only where there are any."""
        known = known_of(self.warm, self.averaged, self.eddies)
        return {**known, **{name: own.kind for name, own in self.own.items()}}

    def view(self, fields: Fields) -> View:
        """Fields through which all these quantities are read."""
        return View(fields, self.references, self.own)

    def kind(self, name: str) -> str | None:
        """Whether a name is that of a body, a patch or a box, None for none."""
        for kind, names in (("body", self.bodies), ("box", self.boxes), ("patch", self.patches)):
            if name in names:
                return kind
        return None

    def names(self) -> Iterable[str]:
        """All names of places."""
        return [*self.bodies, *self.patches, *self.boxes]


Sampler = Callable[[str, str, str], Samples]


def _parts(reading: Reading, places: Places) -> tuple[str, str, str, Statistic]:
    """(kind of place, place, quantity, statistic), checked. Raises `FormulaError`."""
    place, *rest = reading.parts
    kind = places.kind(place)
    if kind is None:
        raise FormulaError(
            f"'{place}' is not a patch, body or box here: {nearest(place, places.names())}", reading.position
        )
    if len(rest) != 2:
        raise FormulaError(
            f"after '{place}' say a quantity and a statistic, as in {place}.speed.mean", reading.position
        )
    quantity, statistic_name = rest
    quantities = places.quantities()
    if quantity not in quantities or kind not in quantities[quantity].on:
        known = [q for q in quantities if kind in quantities[q].on]
        raise FormulaError(f"'{quantity}' cannot be read on a {kind}: {nearest(quantity, known)}", reading.position)
    known = [s for s in STATISTICS if STATISTICS[s].fits(quantities[quantity], kind)]
    if statistic_name not in known:
        raise FormulaError(
            f"'{statistic_name}' of {quantity} is not known: {nearest(statistic_name, known)}", reading.position
        )
    statistic = STATISTICS[statistic_name]
    if len(reading.arguments) != statistic.arguments:
        wanted = f"{statistic.arguments} value" if statistic.arguments else "no value"
        raise FormulaError(f"{statistic_name} takes {wanted} in brackets", reading.position)
    return kind, place, quantity, statistic


def _scope(places: Places, named: Scope, sampler: Sampler | None) -> Scope:
    def scope(reading: Reading) -> Quantity:
        if len(reading.parts) == 1 and places.kind(reading.parts[0]) is None:
            return named(reading)
        kind, place, quantity, statistic = _parts(reading, places)
        dimension = places.quantities()[quantity].dimension
        arguments = []
        for argument in reading.arguments:
            given = evaluate(argument, named)
            if given.dimension != dimension:
                raise FormulaError(
                    f"the value in brackets has to be a {dimension}, not a {given.dimension}", reading.position
                )
            arguments.append(float(given.value))
        result = statistic.result(dimension)
        if sampler is None:
            return Quantity(1.0, result)
        samples = sampler(kind, place, quantity)
        if not len(samples.values):
            raise FormulaError(f"'{place}' holds no cell of this mesh", reading.position)
        return Quantity(statistic.evaluate(samples, *arguments), result)

    return scope


def reading_dimension(text: str, places: Places, named: Scope) -> Dimension:
    """The dimension a reading will have. Raises `FormulaError` if it cannot be read."""
    return evaluate(parse(text), _scope(places, named, None)).dimension


def places_read(text: str, places: Places, named: Scope) -> list[tuple[str, str, str]]:
    """(kind of place, place, quantity) of all that a reading reads. Raises `FormulaError`."""
    found: list[tuple[str, str, str]] = []

    def sampler(kind: str, place: str, quantity: str) -> Samples:
        found.append((kind, place, quantity))
        return Samples(np.ones(1), np.ones(1), np.ones(1), lambda: np.zeros((1, 3)))

    evaluate(parse(text), _scope(places, named, sampler))
    return found


def read_value(text: str, places: Places, named: Scope, fields: Fields) -> float:
    """The value of a reading in SI units. Raises `FormulaError`."""

    view = places.view(fields)

    def sampler(kind: str, place: str, quantity: str) -> Samples:
        if kind == "body":
            found = body_samples(view, place, quantity)
        elif kind == "box":
            spot = places.boxes[place]
            found = (spot_samples if hasattr(spot, "kind") else box_samples)(view, spot, quantity)
        else:
            found = patch_samples(view, place, quantity)
        return directed(view, quantity, found)

    return float(evaluate(parse(text), _scope(places, named, sampler)).value)


def words_of(text: str) -> str:
    """A reading as a person says it: `share of tray with speed under 0.5 mm/s`."""
    return _words(parse(text))


def _words(node: Node) -> str:
    match node:
        case Number():
            return f"{node.value:g} {node.unit}".strip()
        case Reading() if len(node.parts) == 3 and node.parts[2] in STATISTICS:
            place, quantity, statistic = node.parts
            arguments = [_words(a) for a in node.arguments]
            kind = QUANTITIES.get(quantity)
            said, summed = (kind.words, kind.summed) if kind else (quantity.replace("_", " "), "")
            return STATISTICS[statistic].words.format(*arguments, quantity=said, place=place, summed=summed)
        case Reading():
            return node.text
        case Negative():
            return f"minus {_words(node.inner)}"
        case Binary():
            left, right = _words(node.left), _words(node.right)
            if node.sign == "-":
                return f"{left} less {right}"
            sign = {"+": "plus", "*": "times", "/": "over", "^": "to the power of"}.get(node.sign, node.sign)
            return f"{left} {sign} {right}"
    return f"{node.function}({', '.join(_words(a) for a in node.arguments)})"


@dataclass(frozen=True)
class Judgement:
    """Whether a reading passes, and by how much: `margin` is positive on the good side, in units of the
    limit (None when there is none); `apart` says how far off the limit is where a share of it means nothing, as of
    temperatures. What has a band that crosses a limit is undecided."""

    verdict: Literal["pass", "fail", "open", "undecided"]
    margin: float | None
    words: str
    apart: str = ""


def judge(value: float, limit: Any, dimension: Dimension, unit: str | None = None, half: float = 0.0) -> Judgement:
    """Compares a reading, which may be off by `half` a band, with a resolved limit (values in SI units)."""

    def text(number: float) -> str:
        return show_reading(number, dimension, unit, given=True)

    if limit.kind in ("smallest", "largest"):
        return Judgement("open", None, f"as {'small' if limit.kind == 'smallest' else 'large'} as possible")
    if limit.kind == "between":
        margin = min(value - limit.low, limit.high - value)
        size = max(abs(limit.low), abs(limit.high))
        words = f"between {text(limit.low)} and {text(limit.high)}"
    else:
        margin = limit.value - value if limit.kind == "at_most" else value - limit.value
        size = abs(limit.value)
        words = f"{limit.kind.replace('_', ' ')} {text(limit.value)}"
    apart = f"{round_text(abs(margin), 2)} K" if dimension == DIMENSIONS["temperature"] else ""
    verdict: Literal["pass", "fail", "undecided"] = "pass" if margin >= 0 else "fail"
    if half > abs(margin):
        verdict = "undecided"
    return Judgement(verdict, margin / size if size else margin, words, apart)


def show_reading(value: float, dimension: Dimension, unit: str | None = None, given: bool = False) -> str:
    """Shares as per cent, numbers that are no shares as they are, everything else in a sensible or the wanted unit."""
    return show(value, dimension, unit or (unit_of_number(value) if dimension.is_none else None), given=given)


def show_swing(mean: float, half: float, dimension: Dimension, unit: str | None = None) -> str:
    """A mean and half the swing about it in one unit, to two digits of the swing: 3.818 ± 0.038 Pa."""
    unit = unit or (unit_of_number(mean) if dimension.is_none else sensible_unit(dimension, mean))
    middle, by = (from_si(mean, unit), from_si(mean + half, unit) - from_si(mean, unit)) if unit else (mean, half)
    digits = min(6, max(0, 1 - math.floor(math.log10(by)))) if by > 0 else 3
    of_unit = show(mean, dimension, unit).partition(" ")[2]
    return f"{middle:.{digits}f} ± {by:.{digits}f} {of_unit}".strip().replace("-", "−")


def unit_of_number(value: float) -> str:
    """Per cent, or nothing for what is too large to be a share, as y⁺ is."""
    return "%" if abs(value) < NO_SHARE else ""
