"""The size of boxes that each triangle of a surface asks for: by its patch, by how much it bends, by the gap before it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.skin.features import ANGLE

MOST_PIECES = 3_000_000
SLACK = 1.02  # facets of bent walls stand a little nearer: a gap of just so many boxes does not ask for half their size
OPPOSITE = -0.7  # cosine between sides that face each other over a gap


def by_bend(surface: Surface, per_turn: float) -> np.ndarray:
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


def gaps_measured(
    surface: Surface, wanted: np.ndarray, before: float, behind: float, longest: float, least: float
) -> tuple[np.ndarray, np.ndarray]:
    """Pieces (n, 3, 3) of all triangles and the size (n,) in m that each asks for: what its triangle does in `wanted`
    (T,), or so many boxes across the gap `before` and `behind` it. Pieces are at most `longest`, and shorter towards
    where sides meet in a tip, down to boxes of the `least` size."""
    one, two = (Facing.of(surface, turned) for turned in (False, True))
    todo, of = surface.points[surface.triangles], np.arange(surface.count)
    done, sizes, count = [], [], 0
    limit = np.full(len(todo), longest)
    while len(todo):
        todo, of = _pieces(todo, of, limit, MOST_PIECES - count)
        size = np.minimum(SLACK * one.gap(todo, of) / before, two.gap(todo, of) / behind)
        asked = np.minimum(wanted[of], size)
        # a gap may close along the piece: its size is that of the narrow end only once it is small itself
        limit = np.where(size < wanted[of], 2 * np.maximum(size, least), np.inf)
        coarse = (_longest(todo) > limit) & (count + len(todo) < MOST_PIECES)
        done.append(todo[~coarse])
        sizes.append(asked[~coarse])
        count += int((~coarse).sum())
        todo, of, limit = todo[coarse], of[coarse], limit[coarse]
    return np.concatenate(done), np.concatenate(sizes)


@dataclass(frozen=True, eq=False)
class Facing:
    """Triangles of a surface, turned or not, to be asked what the space before a place ends at."""

    tree: Nearest
    normal: np.ndarray

    @classmethod
    def of(cls, surface: Surface, turned: bool) -> Facing:
        corners = surface.points[surface.triangles]
        normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
        tree = Nearest.of(corners[:, ::-1] if turned else corners, np.zeros(len(corners), np.int64))
        return cls(tree, -normal if turned else normal)

    def gap(self, corners: np.ndarray, of: np.ndarray) -> np.ndarray:
        """Distance (n,) from pieces (n, 3, 3) of triangles `of` to a side that faces them; infinity where none does."""
        return self.seen(corners.mean(axis=1), of)[0]

    def seen(self, places: np.ndarray, of: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The same distance from places (n, 3) on triangles `of`, and the triangle (n,) of the side there."""
        normal = self.normal[of]
        far, hit = self.tree.seen(places, -normal)
        triangle = np.maximum(hit, 0)
        facing = np.where(hit >= 0, np.einsum("ij,ij->i", normal, self.normal[triangle]), 1.0)
        return np.where(facing < OPPOSITE, far, np.inf), triangle


def _longest(corners: np.ndarray) -> np.ndarray:
    return np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).max(axis=1)


def _pieces(corners: np.ndarray, of: np.ndarray, limit: np.ndarray, most: int) -> tuple[np.ndarray, np.ndarray]:
    """Pieces of triangles (n, 3, 3) with no side over a limit (n,), and the number in `of` (n,) each has from its own."""
    while len(corners) < most:
        sides = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2)
        long = sides.max(axis=1) > limit
        if not long.any():
            break
        begin = sides[long].argmax(axis=1)
        turn = (begin[:, None] + np.arange(3)) % 3
        a, b, c = np.swapaxes(np.take_along_axis(corners[long], turn[:, :, None], axis=1), 0, 1)
        half = (a + b) / 2
        corners = np.concatenate([corners[~long], np.stack([a, half, c], axis=1), np.stack([half, b, c], axis=1)])
        of, limit = (np.concatenate([x[~long], x[long], x[long]]) for x in (of, limit))
    return corners, of


def pieces(surface: Surface, longest: float) -> tuple[np.ndarray, np.ndarray]:
    """Corners (n, 3, 3) of triangles with no side over a length, and the triangle (n,) of the surface each is part of."""
    every = np.arange(surface.count)
    return _pieces(surface.points[surface.triangles], every, np.full(surface.count, longest), MOST_PIECES)
