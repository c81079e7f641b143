"""What is meant by a spot: the triangle, or the line of free edges, that it lies nearest to."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.findings.edges import Loop, measures
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.kernels import squared_distances
from brook.core.study import Resolved
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
FAR = 0.5  # of the size: nothing so far from a spot is what it means


class NotThere(ValueError):
    """Nothing of the shape is at a spot."""


def place_of(spot: Resolved) -> np.ndarray:
    """The place (3,) of a spot, in m."""
    return np.array([spot.x, spot.y, spot.z], float)


def words_of(place: np.ndarray) -> str:
    """A place in mm."""
    return ", ".join(f"{1000 * float(v):.4g}" for v in place) + " mm"


def triangle_at(surface: Surface, spot: Resolved) -> int:
    """The triangle nearest to a spot, of its patch when it names one. Raises `NotThere`."""
    chosen = np.arange(surface.count)
    if spot.patch:
        if spot.patch not in surface.patches:
            raise NotThere(f"there is no patch '{spot.patch}' here")
        chosen = np.nonzero(surface.patch == surface.patches.index(spot.patch))[0]
    if not len(chosen):
        raise NotThere("there is no triangle here")
    distance = squared_distances(surface.points, surface.triangles[chosen], place_of(spot))
    nearest = int(np.argmin(distance))
    if distance[nearest] > (FAR * surface.size) ** 2:
        raise NotThere(f"nothing of the shape is near {words_of(place_of(spot))}")
    return int(chosen[nearest])


def beside(surface: Surface, loop: Loop) -> str:
    """The patch that has most of the triangles along a loop."""
    return surface.patches[int(np.bincount(surface.patch[loop.triangles]).argmax())]


def nearest_loop(surface: Surface, spot: Resolved, loops: list[Loop]) -> Loop:
    """The closed line of free edges that a spot means: beside its patch, and the nearest. Raises `NotThere`."""
    closed = [loop for loop in loops if loop.is_closed]
    if spot.patch:
        closed = [loop for loop in closed if beside(surface, loop) == spot.patch]
        if not closed:
            raise NotThere(f"'{spot.patch}' has no open rim here")
    if not closed:
        raise NotThere("there is no open rim here")
    place = place_of(spot)
    distances = [float(np.linalg.norm(surface.points[loop.points] - place, axis=1).min()) for loop in closed]
    best = int(np.argmin(distances))
    if distances[best] > FAR * surface.size:
        raise NotThere(f"no open rim is near {words_of(place)}")
    return closed[best]


def loop_words(surface: Surface, loop: Loop) -> str:
    """How large a loop is, in words."""
    length, area = measures(surface, loop)
    across = 2 * float(np.sqrt(area / np.pi))
    return f"{show(across, LENGTH)} across, {show(length, LENGTH)} round"


def marked(surface: Surface, loops: list[Loop], openings: list[Resolved]) -> set[int]:
    """Which of the loops, by their number, are meant by spots of openings: they are never filled."""
    found = set()
    for spot in openings:
        try:
            meant = nearest_loop(surface, spot, loops)
        except NotThere:
            continue
        found.add(next(k for k, loop in enumerate(loops) if loop is meant))
    return found
