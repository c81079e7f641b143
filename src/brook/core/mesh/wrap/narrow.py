"""Thin parts of a dirty shape and gaps between its walls: how thick, how wide, and what boxes have to be for them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.geometry.findings import kernels as angles
from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.wishes import pieces

ACROSS, FACING = 4, 0.7  # boxes across a gap that is to stay open; cosine between its walls
WITHIN_PART = 0.7  # of a part's thickness: boxes of this size have a middle in it wherever they stand
THICKENED = 1.3  # of a box: parts are made so thick, so that a middle lies within
FINEST = 16  # times smaller than the size asked for: boxes at thin parts are not smaller


@dataclass(frozen=True, eq=False)
class Narrow:
    """Pieces (n, 3, 3) of the triangles `of` (n,) of a surface; of each how thick the part behind it is and how wide the gap before it,
    in m, infinity where no wall faces it. Where nobody knows which side of a triangle is wet, which `sure` (n,) tells, both are the
    nearer of the two."""

    parts: np.ndarray
    of: np.ndarray
    thick: np.ndarray
    gap: np.ndarray
    sure: np.ndarray

    @classmethod
    def of_surface(
        cls, surface: Surface, tree: Nearest, wet: tuple[float, float, float] | None, longest: float
    ) -> Narrow:
        """Measured on pieces at most so long; `tree` is that of the surface's triangles."""
        parts, of = pieces(surface, longest)
        rank = np.empty(surface.count, np.int64)
        rank[tree.number] = np.arange(surface.count)
        order = np.argsort(rank[of], kind="stable")  # what lies side by side is looked for one after the other
        parts, of = parts[order], of[order]
        normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
        front, back = (
            _facing(parts.mean(axis=1), way[of], normal[of], tree, normal, 8 * longest) for way in (normal, -normal)
        )
        side = wet_sides(surface, wet)[of]
        nearer = np.minimum(front, back)
        thick = np.where(side > 0, back, np.where(side < 0, front, nearer))
        gap = np.where(side > 0, front, np.where(side < 0, back, nearer))
        return cls(parts, of, thick, gap, side != 0)

    def sizes(self, wanted: np.ndarray, apart: float, thin: bool) -> np.ndarray:
        """Sizes (n,) of boxes in m: those `wanted` (n,), smaller where water is to get through gaps over `apart` (0: no such wish),
        and where `thin` parts are to stay. Of loose triangles nobody knows what is a part and what a slit that must not leak."""
        asked = wanted.copy()
        if apart > 0:
            guarded = self.gap >= apart
            asked = np.where(guarded, np.minimum(asked, np.maximum(self.gap / ACROSS, apart / ACROSS)), asked)
        if thin:
            kept = np.minimum(asked, np.maximum(WITHIN_PART * self.thick, wanted / FINEST))
            asked = np.where(self.sure, kept, asked)
        return asked


def wet_sides(surface: Surface, wet: tuple[float, float, float] | None) -> np.ndarray:
    """1 where the front of a triangle (T,) is the side of the water, -1 where its back is, 0 where nobody knows: on shells that are
    not closed. `wet` is where the water comes from, None for outside."""
    edges = surface.edges
    open_ = ((edges.uses != 2) | (edges.turns != 0))[edges.of].any(axis=1)
    shell = surface.shells
    volume = np.bincount(
        shell, np.einsum("ij,ij->i", surface.points[surface.triangles].mean(axis=1) - surface.box[0], surface.vectors)
    )
    closed = np.bincount(shell, open_) == 0
    outward = np.where(closed, np.where(volume > 0, 1, -1), 0)
    if wet is not None:
        place = np.array(wet, float)
        order = np.argsort(shell, kind="stable")
        for k, mine in enumerate(np.split(order, np.cumsum(np.bincount(shell))[:-1])):
            corners = surface.points[surface.triangles[mine]]
            if closed[k] and abs(angles.solid_angle(corners, place)) > 2 * np.pi:
                outward[k] = -outward[k]
    return outward[shell]


