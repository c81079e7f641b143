"""The line through the middle of the fluid from one patch to another."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import minimum_filter1d
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from brook.core.results.profile import along
from brook.core.results.quantities import View
from brook.core.results.space.crossing import polygon_measures
from brook.core.results.space.curves import section_at
from brook.core.results.space.locator import Locator

SWEEPS = (16, 24, 32, 48)  # places that are moved into the middle of their sections, sweep by sweep
FARTHEST, NEAR = (
    0.5,
    5,
)  # of the radius of the smallest section so many places round, by which a place is moved in a sweep


def middle_line(locator: Locator, view: View, start: str, end: str) -> np.ndarray:
    """Places (n, 3) in m from the middle of one patch to that of another, each in the middle of the section across the line there: the
    shortest way from cell to cell, moved until it is so.

    Raises `KeyError` for an unknown patch, `ValueError` where no fluid joins the two."""
    mesh = locator.mesh
    ends = [_middle_of(view, name) for name in (start, end)]
    cells = [int(mesh.owner[mesh.patch(name).faces][np.argmin(_away(mesh.face_centres(mesh.patch(name).faces), at))])
             for name, at in zip((start, end), ends, strict=True)]  # fmt: skip
    places = np.concatenate([ends[:1], mesh.centre[_shortest(view, *cells)], ends[1:]])
    for count in SWEEPS:
        places = along(places, np.linspace(0.0, 1.0, count + 2))[0]
        places[1:-1] += 0.25 * (
            places[2:] - 2.0 * places[1:-1] + places[:-2]
        )  # the steps from cell to cell are none of the line's
        ways = places[2:] - places[:-2]
        sections = [_section(locator, p, w) for p, w in zip(places[1:-1], ways, strict=True)]
        shift = np.array([middle for middle, _ in sections]) - places[1:-1]
        size = np.array(
            [radius for _, radius in sections]
        )  # beside a branch that of the branch: what it opens into is no part of it
        limit = FARTHEST * minimum_filter1d(size, min(NEAR, len(size)), mode="nearest")
        length = np.linalg.norm(shift, axis=1)
        places[1:-1] += shift * np.minimum(1.0, limit / np.maximum(length, 1e-300))[:, None]
        places = _unfolded(places)
    return places


def _unfolded(places: np.ndarray) -> np.ndarray:
    """Without the places (n, 3) at which a line turns back."""
    while len(places) > 2:
        steps = np.diff(places, axis=0)
        back = np.einsum("ij,ij->i", steps[1:], steps[:-1]) < 0.0
        if not back.any():
            break
        places = np.delete(places, 1 + int(np.argmax(back)), axis=0)
    return places


def _middle_of(view: View, name: str) -> np.ndarray:
    """The middle (3,) of a patch, by area."""
    mesh = view.fields.mesh
    faces = mesh.patch(name).faces
    size = mesh.face_areas(faces)
    middle: np.ndarray = size @ mesh.face_centres(faces) / size.sum()
    return middle


def _away(places: np.ndarray, at: np.ndarray) -> np.ndarray:
    away: np.ndarray = np.linalg.norm(places - at, axis=1)
    return away


def _shortest(view: View, start: int, end: int) -> np.ndarray:
    """Cells of the shortest way from the centre of one to that of another, through faces that something passes, or any where nothing moves."""
    mesh = view.fields.mesh
    passing = view.fields.flux[: mesh.inner_count] != 0.0
    passed = np.nonzero(passing if passing.any() else ~passing)[0]
    own, other = mesh.owner[passed], mesh.neighbour[passed]
    links = coo_matrix(
        (np.linalg.norm(mesh.centre[own] - mesh.centre[other], axis=1), (own, other)), shape=(mesh.cell_count,) * 2
    )
    length, before = dijkstra(links.tocsr(), directed=False, indices=end, return_predecessors=True)
    if not np.isfinite(length[start]):
        raise ValueError("no fluid joins these two patches")
    found = [start]
    while found[-1] != end:
        found.append(int(before[found[-1]]))
    return np.array(found)


def _section(locator: Locator, place: np.ndarray, way: np.ndarray) -> tuple[np.ndarray, float]:
    """The middle (3,) of the section across a way at a place, and the radius of a disc as large; the place where there is none."""
    section = section_at(locator, place, way)
    if section is None:
        return place, np.inf
    vector, centroid = polygon_measures(section.at, section.points, section.offsets)
    size = np.linalg.norm(vector, axis=1)
    return size @ centroid / size.sum(), float(np.sqrt(size.sum() / np.pi))
