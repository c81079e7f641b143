"""What bodies are made of, as an edit says it: by a name of the library, or of one's own."""

from __future__ import annotations

import json
from contextlib import suppress
from typing import Any

from brook.core.editing.pointers import EditRefused
from brook.core.formulas import FormulaError, Reading, nearest
from brook.core.materials.catalogue import SUBSTANCES
from brook.core.materials.library import CELSIUS, State, range_of
from brook.core.materials.solids import SOLIDS
from brook.core.study import Problem, Value, value_at

OWN = ("own", "gas", "own_solid")
USUAL = "20 degC"


def fluid_said(kind: str, before: dict[str, Any], path: str) -> dict[str, Any]:
    """What a set-up says of a fluid of the library, or of one's own: at the temperature of the one `before`, where it is known at that."""
    if kind in OWN[:2]:
        return {"kind": kind}
    if kind.startswith("{"):
        return _as_said(kind, path)
    if kind not in SUBSTANCES:
        message = f"'{kind}' is no liquid or gas of the library: {nearest(kind, SUBSTANCES)}"
        raise EditRefused([Problem(path, message)])
    return {"kind": "library", "substance": kind, "temperature": _temperature(kind, before.get("temperature", USUAL))}


def material_said(kind: str, path: str) -> dict[str, Any]:
    """The same of a body, which may be a solid too."""
    if kind == "own_solid":
        return {"kind": kind}
    if kind.startswith("{"):
        return _as_said(kind, path)
    if kind in SOLIDS:
        return {"kind": "solid", "substance": kind}
    if kind not in SUBSTANCES and kind not in OWN:
        message = f"'{kind}' is no material of the library: {nearest(kind, [*SUBSTANCES, *SOLIDS])}"
        raise EditRefused([Problem(path, message)])
    return fluid_said(kind, {}, path)


def _as_said(text: str, path: str) -> dict[str, Any]:
    """A statement as JSON, as the library keeps those of one's own."""
    with suppress(ValueError):
        said = json.loads(text)
        if isinstance(said, dict) and said.get("kind") in OWN:
            return said
    raise EditRefused([Problem(path, "this is no material as the library keeps it")])


def _temperature(kind: str, text: str) -> str:
    """A temperature that is said, or one in the middle of where the substance is known, in whole degrees."""
    low, high = range_of(State(kind).called)

    def no_names(reading: Reading) -> Any:
        raise FormulaError("a name of the study", reading.position)

    with suppress(FormulaError):
        if not low <= value_at(text, Value("temperature", "positive"), no_names) <= high:
            return f"{round((low + high) / 2 - CELSIUS)} degC"
    return text