def _facing(
    places: np.ndarray, way: np.ndarray, normal: np.ndarray, tree: Nearest, of_tree: np.ndarray, reach: float
) -> np.ndarray:
    """How far (n,) it is to a wall that faces places along a way, infinity where none does within reach."""
    far, hit = tree.seen(places, way, reach)
    other = of_tree[np.maximum(hit, 0)]
    alike = np.abs(np.einsum("ij,ij->i", normal, other)) > FACING
    return np.where((hit >= 0) & alike, far, np.inf)


def thickened(surface: Surface, sizes: np.ndarray, wet: tuple[float, float, float] | None) -> Surface:
    """A surface with parts thinner than boxes of these sizes (T,) made as thick: their walls move apart. Sheets that nobody knows the wet side
    of, with nothing behind, get another wall behind them and rims between both."""
    tree = Nearest.of(surface.points[surface.triangles], np.zeros(surface.count, np.int64))
    narrow = Narrow.of_surface(surface, tree, wet, 2 * float(sizes.max(initial=0.0)))
    thick = np.full(surface.count, np.inf)
    np.minimum.at(thick, narrow.of, narrow.thick)
    side = wet_sides(surface, wet)
    sheet = side == 0
    wanted = THICKENED * sizes
    apart = np.where(
        sheet, wanted / 2, (wanted - thick).clip(0) / 2
    )  # infinity, where nothing is behind, asks for nothing
    if not (apart > 0).any():
        return surface
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    outward = normal * np.where(side < 0, -1, 1)[:, None]
    moved = _moved(surface, outward, apart)
    if not sheet.any():
        return surface.placed(moved)
    behind = _moved(surface, -outward, np.where(sheet, apart, 0.0))
    count = len(surface.points)
    front, back = surface.triangles, surface.triangles[sheet][:, ::-1] + count
    edges = surface.edges
    alone = edges.uses == 1
    chosen = alone[edges.of] & sheet[:, None]
    start, end = front[chosen], np.roll(front, -1, axis=1)[chosen]
    rims = np.concatenate(
        [np.stack([end, start, start + count], axis=1), np.stack([end, start + count, end + count], axis=1)]
    )
    patch = surface.patch[np.nonzero(chosen)[0]]
    triangles = np.concatenate([front, back, rims])
    patches = np.concatenate([surface.patch, surface.patch[sheet], patch, patch])
    return Surface(np.concatenate([moved, behind]), triangles, patches, surface.patches)


def without_thin(surface: Surface, sizes: np.ndarray, wet: tuple[float, float, float] | None) -> Surface:
    """A surface without walls of parts that are surely thinner than boxes of these sizes (T,)."""
    tree = Nearest.of(surface.points[surface.triangles], np.zeros(surface.count, np.int64))
    narrow = Narrow.of_surface(surface, tree, wet, 2 * float(sizes.max(initial=0.0)))
    thick = np.full(surface.count, np.inf)
    np.minimum.at(thick, narrow.of, np.where(narrow.sure, narrow.thick, np.inf))
    return surface.only(thick > THICKENED * sizes)


def _moved(surface: Surface, outward: np.ndarray, apart: np.ndarray) -> np.ndarray:
    """Points (P, 3) that have gone out with the walls round them, each by so much (T,) along its own way."""
    at, weight = np.zeros_like(surface.points), np.zeros(len(surface.points))
    far = np.zeros(len(surface.points))
    moving = apart > 0
    for k in range(3):
        corner = surface.triangles[moving, k]
        np.add.at(at, corner, outward[moving] * surface.areas[moving, None])
        np.add.at(weight, corner, surface.areas[moving])
        np.maximum.at(far, corner, apart[moving])
    length = np.linalg.norm(at, axis=1)
    return surface.points + at * (far / np.maximum(length, 1e-300))[:, None]
