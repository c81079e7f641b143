"""The line through the middle of the fluid from one patch to another."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import minimum_filter1d
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import breadth_first_order

from brook.core.results.profile import along
from brook.core.results.quantities import View
from brook.core.results.space.crossing import polygon_measures
from brook.core.results.space.curves import section_at
from brook.core.results.space.locator import Locator

SWEEPS = (12, 16, 24, 36)  # places that are moved into the middle of their sections, sweep by sweep
# By how many radii of the smallest section of so many near it a place is moved in a sweep, and looks round.
FARTHEST, WITHIN, NEAR = 0.5, 1.3, 5


def middle_line(locator: Locator, view: View, start: str, end: str) -> np.ndarray:
    """Places (n, 3) in m from the middle of one patch to that of another, each in the middle of the section across the line there: the
    way through the fewest cells, moved until it is so.

    Raises `KeyError` for an unknown patch, `ValueError` where no fluid joins the two."""
    mesh = locator.mesh
    ends = [_middle_of(view, name) for name in (start, end)]
    cells = [int(mesh.owner[mesh.patch(name).faces][np.argmin(_away(mesh.face_centres(mesh.patch(name).faces), at))])
             for name, at in zip((start, end), ends, strict=True)]  # fmt: skip
    path = mesh.centre[_shortest(view, *cells)]
    places = np.concatenate([ends[:1], path, ends[1:]])
    for count in SWEEPS:
        places = along(places, np.linspace(0.0, 1.0, count + 2))[0]
        places[1:-1] += 0.25 * (
            places[2:] - 2.0 * places[1:-1] + places[:-2]
        )  # steps from cell to cell are none of the line's
        places[1:-1] = _inside(locator, places[1:-1], path)
        ways = places[2:] - places[:-2]
        sections = [_section(locator, p, w) for p, w in zip(places[1:-1], ways, strict=True)]
        size = np.array([np.sqrt(area.sum() / np.pi) if len(area) else np.inf for area, _ in sections])
        near = minimum_filter1d(size, min(NEAR, len(size)), mode="nearest")  # beside a branch that of the branch alone
        shift = np.array([_shift(*s, p, WITHIN * r) for s, p, r in zip(sections, places[1:-1], near, strict=True)])
        length = np.linalg.norm(shift, axis=1)
        places[1:-1] += shift * np.minimum(1.0, FARTHEST * near / np.maximum(length, 1e-300))[:, None]
        places[1:-1] = _inside(locator, places[1:-1], path)
        places = _unfolded(places)
    return places


def _inside(locator: Locator, places: np.ndarray, path: np.ndarray) -> np.ndarray:
    """Places (n, 3), those outside of the mesh put to the nearest of a path (m, 3) that lies in it."""
    outside = locator.cells(places) < 0
    moved = places.copy()
    for n in np.nonzero(outside)[0]:
        moved[n] = path[int(np.argmin(_away(path, places[n])))]
    return moved


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
    """The fewest cells from one to another, through faces that something passes, or any where nothing moves."""
    mesh = view.fields.mesh
    passing = view.fields.flux[: mesh.inner_count] != 0.0
    passed = np.nonzero(passing if passing.any() else ~passing)[0]
    own, other = mesh.owner[passed], mesh.neighbour[passed]
    links = coo_matrix(
        (np.ones(2 * len(own), np.int8), (np.concatenate([own, other]), np.concatenate([other, own]))),
        shape=(mesh.cell_count,) * 2,
    )
    before = breadth_first_order(links.tocsr(), end)[1]
    if start != end and before[start] < 0:
        raise ValueError("no fluid joins these two patches")
    found = [start]
    while found[-1] != end:
        found.append(int(before[found[-1]]))
    return np.array(found)


def _section(locator: Locator, place: np.ndarray, way: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Areas (n,) and middles (n, 3) of what the section across a way at a place is made of; nothing where there is none."""
    section = section_at(locator, place, way)
    if section is None:
        return np.empty(0), np.empty((0, 3))
    vector, centroid = polygon_measures(section.at, section.points, section.offsets)
    return np.linalg.norm(vector, axis=1), centroid


def _shift(area: np.ndarray, middle: np.ndarray, place: np.ndarray, within: float) -> np.ndarray:
    """How far (3,) the middle of the parts of a section that lie within a radius in m of a place lies from it."""
    near = np.linalg.norm(middle - place, axis=1) <= within
    total = area[near].sum()
    shift: np.ndarray = area[near] @ middle[near] / total - place if total > 0.0 else np.zeros(3)
    return shift
