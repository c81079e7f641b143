"""From formulas to numbers: a part of the document with every value in SI units."""

from __future__ import annotations

import math
from types import SimpleNamespace
from typing import Any, get_args

from brook.core.formulas import FUNCTIONS, FormulaError, Reading, Scope, evaluate, names_in, nearest, parse
from brook.core.study import of_flow
from brook.core.study.base import Part, Problem, Value
from brook.core.study.document import Study
from brook.core.study.of_flow import OfFlow, names_flow
from brook.core.study.placed import NAMES, SAMPLES, Placed, is_placed
from brook.core.study.variants import Variant, point_name
from brook.core.study.varied import NAME, Varied, varies
from brook.core.units import DIMENSIONS, SYMBOLS, Quantity

Resolved = SimpleNamespace
TWO_TURNS = 4 * math.pi
RESERVED = {"t", "T", "Q", "x", "y", "z", "pi", *FUNCTIONS}


def named_scope(study: Study, variant: Variant | None, time: float | None = None) -> Scope:
    """What names stand for in a variant: its own named values first, then the study's; `t` is a `time` in s."""
    texts = dict(study.named_values) | (dict(variant.named_values) if variant else {})
    known: dict[str, Any] = {"pi": Quantity(math.pi), **{name: table.known() for name, table in study.tables.items()}}
    if time is not None:
        known["t"] = Quantity(time, DIMENSIONS["time"])
    underway: list[str] = []

    def scope(reading: Reading) -> Quantity:
        name = reading.text
        if name in known:
            return known[name]
        if name == NAME:
            raise FormulaError(
                "the temperature T stands only for the density, viscosity, heat capacity and conductivity of fluids and solids of our own",
                reading.position,
            )
        if name == of_flow.NAME:
            raise FormulaError(
                "the volume flow Q stands only for the pressure rise of fans and pumps", reading.position
            )
        if name == "t":
            raise FormulaError("the time t stands only for boundary values of a flow in time", reading.position)
        if name in NAMES and name not in texts:
            raise FormulaError(
                f"the coordinate {name} stands only for values on boundaries: speeds, velocities and pressures",
                reading.position,
            )
        if name not in texts:
            raise FormulaError(f"unknown name '{name}': {nearest(name, texts)}", reading.position)
        if name in underway:
            raise FormulaError(f"'{name}' is made from itself ({' → '.join([*underway, name])})", reading.position)
        underway.append(name)
        try:
            known[name] = evaluate(parse(texts[name]), scope)
        except RecursionError:
            raise FormulaError("named values refer to each other too deeply", reading.position) from None
        finally:
            underway.pop()
        return known[name]

    return scope


def start_time(study: Study) -> float | None:
    """The time in s at which a flow in time begins, None for a steady one."""
    return 0.0 if study.set_up.timing.kind == "in_time" else None


def value_at(text: str, value: Value, scope: Scope) -> float:
    """The SI value of a formula that has to be of this kind. Raises `FormulaError`."""
    quantity = evaluate(parse(text), scope)
    if quantity.dimension != value.dimension:
        if quantity.dimension.is_none:
            raise FormulaError(f"a unit is missing: this is {_words(value)}, for example {value.example}")
        given = str(quantity.dimension)
        raise FormulaError(f"this is {_words(value)}, for example {value.example}; what is written is a {given}")
    number = float(quantity.value)
    if not math.isfinite(number):
        raise FormulaError("this has no finite value")
    starts_from_rest = number == 0 and any(name.text == "t" for name in names_in(parse(text)))
    if value.range == "positive" and number <= 0 and not starts_from_rest:
        raise FormulaError(f"this has to be more than zero, for example {value.example}")
    if value.range == "not_negative" and number < 0:
        raise FormulaError("this may not be negative")
    if value.dimension_name == "angle" and abs(number) > TWO_TURNS:
        raise FormulaError("this angle is over two turns; write it with its unit, for example 90 deg")
    return number


def _words(value: Value) -> str:
    words = "plain number" if value.dimension_name == "number" else value.dimension_name.replace("_", " ")
    return f"{'an' if words[0] in 'aeiou' else 'a'} {words}"


