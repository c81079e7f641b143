"""The bodies of a shape: which space belongs to which wet point, what bounds it, what it touches."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brook.core.geometry.enclosing import (
    EncloseError,
    Spaces,
    boundary_of,
    first_seen,
    goes_round,
    spaces_around,
    spaces_of,
)
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

TRIES = 24


@dataclass(frozen=True, eq=False)
class Body:
    """A body with its closed surface, or why it has none.

    `touches` is the area in m² shared with other bodies; `within` names the bodies that go all round it.
    """

    name: str
    holds: str
    surface: Surface | None
    problem: str = ""
    place: tuple[float, ...] | None = None
    touches: dict[str, float] | None = None
    within: tuple[str, ...] = ()


@dataclass(frozen=True)
class Unclaimed:
    """A closed space in which no body's point lies: its volume in m³ and a point (3,) inside."""

    volume: float
    place: tuple[float, ...]


def bodies_of(surface: Surface, wanted: list[Resolved]) -> tuple[list[Body], list[Unclaimed]]:
    """The bodies that some named points mean, and closed spaces that none of them does."""
    if not wanted or not surface.count:
        return [Body(b.name, b.holds, None, "there is no shape yet") for b in wanted], []
    spaces = spaces_of(surface)
    found: list[Body] = []
    mine: list[list[int]] = []
    for body in wanted:
        place = np.array([body.x, body.y, body.z], float)
        try:
            chosen = spaces_around(spaces, place)
            taken = next((k for k, theirs in enumerate(mine) if theirs[:1] == chosen[:1]), None)
            if taken is not None:
                message = f"its point lies in the same space as that of '{wanted[taken].name}'; move one of the two"
                raise EncloseError(message, place)
            found.append(Body(body.name, body.holds, boundary_of(spaces, chosen)))
            mine.append(chosen)
        except EncloseError as error:
            where = None if error.place is None else tuple(float(v) for v in error.place)
            found.append(Body(body.name, body.holds, None, str(error), where))
            mine.append([])
    told = [
        replace(body, touches=_touching(spaces, found, mine, k), within=_round(spaces, found, wanted, mine, k))
        for k, body in enumerate(found)
    ]
    return told, _unclaimed(spaces, [k for theirs in mine for k in theirs])


def _touching(spaces: Spaces, found: list[Body], mine: list[list[int]], k: int) -> dict[str, float]:
    """Over what area in m² other bodies lie right behind the walls of one, by their names."""
    touches = {}
    own = np.isin(spaces.of, mine[k])
    for other, theirs in enumerate(mine):
        between = (own & np.isin(spaces.of, theirs)[:, ::-1]).any(axis=1)
        if other != k and between.any():
            touches[found[other].name] = float(spaces.surface.areas[between].sum())
    return touches


def _round(spaces: Spaces, found: list[Body], wanted: list[Resolved], mine: list[list[int]], k: int) -> tuple[str, ...]:
    """Names of the bodies whose outermost wall goes round the point of one."""
    place = np.array([wanted[k].x, wanted[k].y, wanted[k].z], float)
    others = [j for j, body in enumerate(found) if j != k and body.surface is not None and found[k].surface is not None]
    return tuple(found[j].name for j in others if goes_round(spaces, mine[j][0], place))


def _unclaimed(spaces: Spaces, taken: list[int]) -> list[Unclaimed]:
    """Closed spaces without a body, the largest first."""
    left = [
        int(k) for k in np.argsort(-spaces.volumes) if spaces.volumes[k] > 0 and not spaces.open[k] and k not in taken
    ]
    smallest = 1e-9 * float(spaces.volumes.max(initial=0.0))
    points = [(k, _deep_in(spaces, k)) for k in left if spaces.volumes[k] > smallest]
    return [Unclaimed(float(spaces.volumes[k]), tuple(float(v) for v in at)) for k, at in points if at is not None]


def suggested_point(surface: Surface) -> np.ndarray | None:
    """A point well inside the largest closed space, None when there is none."""
    if not surface.count:
        return None
    spaces = spaces_of(surface)
    closed = [int(k) for k in np.argsort(-spaces.volumes) if spaces.volumes[k] > 0 and not spaces.open[k]]
    return _deep_in(spaces, closed[0]) if closed else None


def _deep_in(spaces: Spaces, space: int) -> np.ndarray | None:
    """A point (3,) well inside a space: half way from its largest triangles to the wall over there."""
    surface = spaces.surface
    front, back = (np.nonzero(spaces.of[:, side] == space)[0] for side in (0, 1))
    chosen = np.concatenate([back, front])
    way = np.concatenate([-surface.vectors[back], surface.vectors[front]])
    best, depth = None, 0.0
    for k in np.argsort(-surface.areas[chosen])[:TRIES]:
        inward = way[k] / max(float(np.linalg.norm(way[k])), 1e-300)
        middle = surface.points[surface.triangles[chosen[k]]].mean(axis=0)
        start = middle + 1e-7 * surface.size * inward
        reach = first_seen(surface, start, inward)
        if reach is not None and reach > depth:
            best, depth = start + 0.5 * reach * inward, reach
    return best
