"""Steps that mend."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.booleans import united
from brook.core.geometry.findings.edges import Loop, free_loops, is_slit
from brook.core.geometry.findings.sides import sides_of
from brook.core.geometry.mending import (
    fill_holes,
    make_outward,
    merge_points,
    remove_duplicates,
    remove_slivers,
    spread_sides,
    stitch,
)  # fmt: skip
from brook.core.geometry.mending.take_out import without
from brook.core.geometry.spots import NotThere, marked, nearest_loop, triangle_at
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved


def _may_be_filled(surface: Surface, step: Resolved) -> list[Loop]:
    """Closed rims that are not named as openings."""
    loops = [loop for loop in free_loops(surface) if loop.is_closed]
    kept = marked(surface, loops, step.openings)
    return [loop for k, loop in enumerate(loops) if k not in kept]


def _fill(surface: Surface, step: Resolved) -> Surface:
    loops = _may_be_filled(surface, step)
    if step.at is not None:
        meant = nearest_loop(surface, step.at, free_loops(surface))
        loops = [loop for loop in loops if np.array_equal(loop.points, meant.points)]
        if not loops:
            raise NotThere("this hole is named as an opening, so it stays open until it is closed as such")
    return fill_holes(surface, loops, largest=step.largest or None, bent=step.how == "bent")


def _fill_slits(surface: Surface, step: Resolved) -> Surface:
    return fill_holes(surface, [loop for loop in _may_be_filled(surface, step) if is_slit(surface, loop)])


def _spread(surface: Surface, step: Resolved) -> Surface:
    if step.at is None:
        return spread_sides(surface)
    seed = triangle_at(surface, step.at)
    side, shell, _ = sides_of(surface)
    return surface.flipped((shell == shell[seed]) & (side == side[seed]))


def _delete(surface: Surface, step: Resolved) -> Surface:
    seed = triangle_at(surface, step.at)
    if step.what == "triangle":
        return without(surface, np.array([seed]))
    of = surface.shells if step.what == "shell" else surface.patch
    made = without(surface, np.nonzero(of == of[seed])[0])
    if not made.count:
        raise NotThere("this would take out all there is")
    return made


DO = {
    "merge": lambda s, step: merge_points(s, step.within),
    "stitch": lambda s, step: stitch(s, step.within),
    "fill_slits": _fill_slits,
    "fill": _fill,
    "remove_duplicates": lambda s, step: remove_duplicates(s),
    "remove_slivers": lambda s, step: remove_slivers(s),
    "spread_sides": _spread,
    "make_outward": lambda s, step: make_outward(s),
    "delete": _delete,
    "unite": lambda s, step: united(s),
}
