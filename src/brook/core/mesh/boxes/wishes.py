"""The size of boxes that each triangle of a surface asks for: by its patch, by how much it bends, by the gap before it."""

from __future__ import annotations

import numpy as np

from brook.core.geometry.nearest import Nearest, kernels
from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.skin.features import ANGLE

MOST_PIECES = 3_000_000
OPPOSITE = -0.7  # cosine between sides that face each other over a gap


def by_bend(surface: Surface, per_turn: int) -> np.ndarray:
    """Sizes (T,) in m at which so many boxes stand round a full turn: the bend over each smooth edge, over the distance
    between the middles of its two triangles, is one over the radius. Flat ones ask for nothing: infinity."""
    wanted = np.full(surface.count, np.inf)
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    one, other = surface.edges.pairs.T
    bend = np.arccos(np.clip(np.einsum("ij,ij->i", normal[one], normal[other]), -1, 1))
    ends = surface.edges.ends[surface.edges.uses == 2]
    along = surface.points[ends[:, 1]] - surface.points[ends[:, 0]]
    length = np.linalg.norm(along, axis=1)
    # of both heights over the common edge: a third in even triangles, a half in strips of long ones; 0.4 is off by a fifth
    apart = 0.4 * 2 * (surface.areas[one] + surface.areas[other]) / np.maximum(length, 1e-300)
    smooth = (bend > 1e-3) & (bend < np.radians(ANGLE))
    radius = apart[smooth] / bend[smooth]
    size = 2 * np.pi * radius / per_turn
    np.minimum.at(wanted, one[smooth], size)
    np.minimum.at(wanted, other[smooth], size)
    return wanted


def by_gap(corners: np.ndarray, per_gap: int) -> np.ndarray:
    """Sizes (n,) in m at which so many boxes stand between triangles (n, 3, 3) that look out of the space between and
    what faces them; infinity where nothing does."""
    vector = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal = vector / np.maximum(np.linalg.norm(vector, axis=1), 1e-300)[:, None]
    tree = Nearest.of(corners, np.zeros(len(corners), np.int64))
    middle = corners.mean(axis=1)
    far, hit = kernels.along(middle, -normal, tree.corners, tree.boxes, tree.leaves)
    facing = np.where(hit >= 0, np.einsum("ij,ij->i", normal, normal[tree.number[np.maximum(hit, 0)]]), 1.0)
    return np.where(facing < OPPOSITE, far / per_gap, np.inf)


def pieces(surface: Surface, longest: float) -> tuple[np.ndarray, np.ndarray]:
    """Corners (n, 3, 3) of triangles with no side over a length, and the triangle (n,) of the surface each is part of."""
    corners, of = surface.points[surface.triangles], np.arange(surface.count)
    while len(corners) < MOST_PIECES:
        sides = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2)
        long = sides.max(axis=1) > longest
        if not long.any():
            break
        begin = sides[long].argmax(axis=1)
        turn = (begin[:, None] + np.arange(3)) % 3
        a, b, c = np.swapaxes(np.take_along_axis(corners[long], turn[:, :, None], axis=1), 0, 1)
        half = (a + b) / 2
        corners = np.concatenate([corners[~long], np.stack([a, half, c], axis=1), np.stack([half, b, c], axis=1)])
        of = np.concatenate([of[~long], of[long], of[long]])
    return corners, of
