"""Values that change with the time where nothing follows them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from brook.core.checks.context import Context
from brook.core.study import Part, Problem
from brook.core.study.moving import moving_values
from brook.core.study.within import ACTS


def time_problems(c: Context) -> list[Problem]:
    """In a flow in time, formulas of the time anywhere but in what boundaries and acts say: they would stay what they are at the start."""
    if c.set_up.timing.kind != "in_time":
        return []
    return [
        Problem(path, "this stays the same all the time; t stands only for values of boundaries, and of what pushes or is set free")
        for path, part in _parts(c.study.set_up, "/set_up")
        for path in (f"{path}/{moving.field}" for moving in moving_values(c.study, c.variant, part))
    ]  # fmt: skip


def _parts(content: Any, path: str) -> Iterator[tuple[str, Part]]:
    """Every part within one that nothing follows, with its place."""
    if isinstance(content, Part):
        if path.startswith("/set_up/boundaries/") or isinstance(content, ACTS):
            if isinstance(content, ACTS):
                yield from _parts(content.where, f"{path}/where")
            return
        yield path, content
        for name in type(content).model_fields:
            yield from _parts(getattr(content, name), f"{path}/{name}")
    elif isinstance(content, tuple):
        for k, entry in enumerate(content):
            yield from _parts(entry, f"{path}/{k}")
    elif isinstance(content, dict):
        for name, entry in content.items():
            yield from _parts(entry, f"{path}/{name}")
