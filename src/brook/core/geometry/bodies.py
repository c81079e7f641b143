"""The bodies of a shape: which space belongs to which wet point, what bounds it, what it touches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.geometry.enclosing import EncloseError, Spaces, enclosed, first_seen, space_at, spaces_of
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

TRIES = 24


@dataclass(frozen=True, eq=False)
class Body:
    """A body with its closed surface, or why it has none; `touches` is the area in m² shared with other bodies."""

    name: str
    holds: str
    surface: Surface | None
    problem: str = ""
    place: tuple[float, ...] | None = None
    touches: dict[str, float] | None = None


def bodies_of(surface: Surface, wanted: list[Resolved]) -> list[Body]:
    """The bodies that some named points mean."""
    if not wanted or not surface.count:
        return [Body(b.name, b.holds, None, "there is no shape yet") for b in wanted]
    spaces = spaces_of(surface)
    found: list[Body] = []
    numbers: list[int | None] = []
    for body in wanted:
        place = np.array([body.x, body.y, body.z], float)
        try:
            number = space_at(spaces, place)
            if number in numbers:
                other = wanted[numbers.index(number)].name
                message = f"its point lies in the same space as that of '{other}'; move one of the two"
                raise EncloseError(message, place)
            found.append(Body(body.name, body.holds, enclosed(surface, place, spaces)))
            numbers.append(number)
        except EncloseError as error:
            where = None if error.place is None else tuple(float(v) for v in error.place)
            found.append(Body(body.name, body.holds, None, str(error), where))
            numbers.append(None)
    return [_touching(spaces, found, numbers, k) for k in range(len(found))]


def _touching(spaces: Spaces, found: list[Body], numbers: list[int | None], k: int) -> Body:
    """The body with the areas over which others lie right behind its walls."""
    mine, touches = numbers[k], {}
    if mine is None:
        return found[k]
    for other, number in enumerate(numbers):
        if other == k or number is None:
            continue
        between = np.all(np.sort(spaces.of, axis=1) == sorted((mine, number)), axis=1)
        if between.any():
            touches[found[other].name] = float(spaces.surface.areas[between].sum())
    one = found[k]
    return Body(one.name, one.holds, one.surface, one.problem, one.place, touches)


def suggested_point(surface: Surface) -> np.ndarray | None:
    """A point well inside the largest closed space, None when there is none: half way to the wall over there."""
    if not surface.count:
        return None
    spaces = spaces_of(surface)
    order = [int(k) for k in np.argsort(-spaces.volumes) if spaces.volumes[k] > 0 and not spaces.open[k]]
    for space in order[:1]:
        front = np.nonzero(spaces.of[:, 0] == space)[0]
        back = np.nonzero(spaces.of[:, 1] == space)[0]
        chosen = np.concatenate([back, front])
        way = np.concatenate([-surface.vectors[back], surface.vectors[front]])
        largest = np.argsort(-surface.areas[chosen])[:TRIES]
        best, depth = None, 0.0
        for k in largest:
            inward = way[k] / max(float(np.linalg.norm(way[k])), 1e-300)
            middle = surface.points[surface.triangles[chosen[k]]].mean(axis=0)
            start = middle + 1e-7 * surface.size * inward
            reach = first_seen(surface, start, inward)
            if reach is not None and reach > depth:
                best, depth = start + 0.5 * reach * inward, reach
        return best
    return None
