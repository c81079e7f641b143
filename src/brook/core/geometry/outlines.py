"""The outline of each kind of plane shape, as sides with patches."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brook.core.geometry.profile import outline as profile_outline
from brook.core.study import Problem, Resolved

CHORDS = 240  # for a full turn
WHOLE_TURN = 2 * np.pi


@dataclass(frozen=True, eq=False)
class SideLine:
    """One side of a shape as a line of points (n, 2) in m, anticlockwise round the shape."""

    points: np.ndarray
    patch: str

    @property
    def is_straight(self) -> bool:
        """Whether it is one straight line."""
        return len(self.points) == 2


def _rectangle(shape: Resolved) -> list[SideLine]:
    left, right = shape.left, shape.left + shape.width
    bottom, top = shape.bottom, shape.bottom + shape.height
    places = {"bottom": (left, bottom, right, bottom), "right": (right, bottom, right, top),
              "top": (right, top, left, top), "left": (left, top, left, bottom)}  # fmt: skip
    return [SideLine(np.reshape(at, (2, 2)), getattr(shape.patches, side)) for side, at in places.items()]


def _bow(shape: Resolved, radius: float, start: float, end: float) -> np.ndarray:
    """Points on a part of a circle; a little outside, so that chords enclose the area of the circle."""
    count = max(4, int(np.ceil(abs(end - start) / WHOLE_TURN * CHORDS)))
    step = abs(end - start) / count
    angle = np.linspace(start, end, count + 1)
    grown = radius * np.sqrt(step / np.sin(step))
    points = np.stack([shape.centre_x + grown * np.cos(angle), shape.centre_y + grown * np.sin(angle)], axis=1)
    if abs(end - start) >= WHOLE_TURN:
        points[-1] = points[0]
    return points


def _circle(shape: Resolved) -> list[SideLine]:
    return [SideLine(_bow(shape, shape.diameter / 2, 0.0, WHOLE_TURN), shape.patch)]


def _arc(shape: Resolved) -> list[SideLine]:
    half = shape.thickness / 2
    outside = _bow(shape, shape.radius + half, shape.start, shape.end)
    inside = _bow(shape, shape.radius - half, shape.end, shape.start)
    ends = [np.stack([outside[-1], inside[0]]), np.stack([inside[-1], outside[0]])]
    return [SideLine(p, shape.patch) for p in (outside, ends[0], inside, ends[1])]


def _polygon(shape: Resolved) -> list[SideLine]:
    at = np.array([(c.x, c.y) for c in shape.corners])
    patches = [c.patch for c in shape.corners]
    if any(c.radius or c.to == "spline" for c in shape.corners):
        at, patches = profile_outline(shape.corners, CHORDS, checked=False)
    after = np.roll(at, -1, axis=0)
    lines = [SideLine(np.stack(pair), patch) for *pair, patch in zip(at, after, patches, strict=True)]
    if np.sum(at[:, 0] * after[:, 1] - after[:, 0] * at[:, 1]) < 0:  # given clockwise
        lines = [SideLine(line.points[::-1], line.patch) for line in reversed(lines)]
    return lines


OUTLINES: dict[str, Callable[[Resolved], list[SideLine]]] = {
    "rectangle": _rectangle,
    "circle": _circle,
    "arc": _arc,
    "polygon": _polygon,
}


def outline(shape: Resolved) -> list[SideLine]:
    """The sides of a resolved shape, closed and anticlockwise."""
    return OUTLINES[shape.kind](shape)


def outline_problems(shape: Resolved, path: str) -> list[Problem]:
    """What keeps a shape from having an outline at all."""
    if shape.kind == "polygon":
        try:
            outline(shape)
        except ValueError as error:
            return [Problem(f"{path}/corners", f"'{shape.name}': {error}")]
    if shape.kind != "arc":
        return []
    if shape.thickness >= 2 * shape.radius:
        return [Problem(f"{path}/thickness", f"'{shape.name}' is thicker than twice its radius; make it thinner")]
    if shape.end <= shape.start:
        return [Problem(f"{path}/end", f"'{shape.name}' ends before it begins; its end has to be the larger angle")]
    if shape.end - shape.start > 0.99 * WHOLE_TURN:
        message = f"'{shape.name}' goes all round; take two circles, one added inside the other"
        return [Problem(f"{path}/end", message)]
    return []
