"""Wall layers of a fitted mesh: its walls are drawn back as far as all cells stay sound, and the room is filled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from brook.core.mesh.assembling import Polygons
from brook.core.mesh.boxes.core import Core
from brook.core.mesh.boxes.layers import kernels
from brook.core.mesh.boxes.links import links_of, pairs_of
from brook.core.mesh.boxes.skin import Features
from brook.core.mesh.boxes.skin import kernels as checks

RINGS, SPREADS = 6, 12
DEEPEST = 2.0
SLOPE = 0.4  # by which thickness may change along the wall
ROUNDS, BACK = 36, 0.8
WIDER, PATIENCE = 9, 14  # rounds after which more points around give way, and blames after which a point gets no layers
DROPPED = 0.04  # of the wanted thickness: what would be thinner is left out
LEAST_SEEN = 0.15  # cosine to the flattest side: walls that bend more get no layer at the bend
FULL_SEEN = 0.5


@dataclass(frozen=True)
class Layers:
    """Layers of cells along walls: how many, the height of the first in m, and how much higher each next one is."""

    patches: tuple[str, ...]
    count: int
    first: float
    growth: float = 1.2

    @property
    def heights(self) -> np.ndarray:
        """Of each layer (n,) from the wall on, in m."""
        return self.first * self.growth ** np.arange(self.count)

    @property
    def total(self) -> float:
        """Of all together, in m."""
        return float(self.heights.sum())


@dataclass(eq=False)
class _Walls:
    """The skin as polygons, which of them get layers, the points there, and where these may go."""

    core: Core
    flat: np.ndarray
    offsets: np.ndarray
    owner: np.ndarray
    layered: np.ndarray
    points: np.ndarray
    number: np.ndarray
    hold: np.ndarray
    direction: np.ndarray
    seen: np.ndarray
    links: tuple[np.ndarray, np.ndarray]
    rim_other: np.ndarray
    root: np.ndarray
    free: np.ndarray
    still: np.ndarray

    @classmethod
    def of(cls, core: Core, layered: np.ndarray, still: np.ndarray) -> _Walls:
        flat, offsets, owner = core.skin
        normal, _ = kernels.polygon_normals(core.points, flat, offsets)
        count = len(core.points)
        start, faces = kernels.faces_round(flat, offsets, layered, count)
        other_start, others = kernels.faces_round(flat, offsets, ~layered, count)
        hold = kernels.held(other_start, others, normal)
        points = np.nonzero(np.diff(start))[0]
        number = np.full(count, -1, np.int64)
        number[points] = np.arange(len(points))
        direction, seen = kernels.directions(points, start, faces, normal, hold)
        links = _links_within(flat, offsets, layered, number, len(points))
        kernels.evened(direction, seen, points, start, faces, normal, hold, links[0], links[1], 6)
        rim_other = kernels.over_edges(flat, offsets, count)
        every = core.links
        root, ring = kernels.rings(every.indptr, every.indices, points, number, RINGS)
        stays = np.zeros(count, bool)
        stays[flat[np.repeat(still & ~layered, np.diff(offsets))]] = True
        free = np.nonzero((ring > 0) & ~stays)[0]
        free = free[np.argsort(ring[free], kind="stable")]
        return cls(
            core, flat, offsets, owner, layered, points, number, hold, direction, seen, links, rim_other, root, free,
            stays[points],
        )  # fmt: skip

    def thickness(self, total: float) -> np.ndarray:
        """How far each point (n,) is to be drawn back: more where it leaves its sides at an angle, none where it cannot."""
        size = np.full(len(self.core.points), np.inf)
        np.minimum.at(size, self.flat, np.repeat(self.core.size[self.owner], np.diff(self.offsets)))
        wanted = np.minimum(total, DEEPEST * size[self.points])
        wanted /= np.maximum(self.seen, FULL_SEEN)
        wanted[(self.seen < LEAST_SEEN) | self.still] = 0.0
        return wanted

    def blamed(self, cells: np.ndarray, wider: int) -> np.ndarray:
        """Which of the points at walls (n,) are behind the moves of marked cells (C,), and some rings around these."""
        core = self.core
        touched = checks.points_of(cells, core.flat, core.offsets, core.owner, core.neighbour, len(core.points))
        found = np.zeros(len(self.points), bool)
        found[self.root[touched & (self.root >= 0)]] = True
        for _ in range(wider):
            start, link = self.links
            found[link[np.repeat(found, np.diff(start))]] = True
        return found

    def even(self, thickness: np.ndarray, slope: float = SLOPE) -> np.ndarray:
        found = thickness.copy()
        kernels.gently(found, self.core.points[self.points], *self.links, slope)
        return found


def _links_within(
    flat: np.ndarray, offsets: np.ndarray, chosen: np.ndarray, number: np.ndarray, count: int
) -> tuple[np.ndarray, np.ndarray]:
    """Which points are joined by an edge of the chosen polygons, as CSR over their numbers."""
    part = Polygons(flat, offsets).part(np.nonzero(chosen)[0])
    links = links_of(number[part.flat], part.offsets, count)
    return links.indptr.astype(np.int64), links.indices.astype(np.int64)


def grow(
    core: Core, features: Features, layers: Layers, tell: Callable[[str], None] = lambda _: None,
    still: np.ndarray | None = None,
) -> Core:  # fmt: skip
    """The same space with layers of cells along walls; thinner where there is no room, none where walls bend too much.

    Points of skin faces marked in `still` (skin faces,) stay where they are: another body has them too.
    Where cells would be unsound layers are made thinner, and the points within follow once more, until all are sound.
    """
    names = features.surface.patches
    wanted = np.array([name in layers.patches for name in names], bool)
    layered = wanted[features.patch[core.label]]
    if not layered.any():
        return core
    tell("looking along walls")
    walls = _Walls.of(core, layered, np.zeros(len(layered), bool) if still is None else still)
    thickness = walls.even(walls.thickness(layers.total))
    level = np.concatenate([[0.0], np.cumsum(layers.heights)]) / layers.total
    blames = np.zeros(len(thickness), np.int64)
    for turn in range(ROUNDS + 12):
        whole = turn >= ROUNDS // 2  # what all layers need beyond one thick one shows only once these stand
        tell(f"making room for layers, round {turn + 1}")
        made, bad, parents = _tried(walls, features, thickness, level if whole else level[[0, -1]])
        if not bad.any() and not whole:
            made, bad, parents = _tried(walls, features, thickness, level)
        if not bad.any():
            return made.sorted(parents)[0]
        of_core = [_of_core(bad == k, parents, len(core.size)) for k in (1, 2)]
        # thinner layers help against sides that turn over, but not where cells miss each other: there none stand
        unsound, askew = walls.blamed(of_core[0], 0), walls.blamed(of_core[1], 0)
        blames += unsound + 2 * askew
        thickness[walls.blamed(of_core[0], turn // WIDER) | askew] *= BACK if turn < ROUNDS else 0.0
        thickness[(blames > PATIENCE) & (unsound | askew)] = 0.0
        thickness[thickness < DROPPED * layers.total] = 0.0
        if not thickness.any():
            break
        thickness = walls.even(thickness, SLOPE * max(0.25, 1 - turn / ROUNDS))
    return core


def _of_core(bad: np.ndarray, parents: np.ndarray, count: int) -> np.ndarray:
    found = np.zeros(count, bool)
    found[parents[bad]] = True
    return found


def _tried(
    walls: _Walls, features: Features, thickness: np.ndarray, level: np.ndarray
) -> tuple[Core, np.ndarray, np.ndarray]:
    """The mesh with layers of a thickness (n,), what its cells are judged, and the core's cell that each is at."""
    points = walls.core.points + _spread(walls, features, thickness)
    made, parents = _filled(walls, points, thickness > 0, level)
    return made, made.judged(), parents


