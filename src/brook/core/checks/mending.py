"""What a text that is refused, or that keeps a study from running, may have been meant to be."""

from __future__ import annotations

import re
from collections.abc import Iterable
from difflib import get_close_matches
from typing import Any

from brook.core.formulas import FUNCTIONS, Call, FormulaError, Node, Number, evaluate, names_in, parse
from brook.core.study import Part, Study, Value, Variant, named_scope, value_at
from brook.core.study.base import Naming
from brook.core.study.of_flow import OfFlow, names_flow
from brook.core.study.placed import NAMES, SAMPLES, Placed, is_placed
from brook.core.study.resolve import start_time

MOST, ALIKE, LONGEST = 2, 0.5, 500
UNIT_AT_END = re.compile(r"[-+\d.eE]+\s+(\S.*)$")


def mark_at(study: Study, pointer: str) -> Any:
    """What the field at a JSON pointer has to be, a `Value` or a `Naming`; None of any other."""
    at: Any = study
    marks: tuple[Any, ...] = ()
    for step in pointer.split("/")[1:]:
        if isinstance(at, Part):
            field = type(at).model_fields.get(step)
            if field is None:
                return None
            marks, at = tuple(field.metadata), getattr(at, step)
        elif isinstance(at, tuple) and step.isdigit() and int(step) < len(at):
            marks, at = (), at[int(step)]
        else:
            return None
    return next((mark for mark in marks if isinstance(mark, Value | Naming)), None)


def mends(study: Study, variant: Variant | None, pointer: str, text: str, patches: Iterable[str] = ()) -> list[str]:
    """Texts that could stand at a pointer in the place of one that cannot, the likeliest first."""
    mark = mark_at(study, pointer)
    if len(text) > LONGEST:
        return []
    if isinstance(mark, Naming):
        return get_close_matches(text, sorted(patches), MOST, ALIKE) if mark.kind == "patch" else []
    if not isinstance(mark, Value):
        return []
    known = {**study.named_values, **(variant.named_values if variant else {})}
    words = {*known, *study.tables, *FUNCTIONS, "pi", *(NAMES if mark.placed else ()), *("T" if mark.varies else ""), *("Q" if mark.flowing else "")}  # fmt: skip
    timed = start_time(study) is not None
    found = [_with_unit(renamed, mark, _standing(study, pointer)) for renamed in _renamed(text, words | ({"t"} if timed else set()))]  # fmt: skip
    return [t for t in dict.fromkeys(found) if t != text and _stands(study, variant, t, mark)][:MOST]


def _renamed(text: str, words: set[str]) -> list[str]:
    """The text with names that are known, where it has others."""
    try:
        tree = parse(text)
    except FormulaError:
        return []
    used = {name.text for name in names_in(tree)} | {call.function for call in _calls(tree)}
    choices = [text]
    for word in sorted(used - words):
        lower = {w.lower(): w for w in words}
        close = [lower[word.lower()]] if word.lower() in lower else get_close_matches(word, sorted(words), MOST, ALIKE)
        choices = [re.sub(rf"\b{re.escape(word)}\b", other, choice) for choice in choices for other in close][:MOST]
    return choices


def _calls(node: Node) -> list[Call]:
    found = [node] if isinstance(node, Call) else []
    for inner in [*getattr(node, "arguments", ()), *(getattr(node, side, None) for side in ("left", "right", "inner"))]:
        found += _calls(inner) if inner is not None else []
    return found


def _standing(study: Study, pointer: str) -> str:
    """The unit of what stands at a pointer, '' where it has none."""
    at: Any = study
    for step in pointer.split("/")[1:]:
        at = getattr(at, step) if isinstance(at, Part) else at[int(step)]
    found = UNIT_AT_END.match(str(at))
    return found.group(1) if found else ""


def _with_unit(text: str, mark: Value, standing: str) -> str:
    """The text with the unit that stands there, or the usual one, where it is a plain number."""
    try:
        number = isinstance(parse(text.strip().lstrip("-−") or text), Number)
    except FormulaError:
        return text
    unit = standing or (UNIT_AT_END.match(mark.example) or [None, ""])[1]
    if mark.dimension.is_none or not unit:
        return text
    try:
        if not evaluate(parse(text), lambda reading: _nothing()).dimension.is_none:
            return text
    except FormulaError:
        return text
    return f"{text} {unit}" if number else f"({text}) * 1 {unit}"


def _nothing() -> Any:
    raise FormulaError("a name")


def _stands(study: Study, variant: Variant | None, text: str, mark: Value) -> bool:
    scope = named_scope(study, variant, start_time(study))
    try:
        if mark.placed and is_placed(text):
            value_at(text, Value(mark.dimension_name), Placed.of(text, scope).scope_at(SAMPLES[1]))
        elif mark.flowing and names_flow(text):
            value_at(text, mark, OfFlow.of(text, scope).scope_at(0.0))
        else:
            value_at(text, mark, scope)
    except FormulaError:
        return False
    return True
