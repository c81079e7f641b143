"""The bodies of a shape: which space belongs to which wet point, what bounds it, what it touches."""

from __future__ import annotations

from collections.abc import Iterable
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
from brook.core.geometry.findings import kernels
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

TRIES = 24
MOST_LOOSE, MOST_NAMED = 200, 4  # open shells that are looked at, and names that are told


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


def bodies_of(
    surface: Surface, wanted: list[Resolved], sheets: Iterable[str] = ()
) -> tuple[list[Body], list[Unclaimed]]:
    """The bodies that some named points mean, and closed spaces that none of them does. Patches named in `sheets` stand in a body with both
    their sides, so that they are twice in its surface."""
    if not wanted or not surface.count:
        return [Body(b.name, b.holds, None, "there is no shape yet") for b in wanted], []
    spaces = spaces_of(surface, sheets)
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
            closed = boundary_of(spaces, chosen)
            if loose := _ending_within(spaces, closed):
                names, at = loose
                what = f"{', '.join(names[:MOST_NAMED])}{' …' if len(names) > MOST_NAMED else ''}"
                raise EncloseError(
                    f"{what} ends within it in free edges: say that it is a sheet, close it, or take it out", at
                )
            found.append(Body(body.name, body.holds, closed))
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


def _ending_within(spaces: Spaces, body: Surface) -> tuple[list[str], np.ndarray] | None:
    """Names of patches that stand open within a body, with a place (3,) on one; None where there are none."""
    surface = spaces.surface
    loose = np.nonzero(spaces.open[spaces.of].all(axis=1))[0]
    if not len(loose):
        return None
    # of each such shell the largest triangle tells; of very many shells the largest
    loose = loose[np.argsort(-surface.areas[loose], kind="stable")]
    _, first = np.unique(spaces.of[loose, 0], return_index=True)
    chosen = loose[np.sort(first)[:MOST_LOOSE]]
    corners = body.points[body.triangles]
    middles = surface.points[surface.triangles[chosen]].mean(axis=1)
    within = np.array([abs(kernels.solid_angle(corners, at)) > 2 * np.pi for at in middles])
    if not within.any():
        return None
    names = dict.fromkeys(surface.patches[k] for k in surface.patch[chosen[within]])
    return list(names), middles[within][0]


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


def suggested_point(surface: Surface, sheets: Iterable[str] = ()) -> np.ndarray | None:
    """A point well inside the largest closed space, None when there is none."""
    if not surface.count:
        return None
    spaces = spaces_of(surface, sheets)
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
