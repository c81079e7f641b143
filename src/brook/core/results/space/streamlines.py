"""Streamlines through a mesh in space."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.numerics.chunks import over
from brook.core.results.quantities import View
from brook.core.results.space import walking
from brook.core.results.space.locator import Locator

LONGEST = 4000  # steps
STILL = 1e-6  # of the largest speed, under which nothing is followed


@dataclass(frozen=True, eq=False)
class Line:
    """Places (n, 3) in m, seconds (n,) since the seed (less than nothing upstream), cells (n,); `end` says where it ended
    downstream and `begin` upstream, empty where nobody looked."""

    places: np.ndarray
    seconds: np.ndarray
    cells: np.ndarray
    begin: str
    end: str


def streamlines(
    locator: Locator, view: View, seeds: np.ndarray, both: bool = True, longest: int = LONGEST, seconds: float = np.inf
) -> list[Line]:
    """Streamlines from places (n, 3) in m, downstream and upstream where `both` are asked for; each for so many steps and
    seconds at most. Seeds outside of the mesh have a line of no places."""
    seeds = np.ascontiguousarray(seeds, float).reshape(-1, 3)
    cells = locator.cells(seeds)
    down = _traced(locator, view, seeds, cells, 1.0, longest, seconds)
    if not both:
        return [Line(places, times, within, "", end) for places, times, within, end in down]
    up = _traced(locator, view, seeds, cells, -1.0, longest, seconds)
    found = []
    for (p, t, c, end), (q, s, d, begin) in zip(down, up, strict=True):
        found.append(
            Line(
                np.concatenate([q[:0:-1], p]), np.concatenate([-s[:0:-1], t]), np.concatenate([d[:0:-1], c]), begin, end
            )
        )
    return found


Traced = tuple[np.ndarray, np.ndarray, np.ndarray, str]


def _traced(
    locator: Locator, view: View, seeds: np.ndarray, cells: np.ndarray, sense: float, longest: int, seconds: float
) -> list[Traced]:
    mesh, fields = locator.mesh, view.fields
    inside = np.nonzero(cells >= 0)[0]
    count = len(inside)
    places, times = np.empty((count, longest, 3)), np.empty((count, longest))
    within, counts = np.empty((count, longest), np.int64), np.zeros(count, np.int64)
    ends = np.empty((count, 2), np.int64)
    velocity = np.ascontiguousarray(fields.velocity, float)
    chunks = np.linspace(0, count, max(2, min(count, 16)) + 1).astype(
        np.int64
    )  # lines are long: few are shared out too
    over(
        chunks, walking.traced, seeds[inside], cells[inside], sense, velocity, view.velocity_slope, fields.flux, fields.density, mesh.centre,
        mesh.volume, mesh.face_vector, locator.plane, mesh.owner, mesh.neighbour, *mesh.cell_faces, STILL * float(fields.speed.max()),
        float(seconds), places, times, within, counts, ends,
    )  # fmt: skip
    nothing = (seeds[:0], seeds[:0, 0], cells[:0], "outside of the fluid")
    found: list[Traced] = [nothing] * len(seeds)
    for k, n in enumerate(inside):
        m = counts[k]
        found[n] = (
            places[k, :m].copy(), times[k, :m].copy(), within[k, :m].copy(), _words(locator, ends[k], times[k, m - 1], seconds)
        )  # fmt: skip
    return found


def _words(locator: Locator, end: np.ndarray, last: float, seconds: float) -> str:
    how, face = int(end[0]), int(end[1])
    patch = next((p.name for p in locator.mesh.patches if p.start <= face < p.end), "")
    if how == walking.LEFT:
        return patch
    if how == walking.STILL:
        return f"held at {patch}" if patch else "where nothing moves"
    return "as long as asked for" if last >= seconds else "still on its way"


def from_patch(view: View, patch: str, count: int) -> np.ndarray:
    """Places (n, 3) just inside a patch through which even shares of its flow pass. Raises `KeyError` for an unknown patch,
    `ValueError` for one that nothing passes."""
    mesh = view.fields.mesh
    faces = mesh.patch(patch).faces
    passing = np.cumsum(np.abs(view.fields.flux[faces]))
    if len(passing) == 0 or passing[-1] <= 0.0:
        raise ValueError(f"nothing passes {patch}; streamlines have to start elsewhere")
    which = np.searchsorted(passing, (np.arange(count) + 0.5) / count * passing[-1])
    at = mesh.face_centres(faces)[which]
    inside: np.ndarray = at + 0.05 * (mesh.centre[mesh.owner[faces][which]] - at)
    return inside
