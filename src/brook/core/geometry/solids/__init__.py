"""Solids from dimensions: one builder for each kind that a study document can name."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.geometry.booleans import combined, together
from brook.core.geometry.placing import moved, turned_about
from brook.core.geometry.solids import pipes, profiles, round_ones
from brook.core.geometry.solids.swept import box
from brook.core.geometry.steps.placing import axis_of
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

BUILD: dict[str, Callable[[Resolved], Surface]] = {"box": box, **round_ones.BUILD, **pipes.BUILD, **profiles.BUILD}


def solid(part: Resolved) -> Surface:
    """The closed surface of a resolved solid, with its pattern. Raises `ValueError` for one that cannot be built."""
    one = BUILD[part.kind](part)
    if part.pattern is None:
        return one
    copies = [_copy(one, part.pattern, k) for k in range(part.pattern.count)]
    low, high = np.array([c.box[0] for c in copies]), np.array([c.box[1] for c in copies])
    if _apart(low, high):
        return together(copies)
    made = copies[0]
    for copy in copies[1:]:
        made = combined(made, copy, "add")
    return made


def _copy(one: Surface, pattern: Resolved, k: int) -> Surface:
    place = np.array([pattern.x, pattern.y, pattern.z], float)
    if pattern.kind == "line":
        if not place.any():
            raise ValueError("the pattern has no distance: say by how much each one is further along x, y or z")
        return moved(one, k * place)
    return turned_about(one, axis_of(pattern.axis), 2 * np.pi * k / pattern.count, place)


def _apart(low: np.ndarray, high: np.ndarray) -> bool:
    """Whether no two boxes touch."""
    return not any(
        np.any(np.all((low[k + 1 :] <= high[k]) & (high[k + 1 :] >= low[k]), axis=1)) for k in range(len(low))
    )
