"""Closing of openings by patches with a name: over one line of free edges, or over the ring between two."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.findings.edges import Loop, free_loops
from brook.core.geometry.mending import kernels
from brook.core.geometry.mending.fill import fill_holes, flat_picture
from brook.core.geometry.spots import NotThere, loop_words, nearest_loop
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved


def closed_by(surface: Surface, closings: list[Resolved]) -> tuple[Surface, list[tuple[str, str]]]:
    """The surface with its named openings closed, and for each closing (what it closes, why it could not)."""
    loops, made, told = free_loops(surface), surface, []
    taken: set[int] = set()
    for closing in closings:
        try:
            rims = [nearest_loop(surface, spot, loops) for spot in (closing.at, closing.inner) if spot is not None]
            numbers = [next(k for k, loop in enumerate(loops) if loop is rim) for rim in rims]
            if taken & set(numbers):
                raise NotThere("another name closes this opening already")
            if len(set(numbers)) < len(numbers):
                raise NotThere("the outer and the inner rim are the same one; pick another inner rim")
            if len(rims) == 1:
                made = fill_holes(made, rims, patch=closing.patch)
            else:
                made = _ring(made, rims[0], rims[1], closing.patch)
            taken |= set(numbers)
            told.append((loop_words(surface, rims[0]), ""))
        except NotThere as error:
            told.append(("", str(error)))
    return made, told


def _ring(surface: Surface, outer: Loop, inner: Loop, patch: str) -> Surface:
    """Closes what lies between two lines. Raises `NotThere` when one does not lie within the other."""
    one, other = outer.points[::-1], inner.points[::-1]
    at = flat_picture(surface.points[one], surface.points[other])
    flat, within = at[: len(one)], at[len(one) :]
    if abs(_area(within)) > abs(_area(flat)):
        raise NotThere("the inner rim is the larger one; name them the other way round")
    if _area(within) > 0:
        other, within = other[::-1], within[::-1]
    apart = np.linalg.norm(flat[:, None, :] - within[None, :, :], axis=2)
    i, j = np.unravel_index(int(np.argmin(apart)), apart.shape)
    # one line: round the outer rim, over a bridge, round the inner one, and back
    order = np.concatenate([np.roll(one, -i), one[[i]], np.roll(other, -j), other[[j]]])
    picture = np.concatenate([np.roll(flat, -i, axis=0), flat[[i]], np.roll(within, -j, axis=0), within[[j]]])
    made = order[kernels.clip_ears(np.ascontiguousarray(picture))]
    wanted = _area(flat) - abs(_area(within))
    names = surface.patches if patch in surface.patches else (*surface.patches, patch)
    triangles = np.concatenate([surface.triangles, made])
    numbers = np.concatenate([surface.patch, np.full(len(made), names.index(patch))])
    closed = Surface(surface.points, triangles, numbers, names)
    if len(made) < len(order) - 2 or closed.areas[surface.count :].sum() < 0.99 * wanted:
        raise NotThere("the ring between these two rims cannot be closed flat; one has to lie within the other")
    return closed


def _area(flat: np.ndarray) -> float:
    after = np.roll(flat, -1, axis=0)
    return float((flat[:, 0] * after[:, 1] - flat[:, 1] * after[:, 0]).sum() / 2)
