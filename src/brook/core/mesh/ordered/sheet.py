"""Columns and rows of cells between two lines, some of them left empty."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from brook.core.mesh.ordered.drawn import OrderedError, drawn
from brook.core.mesh.ordered.spacing import spaced
from brook.core.mesh.polyhedral import Mesh
from brook.core.study import Resolved


def build(part: Resolved) -> Mesh:
    """The mesh of a sheet. Raises `OrderedError`."""
    x, column = _lines(part.x, part.columns, f"the columns of {part.name}")
    y, row = _lines(part.y, part.rows, f"the rows of {part.name}")
    low = _along(part.floor, x, y[0], "floor")
    high = _along(part.ceiling, x, y[-1], "ceiling")
    if (high <= low).any():
        k = int(np.argmin(high - low))
        raise OrderedError(f"the ceiling of {part.name} meets its floor at x = {x[k]:.4g} m; move one of them")
    share = (y - y[0]) / (y[-1] - y[0])
    height = (1 - share) * low[:, None] + share * high[:, None]
    points = np.stack([np.broadcast_to(x[:, None], height.shape), height], axis=-1).reshape(-1, 2)
    points[np.abs(points) < 1e-14 * np.abs(points).max()] = 0.0
    number = np.arange(len(x) * len(y)).reshape(len(x), len(y))
    filled = np.ones((len(x) - 1, len(y) - 1), bool)
    patch = np.full(filled.shape, -1)
    for k, hollow in enumerate(part.hollows):
        if hollow.to_column > len(part.columns) or hollow.to_row > len(part.rows):
            raise OrderedError(f"a hollow of {part.name} names columns or rows that it does not have")
        if hollow.from_column > hollow.to_column or hollow.from_row > hollow.to_row:
            raise OrderedError(f"a hollow of {part.name} ends before it begins")
        inside = np.ix_(
            _between(column, hollow.from_column, hollow.to_column), _between(row, hollow.from_row, hollow.to_row)
        )
        filled[inside], patch[inside] = False, k
    if not filled.any():
        raise OrderedError(f"the hollows of {part.name} leave no cell")
    corners = np.stack([number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]], axis=-1)
    return drawn(part, points, corners[filled], _edges(part, number, filled, patch))


def _lines(begin: float, stretches: list[Resolved], what: str) -> tuple[np.ndarray, np.ndarray]:
    """Places of lines (n + 1,) and the stretch (n,) that each cell belongs to."""
    ends = [begin, *(s.to for s in stretches)]
    if any(b <= a for a, b in pairwise(ends)):
        raise OrderedError(f"{what} go from smaller to larger coordinates; put them in order")
    places = [
        a + (b - a) * spaced(s, b - a, what)[1:] for (a, b), s in zip(pairwise(ends), stretches, strict=True)
    ]  # fmt: skip
    return np.concatenate([[begin], *places]), np.repeat(np.arange(len(stretches)), [s.cells for s in stretches])


def _between(of: np.ndarray, first: int, last: int) -> np.ndarray:
    return np.nonzero((of >= first - 1) & (of <= last - 1))[0]


def _along(edge: list[Resolved], x: np.ndarray, level: float, what: str) -> np.ndarray:
    """The height (n,) of a bent edge at places x, level beyond its ends."""
    if not edge:
        return np.full(len(x), level)
    at = np.array([[p.x, p.y] for p in edge], float)
    if (np.diff(at[:, 0]) <= 0).any():
        raise OrderedError(f"the points of the {what} go from smaller to larger x; put them in order")
    height = np.interp(x, at[:, 0], at[:, 1])
    k = 0
    while k < len(edge) - 1:
        if edge[k].to != "spline":
            k += 1
            continue
        begin = k
        while k < len(edge) - 1 and edge[k].to == "spline":
            k += 1
        if k - begin > 1:
            run = at[begin : k + 1]
            there = (x >= run[0, 0]) & (x <= run[-1, 0])
            from scipy.interpolate import CubicSpline  # only here: loading it takes longer than most meshes

            height[there] = CubicSpline(run[:, 0], run[:, 1], bc_type="clamped")(x[there])
    return height


def _edges(part: Resolved, number: np.ndarray, filled: np.ndarray, patch: np.ndarray) -> dict[str, np.ndarray]:
    """Edges (n, 2) of every patch: the four sides, and where a filled cell stands beside a hollow."""
    names = [part.patches.left, part.patches.right, part.patches.bottom, part.patches.top]
    hollow = [h.patch for h in part.hollows]
    found: dict[str, list[np.ndarray]] = {}
    wide, tall = filled.shape
    for axis in (0, 1):
        upright = axis == 0
        a, b = (number[:, :-1], number[:, 1:]) if upright else (number[:-1, :], number[1:, :])
        before, after = np.zeros(a.shape, int) - 1, np.zeros(a.shape, int) - 1
        cells = np.where(filled, -2, patch)  # -2 is filled, -1 is beyond the sheet, others are hollows
        if upright:
            before[1:], after[:wide] = cells, cells
        else:
            before[:, 1:], after[:, :tall] = cells, cells
        for mine, other, side in ((after, before, names[2 * axis]), (before, after, names[2 * axis + 1])):
            there = (mine == -2) & (other != -2)
            for k in np.unique(other[there]):
                chosen = there & (other == k)
                name = side if k < 0 else hollow[k]
                found.setdefault(name, []).append(np.stack([a[chosen], b[chosen]], axis=1))
    return {name: np.concatenate(edges) for name, edges in found.items()}