def resolve(part: Part, scope: Scope, path: str, problems: list[Problem], start: float | None = None) -> Resolved:
    """The same part with numbers for formulas; what cannot be evaluated goes to `problems` and is None.

    Formulas of the temperature become `Varied` values; `start` in K is where temperatures begin, None without heat.
    """
    found: dict[str, Any] = {}
    for name, info in type(part).model_fields.items():
        content = getattr(part, name)
        value = next((m for m in info.metadata if isinstance(m, Value)), None)
        here = f"{path}/{name}"
        inner = _value_within(info.annotation) if isinstance(content, dict) else None
        if value is not None:
            found[name] = _number(content, value, scope, here, problems, start)
        elif inner is not None:
            found[name] = {k: _number(c, inner, scope, f"{here}/{k}", problems, start) for k, c in content.items()}
        else:
            found[name] = _walk(content, scope, here, problems, start)
    return SimpleNamespace(**found)


def _number(
    text: str, value: Value, scope: Scope, path: str, problems: list[Problem], start: float | None
) -> float | None:
    try:
        if value.varies and varies(text):
            if start is None:
                raise FormulaError(
                    "T has a value only where temperatures are computed: have them computed, or give a number"
                )
            varied = Varied.of(text, scope, start)
            value_at(text, value, varied.scope_at(start))
            return varied
        if value.placed and is_placed(text):
            placed = Placed.of(text, scope)
            value_at(text, Value(value.dimension_name), placed.scope_at(SAMPLES[1]))
            return placed
        if value.flowing and names_flow(text):
            curve = OfFlow.of(text, scope)
            value_at(text, value, curve.scope_at(0.0))
            return curve
        return value_at(text, value, scope)
    except FormulaError as error:
        problems.append(Problem(path, error.message))
        return None


def _value_within(annotation: Any) -> Value | None:
    """What the formulas in a dictionary have to be, None when they are no formulas of one kind."""
    marks = getattr(get_args(annotation)[-1], "__metadata__", ()) if get_args(annotation) else ()
    return next((m for m in marks if isinstance(m, Value)), None)


def _walk(content: Any, scope: Scope, path: str, problems: list[Problem], start: float | None) -> Any:
    if isinstance(content, Part):
        return resolve(content, scope, path, problems, start)
    if isinstance(content, tuple):
        return [_walk(c, scope, f"{path}/{i}", problems, start) for i, c in enumerate(content)]
    if isinstance(content, dict):
        return {k: _walk(c, scope, f"{path}/{k}", problems, start) for k, c in content.items()}
    return content


def named_value_problems(study: Study, variant: Variant | None, path: str) -> list[Problem]:
    """Names that cannot be used, and named values that cannot be evaluated."""
    problems = []
    scope = named_scope(study, variant, start_time(study))
    at = next((k for k, p in enumerate(study.points) if variant is not None and p.name == point_name(variant)), None)
    for name, text in (variant or study).named_values.items():
        here = f"{path}/named_values/{name}"
        if at is not None and name in study.points[at].named_values:
            here = f"/points/{at}/named_values/{name}"
        if name in SYMBOLS or name in RESERVED:
            problems.append(Problem(here, f"'{name}' already has a meaning in formulas; choose a longer name"))
            continue
        try:
            evaluate(parse(text), scope)
        except FormulaError as error:
            problems.append(Problem(here, error.message))
    return problems


def table_problems(study: Study) -> list[Problem]:
    """Names of tables that mean something else already."""
    named = {*study.named_values, *(name for variant in study.cases for name in variant.named_values)}
    return [
        Problem(f"/tables/{name}", f"'{name}' already has a meaning in formulas; choose another name")
        for name in study.tables
        if name in SYMBOLS or name in RESERVED or name in named
    ]


def plain(resolved: Any) -> Any:
    """A resolved part as plain lists and dictionaries with numbers to twelve digits, for hashing."""
    if isinstance(resolved, SimpleNamespace):
        return {k: plain(v) for k, v in vars(resolved).items()}
    if isinstance(resolved, dict):
        return {k: plain(v) for k, v in resolved.items()}
    if isinstance(resolved, list | tuple):
        return [plain(v) for v in resolved]
    if isinstance(resolved, Placed | OfFlow):
        return resolved.samples()
    return float(f"{resolved:.12g}") if isinstance(resolved, float) else resolved
