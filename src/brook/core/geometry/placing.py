"""Moving, turning, scaling and mirroring of surfaces, by value or by picked features. Lengths in m, angles in rad."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.surface import Surface


def moved(surface: Surface, by: np.ndarray) -> Surface:
    """Moved by (3,)."""
    return surface.placed(surface.points + np.asarray(by, float))


def turned_about(surface: Surface, axis: np.ndarray, angle: float, through: np.ndarray) -> Surface:
    """Turned by an angle, anticlockwise seen from where the axis (3,) points to, about a line through a place (3,).

    Raises `ValueError` for an axis without direction.
    """
    through = np.asarray(through, float)
    return surface.placed((surface.points - through) @ rotation(axis, angle).T + through)


def rotation(axis: np.ndarray, angle: float) -> np.ndarray:
    """The matrix (3, 3) of a turn. Rodrigues (1840). Raises `ValueError` for an axis without direction."""
    axis = np.asarray(axis, float)
    length = float(np.linalg.norm(axis))
    if not length > 0:
        raise ValueError("the axis to turn about has no direction")
    x, y, z = axis / length
    skew = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.eye(3) + np.sin(angle) * skew + (1 - np.cos(angle)) * skew @ skew


def scaled(surface: Surface, factors: np.ndarray | float, about: np.ndarray | None = None) -> Surface:
    """Scaled by one factor or three, about a place (3,) or nothing. What a negative one turns inside out is turned back.

    Raises `ValueError` for a factor of nothing.
    """
    factors = np.broadcast_to(np.asarray(factors, float), 3)
    if not np.all(factors):
        raise ValueError("a shape scaled by nothing would be flat")
    about = np.zeros(3) if about is None else np.asarray(about, float)
    made = surface.placed((surface.points - about) * factors + about)
    return made.flipped(np.ones(made.count, bool)) if np.prod(factors) < 0 else made


def mirrored(surface: Surface, normal: np.ndarray, through: np.ndarray) -> Surface:
    """Mirrored at a plane; the outside stays outside. Raises `ValueError` for a normal without direction."""
    normal, through = np.asarray(normal, float), np.asarray(through, float)
    length = float(np.linalg.norm(normal))
    if not length > 0:
        raise ValueError("the normal of the mirror has no direction")
    normal = normal / length
    height = (surface.points - through) @ normal
    made = surface.placed(surface.points - 2 * height[:, None] * normal)
    return made.flipped(np.ones(made.count, bool))


def aligned(surface: Surface, direction: np.ndarray, to: np.ndarray, through: np.ndarray) -> Surface:
    """Turned the shortest way so that one direction (3,) becomes another. Raises `ValueError` for none."""
    one, other = np.asarray(direction, float), np.asarray(to, float)
    lengths = np.linalg.norm(one), np.linalg.norm(other)
    if not min(lengths) > 0:
        raise ValueError("a direction of no length cannot be turned to another")
    one, other = one / lengths[0], other / lengths[1]
    axis = np.cross(one, other)
    if np.linalg.norm(axis) < 1e-12:
        if one @ other > 0:
            return surface
        axis = np.cross(one, np.eye(3)[int(np.argmin(np.abs(one)))])  # any axis across: half a turn
    return turned_about(surface, axis, float(np.arctan2(np.linalg.norm(np.cross(one, other)), one @ other)), through)


def laid_on_floor(surface: Surface, triangles: np.ndarray) -> Surface:
    """Turned so that some triangles look down, and moved so that their lowest point lies at z = 0.

    Raises `ValueError` when they have no direction together.
    """
    normal = surface.vectors[triangles].sum(axis=0)
    middle = surface.points[surface.triangles[triangles]].mean(axis=(0, 1))
    made = aligned(surface, normal, np.array([0.0, 0.0, -1.0]), middle)
    lowest = made.points[made.triangles[triangles]][..., 2].min()
    return moved(made, np.array([0.0, 0.0, -lowest]))
