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
TOUCHING = 3e-3  # of the length of pieces: walls so near touch
MOST_WALLS = 12  # through which a part is followed
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
        side = wet_sides(surface, wet)
        sure = side[of] != 0
        thick = np.empty(len(of))
        gap = np.empty(len(of))
        walls = _Walls(tree, normal, normal * side[:, None], 8 * longest, TOUCHING * longest)
        middle = parts.mean(axis=1)
        front, back = (walls.facing(middle[~sure], way * normal[of[~sure]])[0] for way in (1, -1))
        thick[~sure] = gap[~sure] = np.minimum(front, back)
        thick[sure], gap[sure] = walls.beside(middle[sure], walls.wet[of[sure]])
        return cls(parts, of, thick, gap, sure)

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


@dataclass(frozen=True, eq=False)
class _Walls:
    """Triangles in a tree with their unit normals (T, 3), the same towards the water (T, 3), nothing where nobody knows that; how far
    walls are looked for, and within which distance, in m, they touch."""

    tree: Nearest
    normal: np.ndarray
    wet: np.ndarray
    reach: float
    touching: float

    def facing(self, places: np.ndarray, way: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """How far (n,) it is from places (n, 3) along unit ways (n, 3) to a wall that faces them, infinity where none does; and the first
        wall (n,) there, -1 for none."""
        far, hit = self.tree.seen(places, way, self.reach)
        return self._if_facing(far, hit, way), hit

    def _if_facing(self, far: np.ndarray, hit: np.ndarray, way: np.ndarray) -> np.ndarray:
        alike = np.abs(np.einsum("ij,ij->i", way, self.normal[np.maximum(hit, 0)])) > FACING
        found: np.ndarray = np.where((hit >= 0) & alike, far, np.inf)
        return found

    def _rising(self, hit: np.ndarray, way: np.ndarray) -> np.ndarray:
        """1 where a way goes through a wall into water, -1 where it goes into a body, 0 where nobody knows or nothing is hit."""
        into = np.einsum("ij,ij->i", way, self.wet[np.maximum(hit, 0)])
        return np.where(hit >= 0, np.sign(into), 0.0).astype(np.int64)

    def beside(self, places: np.ndarray, out: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """How thick (n,) what lies behind places is that look out along unit ways (n, 3), and how wide the gap before them: of all bodies
        together that touch or reach into each other. Both infinity for places within another body or on it."""
        gap, hit = self.facing(places, out)
        away = np.where(hit >= 0, self.tree.seen(places, out, self.reach)[0], np.inf)
        rising = self._rising(hit, out)
        hidden = self._within(places, out) | ((rising < 0) & (away < self.touching))
        gap[hidden] = np.inf
        thick = np.full(len(places), np.inf)
        left = np.nonzero(~hidden)[0]
        thick[left] = self._through(places[left], -out[left])
        return thick, gap

    def _within(self, places: np.ndarray, way: np.ndarray) -> np.ndarray:
        """Whether places (n, 3) lie within a body: a way from there leaves more of them than it enters."""
        found, depth, total = np.zeros(len(places), bool), np.zeros(len(places), np.int64), np.zeros(len(places))
        left = np.arange(len(places))
        for _ in range(MOST_WALLS):
            if not len(left):
                break
            far, hit = self.tree.seen(places[left] + total[left, None] * way[left], way[left])
            depth[left] -= self._rising(hit, way[left])
            total[left] += np.where(hit >= 0, far, 0.0)
            found[left] = depth[left] < 0
            left = left[(hit >= 0) & ~found[left]]
        return found

    def _through(self, places: np.ndarray, way: np.ndarray) -> np.ndarray:
        """How far (n,) it is from walls through bodies to the wall behind which there is water, infinity where none faces them."""
        found, total = np.full(len(places), np.inf), np.zeros(len(places))
        depth = np.ones(len(places), np.int64)
        left = np.arange(len(places))
        for _ in range(MOST_WALLS):
            if not len(left):
                break
            at = places[left] + total[left, None] * way[left]
            far, hit = self.tree.seen(at, way[left], self.reach)
            rising = self._rising(hit, way[left])
            depth[left] -= rising
            total[left] += np.where(hit >= 0, far, 0.0)
            out = (hit < 0) | (rising == 0) | (depth[left] <= 0)
            ends = left[out]
            found[ends] = self._if_facing(np.where(hit >= 0, total[left], np.inf)[out], hit[out], way[ends])
            # what begins again within a touch is the same part
            behind = np.nonzero(out & (hit >= 0) & (rising > 0))[0]
            near, next_wall = self.tree.seen(
                places[left[behind]] + total[left[behind], None] * way[left[behind]], way[left[behind]], self.touching
            )
            on = behind[self._rising(next_wall, way[left[behind]]) < 0]
            total[left[on]] += near[self._rising(next_wall, way[left[behind]]) < 0]
            depth[left[on]] = 1
            found[left[on]] = np.inf
            left = np.concatenate([left[~out], left[on]])
        return np.where(found <= self.reach, found, np.inf)


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
