"""The outer domain around a body, its sides named, and how much of it the body blocks."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np

from brook.core.geometry.booleans import NotClosed, combined, together
from brook.core.geometry.solids import solid
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.kernels import covered
from brook.core.study import Resolved
from brook.core.study.space import tunnel_names

PIXELS = 600


def tunnel_box(surface: Surface, tunnel: Resolved) -> tuple[np.ndarray, np.ndarray]:
    """Lower and upper corner (3,) of the domain; lengths count the body's length along x."""
    low, high = surface.box
    length = float(high[0] - low[0])
    under = 0.0 if tunnel.on_floor else tunnel.above * length
    out = np.array([tunnel.downstream * length, tunnel.side * length, tunnel.above * length])
    back = np.array([tunnel.upstream * length, tunnel.side * length, under])
    return low - back, high + out


def with_tunnel(surface: Surface, tunnel: Resolved) -> Surface:
    """The body with the domain around it. Raises `ValueError` for a body without length along x."""
    low, high = tunnel_box(surface, tunnel)
    if not high[0] > low[0]:
        raise ValueError("the body has no length along x, which the size of the tunnel is counted in")
    outer = solid(_outer(surface, tunnel, low, high))
    if tunnel.on_floor and tunnel.form == "box":
        try:  # what stands on the floor is cut out of it
            return combined(outer, surface, "take")
        except NotClosed:
            pass
    return together([surface, outer])


def _outer(surface: Surface, tunnel: Resolved, low: np.ndarray, high: np.ndarray) -> SimpleNamespace:
    size = high - low
    names = list(tunnel_names(tunnel).values())
    if tunnel.form == "box":
        sides = SimpleNamespace(**dict(zip(("west", "east", "south", "north", "floor", "lid"), names, strict=True)))
        return SimpleNamespace(
            kind="box", x=low[0], y=low[1], z=low[2], width=size[0], depth=size[1], height=size[2], patches=sides,
            pattern=None,
        )  # fmt: skip
    middle = (surface.box[0] + surface.box[1]) / 2
    length = float(surface.box[1][0] - surface.box[0][0])
    ends = SimpleNamespace(**dict(zip(("start", "end", "side"), names, strict=True)))
    return SimpleNamespace(
        kind="cylinder", axis="x", x=low[0], y=middle[1], z=middle[2], diameter=2 * tunnel.side * length,
        length=size[0], patches=ends, pattern=None, around=96,
    )  # fmt: skip


def blockage(surface: Surface, tunnel: Resolved) -> tuple[float, float, float]:
    """The share of the tunnel's cross-section that the body covers, seen along x, how much that is in m², and how far before it the tunnel begins in m."""
    low, high = tunnel_box(surface, tunnel)
    body_low, body_high = surface.box
    size = body_high[1:] - body_low[1:]
    if not size.min() > 0:
        return 0.0, 0.0, float(body_low[0] - low[0])
    flat = (surface.points[:, 1:] - body_low[1:]) / size * PIXELS
    share = float(covered(np.ascontiguousarray(flat), surface.triangles, PIXELS).mean())
    length = float(body_high[0] - body_low[0])
    area = float(np.prod((high - low)[1:])) if tunnel.form == "box" else float(np.pi * (tunnel.side * length) ** 2)
    covers = share * float(size.prod())
    return covers / area, covers, float(body_low[0] - low[0])
