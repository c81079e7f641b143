"""Places in a document's JSON, names made from titles, and the refusal of a change."""

from __future__ import annotations

import re
from copy import deepcopy
from typing import Any

from brook.core.study import Problem, Study


class EditRefused(ValueError):
    """A change that cannot stand; `problems` say why, the first one first."""

    def __init__(self, problems: list[Problem]):
        super().__init__(problems[0].message)
        self.problems = problems


def steps(pointer: str) -> list[str]:
    """The steps of a JSON pointer. Raises `KeyError`."""
    if not pointer.startswith("/"):
        raise KeyError(pointer)
    return [s.replace("~1", "/").replace("~0", "~") for s in pointer[1:].split("/")]


def walk(raw: Any, pointer: str) -> Any:
    """What stands at a pointer; '' is the whole. Raises `KeyError`."""
    at = raw
    for step in steps(pointer) if pointer else []:
        try:
            at = at[int(step)] if isinstance(at, list) else at[step]
        except (KeyError, IndexError, ValueError, TypeError):
            raise KeyError(pointer) from None
    return at


def holder_of(raw: Any, pointer: str) -> tuple[Any, str]:
    """The list or table that a pointer leads into, and its last step. Raises `KeyError`."""
    *parents, last = steps(pointer)
    return walk(raw, "".join(f"/{p}" for p in parents)), last


def entry_at(raw: Any, pointer: str, kind: str) -> dict[str, Any]:
    """The entry of one list of the document. Raises `KeyError` for any other place."""
    parts = steps(pointer)
    if len(parts) != 2 or parts[0] != kind or not parts[1].isdigit():
        raise KeyError(pointer)
    return walk(raw, pointer)


def value_of(study: Study, pointer: str) -> Any:
    """What stands at a JSON pointer. Raises `KeyError`."""
    found = walk(study.raw, pointer)
    return deepcopy(found) if isinstance(found, list | dict) else found


def name_from(title: str, taken: list[str]) -> str:
    """A name made from a title, not one of those taken."""
    base = re.sub(r"[^a-z0-9]+", "_", title.lower()).strip("_")[:30] or "unnamed"
    base = base if base[0].isalpha() else f"v_{base}"
    name, count = base, 2
    while name in taken:
        name, count = f"{base}_{count}", count + 1
    return name
