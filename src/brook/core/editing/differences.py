"""What differs between the inputs of two variants, line by line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brook.core.formulas import FormulaError, Number, evaluate, parse
from brook.core.study import Study, Variant, named_scope
from brook.core.units import show


@dataclass(frozen=True)
class InputLine:
    """An input with what stands there in both variants, None where it is not there; `shown` is what a formula comes to."""

    words: str
    a: str | None
    b: str | None
    shown_a: str = ""
    shown_b: str = ""

    @property
    def kind(self) -> str:
        """Whether a line was added, is gone, or says something else."""
        return "added" if self.a is None else "gone" if self.b is None else "other"


def input_lines(study: Study, one: Variant, other: Variant) -> tuple[list[InputLine], int]:
    """Lines that differ, in the order of the document, and how many are the same.

    Shapes and openings are matched by their names, wherever they stand in the list. What comes to the
    same value from another formula counts as different: it is another input. A formula that is the same
    but comes to another value (through a named value) is shown too.
    """
    mine, theirs = _flat(one), _flat(other)
    scopes = named_scope(study, one), named_scope(study, other)
    lines, same = [], 0
    for words in dict.fromkeys([*mine, *theirs]):
        a, b = mine.get(words), theirs.get(words)
        shown_a, shown_b = (_value(text, scope) for text, scope in zip((a, b), scopes, strict=True))
        if a == b and shown_a == shown_b:
            same += 1
            continue
        lines.append(InputLine(words, a, b, shown_a, shown_b))
    return lines, same


def _flat(variant: Variant) -> dict[str, str]:
    raw = variant.model_dump(mode="json")
    found: dict[str, str] = {f"named value {n}": t for n, t in raw["named_values"].items()}
    _walk(raw["geometry"], "", found)
    return found


def _walk(raw: Any, words: str, found: dict[str, str]) -> None:
    if isinstance(raw, dict):
        for key, inner in raw.items():
            if key not in ("name", "kind") or not words:
                _walk(inner, f"{words} {key.replace('_', ' ')}".strip(), found)
    elif isinstance(raw, list):
        for k, inner in enumerate(raw):
            name = (inner.get("name") or inner.get("patch") or inner.get("title")) if isinstance(inner, dict) else None
            owner = words.rstrip("s") if name else words
            label = f"{owner} {str(name).replace('_', ' ')}" if name else f"{words} {k + 1}"
            while _starts(found, label):
                label += " (another)"
            _walk(inner, label, found)
    else:
        found[words] = str(raw)


def _starts(found: dict[str, str], label: str) -> bool:
    return any(w.startswith(f"{label} ") for w in found)


def _value(text: str | None, scope: Any) -> str:
    """What a formula comes to, nothing for a plain number or for words."""
    if text is None:
        return ""
    try:
        tree = parse(text)
        if isinstance(tree, Number):
            return ""
        quantity = evaluate(tree, scope)
    except FormulaError:
        return ""
    return show(float(quantity.value), quantity.dimension, given=True)
