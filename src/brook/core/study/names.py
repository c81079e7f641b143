"""Where a document names patches and bodies: one walk over its parts, by the types of their fields."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from types import UnionType
from typing import Any, Union, get_args, get_origin

from brook.core.study.base import Naming, Part


@dataclass(frozen=True)
class NamedPlace:
    """A name in a document: the JSON pointer of the value, or of the entry that stands under it."""

    path: str
    name: str


def names_of(part: Part, kind: str, path: str = "") -> Iterator[NamedPlace]:
    """Every place of a part that names a `patch` or a `body`."""
    for field, info in type(part).model_fields.items():
        content = getattr(part, field)
        yield from _within(content, info.annotation, info.metadata, kind, f"{path}/{field}")


def _within(content: Any, annotation: Any, marks: Any, kind: str, path: str) -> Iterator[NamedPlace]:
    if isinstance(content, Part):
        yield from names_of(content, kind, path)
    elif isinstance(content, str):
        if _marked(marks, kind) and content:
            yield NamedPlace(path, content)
    elif isinstance(content, tuple | list):
        inner = _inner(annotation)
        for k, entry in enumerate(content):
            yield from _within(entry, inner, getattr(inner, "__metadata__", ()), kind, f"{path}/{k}")
    elif isinstance(content, dict):
        key, value = _key_and_value(annotation)
        for name, entry in content.items():
            if _marked(getattr(key, "__metadata__", ()), kind):
                yield NamedPlace(f"{path}/{name}", name)
            yield from _within(entry, value, getattr(value, "__metadata__", ()), kind, f"{path}/{name}")


def _marked(marks: Any, kind: str) -> bool:
    return any(isinstance(mark, Naming) and mark.kind == kind for mark in marks)


def _inner(annotation: Any) -> Any:
    """What a tuple or a list is of."""
    found = _of_origin(annotation, (tuple, list))
    return get_args(found)[0] if found is not None and get_args(found) else Any


def _key_and_value(annotation: Any) -> tuple[Any, Any]:
    found = _of_origin(annotation, (dict,))
    parts = get_args(found) if found is not None else ()
    return (parts[0], parts[1]) if len(parts) == 2 else (Any, Any)


def _of_origin(annotation: Any, origins: tuple[type, ...]) -> Any:
    """The part of an annotation that is a container of such a kind."""
    if get_origin(annotation) in origins:
        return annotation
    if get_origin(annotation) in (Union, UnionType) or hasattr(annotation, "__metadata__"):
        for inner in get_args(annotation):
            found = _of_origin(inner, origins)
            if found is not None:
                return found
    return None


def rename(raw: dict[str, Any], part: Part, kind: str, change: Callable[[str], str], path: str = "") -> int:
    """Puts other names into the plain form of a document, `raw`, wherever `part` at `path` in it names a `kind`; gives how many."""
    count = 0
    for place in names_of(part, kind, path):
        to = change(place.name)
        if to == place.name:
            continue
        holder: Any = raw
        *steps, last = (step.replace("~1", "/").replace("~0", "~") for step in place.path.split("/")[1:])
        for step in steps:
            holder = holder[int(step)] if isinstance(holder, list) else holder[step]
        if isinstance(holder, list):
            holder[int(last)] = to
        elif last == place.name and holder.get(last) != place.name:  # the name is a key
            kept = list(holder.items())
            holder.clear()
            holder.update((to if key == last else key, value) for key, value in kept)
        else:
            holder[last] = to
        count += 1
    return count
