"""A quantity along a line through a mesh: from corner to corner, on the line itself or as means of the sections across it."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.results.profile import along
from brook.core.results.quantities import View
from brook.core.results.space.crossing import polygon_measures
from brook.core.results.space.locator import Locator
from brook.core.results.space.surfaces import Polygons, Triple, area, mean_over, section_from

BESIDE, MUCH = 6, 1.2  # places either side whose sections one is compared with, and how many times as large is much
CLEAR = 1e-3  # of all that passes a section either way, which has to be left over where values are weighed by it


@dataclass(frozen=True, eq=False)
class Curve:
    """Places (n, 3) in m, the way (n,) in m from the start and the values (n,), nan where there is no fluid; of means over sections how
    large these are (n,) in m²."""

    places: np.ndarray
    way: np.ndarray
    values: np.ndarray
    areas: np.ndarray | None = None


def curve(
    locator: Locator, view: View, quantity: str, corners: Sequence[Triple] | np.ndarray, count: int = 500
) -> Curve:
    """A quantity at so many places on a line from corner to corner. Raises `ValueError` where none of them lies in the mesh."""
    places, way = along(np.asarray(corners, float), np.linspace(0.0, 1.0, count))
    values = locator.values(view, quantity, places)
    if np.isnan(values).all():
        raise ValueError("the line does not meet the mesh")
    return Curve(places, way, values)


def section_means(
    locator: Locator, view: View, quantity: str, corners: Sequence[Triple] | np.ndarray, count: int = 60, through: bool = False
) -> Curve:  # fmt: skip
    """The mean of a quantity over the section across a line from corner to corner at each of so many places, over the piece of it in
    which the line passes: a branch beside it does not count. By area, or by the mass that flows `through`; then nan where as much flows
    back. Raises `ValueError` where no place lies in the mesh."""
    places, way = along(np.asarray(corners, float), (np.arange(count) + 0.5) / count)
    cells, values, areas = locator.cells(places), np.full(count, np.nan), np.full(count, np.nan)
    for k, direction in enumerate(np.gradient(places, axis=0)):
        if cells[k] < 0:
            continue
        piece = section_at(locator, places[k], direction)
        if piece is not None:
            areas[k] = area(piece)
            values[k] = (mean_through if through else mean_over)(view, quantity, piece)
    if np.isnan(values).all():
        raise ValueError("the line does not meet the mesh")
    return Curve(places, way, values, areas)


def widened(areas: np.ndarray) -> np.ndarray:
    """At which places (n,) a section is much larger than those beside it mostly are."""
    padded = np.pad(areas, BESIDE, constant_values=np.nan)
    beside = np.lib.stride_tricks.sliding_window_view(padded, 2 * BESIDE + 1)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)  # of windows without any section
        usual = np.nanmedian(beside, axis=1)
    return np.nan_to_num(areas) > MUCH * usual


def section_at(locator: Locator, place: np.ndarray, direction: np.ndarray) -> Polygons | None:
    """The section of the mesh across a direction in the piece that a place lies in, None where there is none. It is looked for from cell
    to cell, so that it takes as long as it is large."""
    size = float(np.linalg.norm(direction))
    (cell,) = locator.cells(place[None])
    if not size > 0.0 or cell < 0:
        return None
    try:
        return piece_at(section_from(locator.mesh, int(cell), place, direction / size), place)
    except ValueError:
        return None


def mean_through(view: View, quantity: str, surface: Polygons) -> float:
    """∫ q ρ u·dS/∫ ρ u·dS over all polygons, nan where next to nothing is left of what passes both ways."""
    vector, centroid = polygon_measures(surface.at, surface.points, surface.offsets)
    fields, cell = view.fields, surface.cell
    offset = centroid - fields.mesh.centre[cell]
    value = view.values(quantity)[0][cell] + np.einsum("ij,ij->i", view.slope(quantity)[cell], offset)
    velocity = fields.velocity[cell] + np.einsum("ijk,ik->ij", view.velocity_slope[cell], offset)
    passing = fields.density[cell] * np.einsum("ij,ij->i", velocity, vector)
    net = float(passing.sum())
    if abs(net) <= CLEAR * float(np.abs(passing).sum()):
        return float("nan")
    return float((passing * value).sum()) / net


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
