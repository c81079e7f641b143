"""Steps that move, turn, scale and mirror."""

from __future__ import annotations

import numpy as np

from brook.core.geometry import placing
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

AXES = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1), "-x": (-1, 0, 0), "-y": (0, -1, 0), "-z": (0, 0, -1)}


def axis_of(name: str) -> np.ndarray:
    """The direction (3,) of a named axis."""
    return np.array(AXES[name], float)


def _place(step: Resolved) -> np.ndarray:
    return np.array([step.x, step.y, step.z], float)


def _of(surface: Surface, patch: str) -> np.ndarray:
    if patch not in surface.patches:
        raise KeyError(f"there is no patch '{patch}' here")
    return np.nonzero(surface.patch == surface.patches.index(patch))[0]


def _mirror(surface: Surface, step: Resolved) -> Surface:
    normal = axis_of(step.axis)
    return placing.mirrored(surface, normal, np.abs(normal) * step.at)


def _align(surface: Surface, step: Resolved) -> Surface:
    direction = surface.vectors[_of(surface, step.patch)].sum(axis=0)
    middle = (surface.box[0] + surface.box[1]) / 2
    return placing.aligned(surface, direction, axis_of(step.axis), middle)


DO = {
    "move": lambda s, step: placing.moved(s, _place(step)),
    "turn": lambda s, step: placing.turned_about(s, axis_of(step.axis), step.angle, _place(step)),
    "scale": lambda s, step: placing.scaled(s, step.factor),
    "mirror": _mirror,
    "lay": lambda s, step: placing.laid_on_floor(s, _of(s, step.patch)),
    "align": _align,
}
