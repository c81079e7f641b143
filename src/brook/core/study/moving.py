"""Which values of a statement change with the time, and what they are then."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brook.core.formulas import FormulaError, Scope, names_in, parse
from brook.core.study import Study, Value, Variant, value_at
from brook.core.study.of_flow import OfFlow, names_flow
from brook.core.study.placed import Placed, is_placed


@dataclass(frozen=True, eq=False)
class MovingValue:
    """A value of a boundary that depends on the time: the field it stands in, its formula, and what it has to be."""

    field: str
    text: str
    value: Value

    def at(self, scope: Scope) -> float:
        """Raises `FormulaError` where there is none."""
        if self.value.placed and is_placed(self.text):
            return Placed.of(self.text, scope)
        if self.value.flowing and names_flow(self.text):
            return OfFlow.of(self.text, scope)
        return value_at(self.text, self.value, scope)


def moving_values(study: Study, variant: Variant, boundary: Any) -> list[MovingValue]:
    """The values of a boundary that depend on the time, by themselves or by a named value."""
    named = {**study.named_values, **variant.named_values}
    found = []
    for name, info in type(boundary).model_fields.items():
        value = next((mark for mark in info.metadata if isinstance(mark, Value)), None)
        if value is not None and _names_time(getattr(boundary, name), named):
            found.append(MovingValue(name, getattr(boundary, name), value))
    return found


def _names_time(text: str, named: dict[str, str]) -> bool:
    waiting, seen = [text], set[str]()
    while waiting:
        try:
            names = {n.text for n in names_in(parse(waiting.pop()))} - seen
        except FormulaError:
            continue  # told at its place
        if "t" in names:
            return True
        seen |= names
        waiting += [named[name] for name in names if name in named]
    return False


def changes_in_time(study: Study, variant: Variant, boundary: Any) -> bool:
    """Whether a value of a boundary depends on the time."""
    return bool(moving_values(study, variant, boundary))
