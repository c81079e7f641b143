"""Closed plane profiles: points with straight sides, rounded corners and splines between them."""

from __future__ import annotations

import numpy as np
import shapely

from brook.core.study import Resolved

PIECES = 12  # of a spline between two of its points


def outline(profile: list[Resolved], around: int, checked: bool = True) -> tuple[np.ndarray, list[str]]:
    """Points (n, 2) of a closed profile in order, and the patch of the side behind each.

    `around` is how many straight pieces a full turn has. Raises `ValueError` for a corner that its sides are too short
    to round, and, when `checked`, for a profile that crosses itself.
    """
    at = np.array([[p.x, p.y] for p in profile], float)
    count = len(profile)
    places: list[np.ndarray] = []
    sides: list[str] = []
    k = 0
    start = next((k for k in range(count) if profile[k - 1].to == "line"), 0)
    order = [(start + k) % count for k in range(count)]
    while k < count:
        here = order[k]
        if profile[here].to == "line":
            _corner(at, order, k, profile, around, places, sides)
            k += 1
            continue
        run = [here]
        while k < count and profile[order[k]].to == "spline":
            k += 1
            run.append(order[k % count])
        whole = k == count and len(run) == count + 1
        from scipy.interpolate import CubicSpline  # only here: loading it takes longer than most shapes

        curve = CubicSpline(_chords(at[run]), at[run], bc_type="periodic" if whole else "natural")
        knots = _chords(at[run])
        for n in range(len(run) - 1):
            for u in np.linspace(knots[n], knots[n + 1], PIECES, endpoint=False):
                places.append(curve(u))
                sides.append(profile[run[n]].patch)
    points = np.array(places)
    if checked and not shapely.Polygon(points).is_valid:
        raise ValueError("the profile crosses or touches itself; move a point or make a rounding smaller")
    return points, sides


def _chords(points: np.ndarray) -> np.ndarray:
    return np.concatenate([[0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(points, axis=0), axis=1)))])


def _corner(
    at: np.ndarray, order: list[int], k: int, profile: list[Resolved], around: int, places: list, sides: list
) -> None:
    """A corner as it is, or as the pieces of an arc."""
    here, before, after = order[k], order[k - 1], order[(k + 1) % len(order)]
    corner, radius, patch = at[here], profile[here].radius, profile[here].patch
    if radius == 0 or profile[before].to == "spline":
        places.append(corner)
        sides.append(patch)
        return
    one, other = at[before] - corner, at[after] - corner
    lengths = np.linalg.norm(one), np.linalg.norm(other)
    one, other = one / lengths[0], other / lengths[1]
    half = np.arccos(np.clip(one @ other, -1, 1)) / 2
    cut = radius / np.tan(half)
    if cut > min(lengths) * (1 + 1e-9):
        raise ValueError("a corner of the profile is rounded more than its sides are long; make the radius smaller")
    centre = corner + (one + other) / np.linalg.norm(one + other) * radius / np.sin(half)
    first = corner + cut * one - centre
    last = corner + cut * other - centre
    turn = np.arctan2(first[0] * last[1] - first[1] * last[0], first @ last)
    for angle in np.linspace(0.0, turn, max(2, int(np.ceil(abs(turn) / (2 * np.pi) * around))) + 1):
        c, s = np.cos(angle), np.sin(angle)
        places.append(centre + np.array([c * first[0] - s * first[1], s * first[0] + c * first[1]]))
        sides.append(patch)