def _spread(walls: _Walls, features: Features, thickness: np.ndarray) -> np.ndarray:
    """Moves (P, 3) of all points when those at walls are drawn back: others follow over some rings, on other sides
    sliding along them."""
    links = walls.core.links
    move = np.zeros_like(walls.core.points)
    move[walls.points] = thickness[:, None] * walls.direction
    holds = np.abs(walls.hold[walls.free]).sum(axis=(1, 2)) > 0
    kernels.spread(move, walls.free, links.indptr, links.indices, walls.hold, holds, SPREADS)
    _onto_sides(walls, features, move, walls.free[holds])
    return move


def _onto_sides(walls: _Walls, features: Features, move: np.ndarray, held: np.ndarray) -> None:
    """Points that slide along a bent side are put back onto it. In place."""
    core = walls.core
    pair, _ = pairs_of(walls.flat, np.repeat(core.label, np.diff(walls.offsets)))
    alone = np.bincount(pair[:, 0], minlength=len(core.points)) == 1
    region = np.full(len(core.points), -1, np.int64)
    region[pair[:, 0]] = pair[:, 1]
    chosen = held[alone[held] & (np.abs(move[held]).sum(axis=1) > 0)]
    if len(chosen):
        before, _ = features.faces.find(core.points[chosen], region[chosen])
        after, _ = features.faces.find(core.points[chosen] + move[chosen], region[chosen])
        move[chosen] = after - before


