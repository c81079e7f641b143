"""Closing holes with triangles between their own points."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.findings.edges import Loop, free_loops, measures
from brook.core.geometry.mending import kernels
from brook.core.geometry.mending.bend import bent_fill
from brook.core.geometry.surface import Surface


def fill_holes(
    surface: Surface, loops: list[Loop] | None = None, largest: float | None = None, patch: str = "",
    bent: bool = False,
) -> Surface:  # fmt: skip
    """Fills closed lines of free edges, all of them when none are given; flat as far as their points lie so, or
    `bent` as the surface around them is.

    Lines longer than `largest` m stay open. The new triangles belong to `patch`, or each to the patch that has most
    of the edges round it.
    """
    chosen = free_loops(surface) if loops is None else loops
    chosen = [k for k in chosen if k.is_closed and len(k.points) > 2]
    if largest is not None:
        chosen = [k for k in chosen if measures(surface, k)[0] <= largest]
    if not chosen:
        return surface
    points, triangles, patches = [surface.points], [surface.triangles], [surface.patch]
    names = surface.patches if not patch or patch in surface.patches else (*surface.patches, patch)
    for loop in chosen:
        filled = bent_fill(surface, loop, flat_picture(surface.points[loop.points[::-1]])) if bent else None
        made = triangles_across(surface.points, loop.points[::-1])
        if filled is not None:
            made = filled[1] + np.where(filled[1] >= len(surface.points), sum(map(len, points[1:])), 0)
            points.append(filled[0])
        number = names.index(patch) if patch else int(np.bincount(surface.patch[loop.triangles]).argmax())
        triangles.append(made)
        patches.append(np.full(len(made), number))
    return Surface(np.concatenate(points), np.concatenate(triangles), np.concatenate(patches), names)


def triangles_across(points: np.ndarray, loop: np.ndarray) -> np.ndarray:
    """Triangles (n - 2, 3) over a closed line of point numbers, going round as it does.

    The line is looked at along its mean normal; a line that crosses itself there is filled as well as can be.
    """
    return loop[kernels.clip_ears(flat_picture(points[loop]))]


def flat_picture(at: np.ndarray, besides: np.ndarray | None = None) -> np.ndarray:
    """A closed line (n, 3) as seen along its mean normal (n, 2), anticlockwise; then other places (m, 3) seen so."""
    middle = at.mean(axis=0)
    normal = np.cross(at - middle, np.roll(at, -1, axis=0) - middle).sum(axis=0)
    size = float(np.linalg.norm(normal))
    if size == 0.0:
        normal, size = np.array([0.0, 0.0, 1.0]), 1.0
    normal /= size
    across = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    across /= np.linalg.norm(across)
    every = (at if besides is None else np.concatenate([at, besides])) - middle
    return np.ascontiguousarray(np.stack([every @ across, every @ np.cross(normal, across)], axis=1))
