"""One statement for several patches: `branch_*` is of all whose names begin so."""

from __future__ import annotations

import copy
from collections import Counter
from collections.abc import Iterable, Sequence
from fnmatch import fnmatchcase
from typing import Any, TypeVar

ANY, FEW = "*", 3
T = TypeVar("T")


def is_pattern(name: str) -> bool:
    """Whether a name stands for several."""
    return ANY in name


def matching(name: str, known: Iterable[str]) -> list[str]:
    """The known patches that a name or a pattern is of; a name is of itself."""
    return sorted(k for k in known if fnmatchcase(k, name)) if is_pattern(name) else [name]


def each(statements: Sequence[T], known: Iterable[str]) -> list[tuple[int, T]]:
    """Statements of one patch each, with the number of the one that says it, in order; a statement that names a patch
    itself goes before patterns."""
    named = {said.patch for said in statements if not is_pattern(said.patch)}  # type: ignore[attr-defined]
    every = list(known)
    found: list[tuple[int, T]] = []
    for k, said in enumerate(statements):
        name: str = said.patch  # type: ignore[attr-defined]
        if not is_pattern(name):
            found.append((k, said))
        else:
            found += [(k, _of(said, patch)) for patch in matching(name, every) if patch not in named]
    return found


def _of(said: Any, patch: str) -> Any:
    if hasattr(said, "model_copy"):
        return said.model_copy(update={"patch": patch})
    made = copy.copy(said)
    made.patch = patch
    return made


def said_alike(statements: Sequence[Any], known: Iterable[str]) -> list[tuple[str, list[str]]]:
    """Patterns that could stand for statements which say the same, with the patches of these: of all that a pattern is of, or of most, as what
    is said of one patch itself goes before it."""
    said = {b.patch: b.model_dump_json(exclude={"patch"}) for b in statements if not is_pattern(b.patch)}
    begins, every = Counter(name.rsplit("_", 1)[0] for name in said if "_" in name), list(known)
    found = []
    for begin in sorted(b for b, count in begins.items() if count > 1):
        pattern = f"{begin}_{ANY}"
        patches = matching(pattern, every)
        stated = [said[p] for p in patches if p in said]  # another variant may have the others
        if len(stated) < 2 or any(b.patch == pattern for b in statements):
            continue
        content, times = Counter(stated).most_common(1)[0]
        if times == len(patches) or (times >= FEW and 2 * times > len(patches)):
            found.append((pattern, [p for p in patches if said.get(p) == content]))
    return found
