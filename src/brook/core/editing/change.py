"""Changes of a study document: values at pointers, or one named action. Each gives a new document.

A change that would leave a value that cannot stand (a wrong unit, a baffle outside the tray) is
refused with the reason; what is merely missing afterwards is allowed and said by the checks.
"""

from __future__ import annotations

from typing import Any

from brook.core.checks import check
from brook.core.editing.actions import ACTIONS
from brook.core.editing.pointers import EditRefused, holder_of
from brook.core.study import DocumentError, Study
from brook.core.study.document import study_from


def set_value(study: Study, pointer: str, text: str) -> Study:
    """The study with another text at a pointer. Raises `EditRefused`, or `KeyError` for an unknown place."""
    return set_values(study, {pointer: text})


def set_values(study: Study, texts: dict[str, str]) -> Study:
    """The study with other texts at some pointers, all or none. Raises as `set_value`."""
    raw = study.model_dump(mode="json")
    for pointer, text in texts.items():
        holder, last = holder_of(raw, pointer)
        if not isinstance(holder, dict) or last not in holder or isinstance(holder[last], dict | list):
            raise KeyError(pointer)
        holder[last] = text.strip()
    return accept(study, raw, next(iter(texts), ""))


def act(study: Study, action: str, /, **values: str) -> Study:
    """The study after a named action. Raises `EditRefused`, or `KeyError` for an unknown action or place."""
    raw = study.model_dump(mode="json")
    try:
        pointer = ACTIONS[action](raw, **values)
    except (IndexError, KeyError, TypeError, ValueError) as error:
        if isinstance(error, EditRefused):
            raise
        raise KeyError(f"{action} does not fit: {error}") from error
    return accept(study, raw, pointer)


def accept(before: Study, raw: dict[str, Any], pointer: str) -> Study:
    """The study of changed JSON, unless the change brings something wrong with it."""
    try:
        after = study_from(raw)
    except DocumentError as error:
        raise EditRefused(error.problems) from error
    known = {(p.path, p.message) for p in check(before)}
    fresh = [p for p in check(after) if p.kind == "wrong" and (p.path, p.message) not in known]
    # what was wrong before may be worded otherwise now; only refuse where something got worse
    was_wrong = {p.path for p in check(before) if p.kind == "wrong"}
    fresh = [p for p in fresh if p.path not in was_wrong or p.path == pointer]
    if fresh:
        fresh.sort(key=lambda p: p.path != pointer)
        raise EditRefused(fresh)
    return after
