"""A quantity along a line through a mesh."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.results.quantities import View
from brook.core.results.space.locator import Locator
from brook.core.results.space.surfaces import Polygons, Triple, mean_over, plane_cut


@dataclass(frozen=True, eq=False)
class Curve:
    """Places (n, 3) in m, the way (n,) in m from the start and the values (n,), nan where there is no fluid."""

    places: np.ndarray
    way: np.ndarray
    values: np.ndarray


def curve(locator: Locator, view: View, quantity: str, start: Triple, end: Triple, count: int = 500) -> Curve:
    """A quantity at so many places on a straight line. Raises `ValueError` where none of them lies in the mesh."""
    share = np.linspace(0.0, 1.0, count)[:, None]
    places = (1 - share) * np.asarray(start, float) + share * np.asarray(end, float)
    values = locator.values(view, quantity, places)
    if np.isnan(values).all():
        raise ValueError("the line does not meet the mesh")
    return Curve(places, share[:, 0] * float(np.linalg.norm(np.subtract(end, start))), values)


def section_means(
    locator: Locator, view: View, quantity: str, start: Triple, end: Triple, count: int = 60
) -> Curve:  # fmt: skip
    """The mean of a quantity over the section across a straight line at each of so many places, over the piece of it in which the
    line passes: a branch beside it does not count. Raises `ValueError` where no place lies in the mesh."""
    way = np.subtract(end, start)
    share = ((np.arange(count) + 0.5) / count)[:, None]
    places = (1 - share) * np.asarray(start, float) + share * np.asarray(end, float)
    cells = locator.cells(places)
    values = np.full(count, np.nan)
    for k in np.nonzero(cells >= 0)[0]:
        try:
            whole = plane_cut(locator.mesh, tuple(places[k]), tuple(way))
        except ValueError:
            continue
        values[k] = mean_over(view, quantity, piece_at(whole, places[k]))
    if np.isnan(values).all():
        raise ValueError("the line does not meet the mesh")
    return Curve(places, share[:, 0] * float(np.linalg.norm(way)), values)


def piece_at(surface: Polygons, place: np.ndarray) -> Polygons:
    """Of polygons those that hang together with the one whose corners are nearest to a place (3,) in m."""
    counts = np.diff(surface.offsets)
    polygon = np.repeat(np.arange(len(counts)), counts)
    links = coo_matrix(
        (np.ones(len(polygon), bool), (polygon, len(counts) + surface.points)),
        shape=(len(counts) + len(surface.at),) * 2,
    )
    part = connected_components(links, directed=False)[1][: len(counts)]
    middle = np.add.reduceat(surface.at[surface.points], surface.offsets[:-1]) / counts[:, None]
    kept = part == part[int(np.argmin(np.linalg.norm(middle - place, axis=1)))]
    return Polygons(
        np.concatenate([[0], np.cumsum(counts[kept])]),
        surface.points[kept[polygon]],
        surface.at,
        surface.cell[kept],
        surface.rim,
    )
