"""Plane meshes of cells in rows, as thin at walls as a case asks for."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES, Mesh
from brook.core.mesh.assembling import Polygons
from brook.core.mesh.ordered.drawn import mesh_of

DEEP = 0.1  # in m


def grown(first: float, growth: float, length: float, largest: float = np.inf) -> np.ndarray:
    """Places (n,) from 0 to a length with steps that grow from a first one, stretched a little to fit."""
    steps = [first]
    while sum(steps) < length:
        steps.append(min(steps[-1] * growth, largest))
    places = np.concatenate([[0.0], np.cumsum(steps)])
    return places * (length / places[-1])


def between(first: float, growth: float, length: float, largest: float = np.inf) -> np.ndarray:
    """The same growing from both ends."""
    half = grown(first, growth, 0.5 * length, largest)
    return np.concatenate([half, length - half[-2::-1]])


def rows(
    x: np.ndarray,
    y: np.ndarray,
    sides: Mapping[str, Sequence[tuple[str, float]]],
    step: tuple[float, float] | None = None,
    turned: float = 0.0,
    over: bool = False,
    placed: Callable[[np.ndarray], np.ndarray] | None = None,
) -> Mesh:
    """Cells between lines at x and at y in m. `sides` says of `left`, `right`, `bottom` and `top` which patches they are made of, each
    up to a place along the side. Of a `step` at (x, y) cells before and under it, or `over` it, are missing: its faces are `step` and `before`.
    With `turned`, an angle in rad, y is the radius in a wedge round the axis y = 0. `placed` moves the corners (n, 2) of cells."""
    columns, lines = len(x) - 1, len(y) - 1
    flat = np.stack(np.meshgrid(x, y, indexing="ij"), axis=-1).reshape(-1, 2)
    shown = flat if placed is None else placed(flat)
    count = len(flat)
    number = np.arange(count).reshape(columns + 1, lines + 1)
    middle_x, middle_y = 0.5 * (x[:-1] + x[1:]), 0.5 * (y[:-1] + y[1:])
    there = np.ones((columns, lines), bool)
    if step is not None:
        beyond = middle_y[None, :] > step[1] if over else middle_y[None, :] < step[1]
        there = ~((middle_x[:, None] < step[0]) & beyond)
    corners = np.stack([number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]], axis=-1)[there]
    edges: list[tuple[str, np.ndarray]] = []
    upright = np.stack([number[:, :-1], number[:, 1:]], axis=-1)
    level = np.stack([number[:-1, :], number[1:, :]], axis=-1)
    for along, middle, cells, said in (
        (upright[0], middle_y, there[0], sides["left"]), (upright[-1], middle_y, there[-1], sides["right"]),
        (level[:, 0], middle_x, there[:, 0], sides.get("bottom", ())), (level[:, -1], middle_x, there[:, -1], sides["top"]),
    ):  # fmt: skip
        begin = -np.inf
        for name, end in said:
            edges.append((name, along[cells & (middle > begin) & (middle < end)]))
            begin = end
    if step is not None:
        edges += [
            ("step", upright[1:-1][there[1:] & ~there[:-1]]),
            ("before", level[:, 1:-1][there[:, 1:] ^ there[:, :-1]]),
        ]
    used = np.bincount(corners.reshape(-1), minlength=count) > 0
    place = np.where(used, np.cumsum(used) - 1, -1)
    low = place[np.arange(count)]
    left = shown[used]
    high = low + len(left)
    if turned:
        high = np.where(flat[:, 1] == 0, low, high)  # what lies on the axis is one point
        back, front = (
            np.c_[left[:, 0], left[:, 1] * np.cos(a), left[:, 1] * np.sin(a)] for a in (-turned / 2, turned / 2)
        )
    else:
        back, front = np.c_[left, np.zeros(len(left))], np.c_[left, np.full(len(left), DEEP)]
    patches = [
        (name, Polygons.rows(np.concatenate([low[e], high[e][:, ::-1]], axis=1)))
        for name in dict.fromkeys(name for name, _ in edges)
        for e in [np.concatenate([e for n, e in edges if n == name])]
    ]  # fmt: skip
    patches.append(
        (WEDGE_SIDES if turned else PLANE_SIDES, Polygons.rows(np.concatenate([low[corners], high[corners]])))
    )
    return mesh_of(np.concatenate([back, front]), np.concatenate([low[corners], high[corners]], axis=1), patches)