def _filled(walls: _Walls, points: np.ndarray, kept: np.ndarray, level: np.ndarray) -> tuple[Core, np.ndarray]:
    """The mesh with layers between where walls stood and where they are drawn back to; `level` (layers + 1,) from 0 at
    the wall to 1. Gives with it the cell of the core that each cell stands at (cells,)."""
    core, levels, count = walls.core, len(level) - 1, len(points)
    corner_kept = np.zeros(len(walls.flat), bool)
    at_layers = np.repeat(walls.layered, np.diff(walls.offsets))
    corner_kept[at_layers] = kept[walls.number[walls.flat[at_layers]]]
    some = np.add.reduceat(corner_kept, walls.offsets[:-1])
    state = np.where(some == 0, 0, np.where(some == np.diff(walls.offsets), 2, 1))
    whole = state == 2
    columns = len(walls.points)
    first_cell = len(core.size) + levels * (np.cumsum(whole) - 1)
    flat, starts, inner, outer, like = kernels.extruded(
        walls.flat, walls.offsets, walls.owner, state, walls.number, kept, count, first_cell, walls.rim_other,
        columns, levels,
    )  # fmt: skip
    wall, drawn = core.points[walls.points], points[walls.points]
    every = np.concatenate([points, *((1 - s) * wall + s * drawn for s in level[:-1])])
    stay = np.concatenate([np.ones(core.inner_count, bool), state == 0])
    old_flat, old_starts = _chosen(core.flat, core.offsets, stay)
    parents = np.concatenate([np.arange(len(core.size)), np.repeat(walls.owner[whole], levels)])
    height = np.concatenate([np.zeros(len(core.size), np.int64), np.tile(np.arange(1, levels + 1), int(whole.sum()))])
    _, area = kernels.polygon_normals(core.points, walls.flat, walls.offsets)
    thick = np.linalg.norm(drawn - wall, axis=1)
    mean = np.zeros(len(walls.flat))
    mean[at_layers] = thick[walls.number[walls.flat[at_layers]]]
    mean = np.add.reduceat(mean, walls.offsets[:-1]) / np.diff(walls.offsets)
    steps = np.diff(level)
    size = np.cbrt((area[whole] * mean[whole])[:, None] * steps).ravel()
    neighbour = np.concatenate([core.neighbour[stay], outer])
    label = np.concatenate([np.full(core.inner_count, -1), core.label])[stay]
    made = replace(
        core, points=every, flat=np.concatenate([old_flat, flat]),
        offsets=np.concatenate([old_starts, old_starts[-1] + starts[1:]]),
        owner=np.concatenate([core.owner[stay], inner]), neighbour=neighbour,
        label=np.concatenate([label, np.where(like >= 0, core.label[like], -1)]),
        size=np.concatenate([core.size, size]), layer=height,
    )  # fmt: skip
    return made, parents


def _chosen(flat: np.ndarray, offsets: np.ndarray, chosen: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    length = np.diff(offsets)
    return flat[np.repeat(chosen, length)], np.concatenate([[0], np.cumsum(length[chosen])])
