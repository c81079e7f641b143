"""Wall layers of a fitted mesh: its walls are drawn back as far as all cells stay sound, and the room is filled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from brook.core.mesh.assembling import Polygons
from brook.core.mesh.boxes.core import UNEVEN, Core
from brook.core.mesh.boxes.layers import kernels
from brook.core.mesh.boxes.layers.easing import eased, even_share
from brook.core.mesh.boxes.links import links_of, pairs_of
from brook.core.mesh.boxes.skin import Features
from brook.core.mesh.boxes.skin import kernels as checks

RINGS, SPREADS = 6, 12
DEEPEST = 2.0
SLOPE, LEAST_SLOPE = (
    0.12,
    0.5,
)  # by which thickness may change along the wall, and what share of that in the last rounds
ROUNDS, BACK = 36, 0.8
PATIENCE = 30  # blames after which a point gets no layers
DROPPED = 0.04  # of the wanted thickness: what would be thinner is left out
BESIDE = 4.5  # times as high as the last layer the cell beside it may be, where layers are thinner than wanted
ENOUGH = 0.7  # of the height that the last layer is to have there: what is thinner with all its layers is left out
ASIDE = 0.1  # of a line between two middles that the side between leaves to both, where layers end
THINNER = 0.98  # of the wanted thickness: layers of less may be joined
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


@dataclass(frozen=True)
class _Stacks:
    """Of each group of patches: total (groups,) and top (groups,) of its layers, m; share (groups, levels) of the total that
    each level has, as many as most groups have layers; and the layer that a level belongs to, own (groups, levels)."""

    total: np.ndarray
    top: np.ndarray
    share: np.ndarray
    own: np.ndarray

    @classmethod
    def of(cls, groups: Sequence[Layers]) -> _Stacks:
        levels = max(g.count for g in groups)
        share, own = np.empty((len(groups), levels)), np.empty((len(groups), levels), np.int64)
        for k, group in enumerate(groups):
            own[k] = np.minimum(np.arange(levels), group.count - 1)
            share[k] = group.heights[own[k]] / np.bincount(own[k])[own[k]] / group.total
        top = np.array([g.heights[-1] for g in groups])
        return cls(np.array([g.total for g in groups]), top, share, own)

    @property
    def at(self) -> np.ndarray:
        """Where levels are (groups, levels + 1), from 0 at the wall to 1."""
        return np.concatenate([np.zeros((len(self.share), 1)), np.cumsum(self.share, axis=1)], axis=1)

    def as_one(self) -> _Stacks:
        """The same with one thick cell for all layers of a group."""
        one = np.ones((len(self.total), 1))
        return _Stacks(self.total, self.total, one, np.zeros(one.shape, np.int64))


@dataclass(eq=False)
class _Walls:
    """The skin as polygons, which of them get layers, the points there, and where these may go."""

    core: Core
    flat: np.ndarray
    offsets: np.ndarray
    owner: np.ndarray
    normal: np.ndarray
    area: np.ndarray
    group: np.ndarray
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
    def of(cls, core: Core, group: np.ndarray, still: np.ndarray) -> _Walls:
        flat, offsets, owner = core.skin
        layered = group >= 0
        normal, area = kernels.polygon_normals(core.points, flat, offsets)
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
        root, ring = checks.rings(every.indptr, every.indices, points, number, RINGS)
        stays = np.zeros(count, bool)
        stays[flat[np.repeat(still & ~layered, np.diff(offsets))]] = True
        free = np.nonzero((ring > 0) & ~stays)[0]
        free = free[np.argsort(ring[free], kind="stable")]
        return cls(
            core, flat, offsets, owner, normal, area, group, points, number, hold, direction, seen, links, rim_other, root, free,
            stays[points],
        )  # fmt: skip

    @cached_property
    def layered(self) -> np.ndarray:
        """Which polygons of the skin (n,) get layers."""
        return self.group >= 0

    @cached_property
    def size(self) -> np.ndarray:
        """Of the smallest cell at each of the points (n,), m."""
        size = np.full(len(self.core.points), np.inf)
        np.minimum.at(size, self.flat, np.repeat(self.core.size[self.owner], np.diff(self.offsets)))
        return size[self.points]

    def of_groups(self, values: np.ndarray, least: bool = False) -> np.ndarray:
        """What groups (groups, ...) have at the points (n, ...): the mean, or the least, of the polygons round each."""
        if len(values) == 1:
            return np.repeat(values, len(self.points), axis=0)
        corners = np.repeat(self.layered, np.diff(self.offsets))
        at = self.number[self.flat[corners]]
        mine = values[np.repeat(self.group, np.diff(self.offsets))[corners]]
        if least:
            found = np.full(len(self.points), np.inf)
            np.minimum.at(found, at, mine)
            return found
        found = np.zeros((len(self.points), *values.shape[1:]))
        np.add.at(found, at, mine)
        return found / np.bincount(at, minlength=len(found)).reshape(-1, *[1] * (values.ndim - 1))

    def thickness(self, total: np.ndarray) -> np.ndarray:
        """How far each point (n,) is to be drawn back: more where it leaves its sides at an angle, none where it cannot."""
        wanted = np.minimum(self.of_groups(total, least=True), DEEPEST * self.size)
        wanted /= np.maximum(self.seen, FULL_SEEN)
        wanted[(self.seen < LEAST_SEEN) | self.still] = 0.0
        return wanted

    def aside(self, stacks: _Stacks) -> float:
        """The share of a line between two middles that the side between leaves to both, 1 / (1 + growth): what is asked for may be less."""
        top = self.of_groups(stacks.top)
        return min(ASIDE, 0.5 * float((top / (top + self.size)).min()))

    def means(self, values: np.ndarray) -> np.ndarray:
        """The means (skin faces, ...) over corners of what the points (n, ...) have; 0 where there are no layers."""
        corners = np.repeat(self.layered, np.diff(self.offsets))
        found = np.zeros((len(self.flat), *values.shape[1:]))
        found[corners] = values[self.number[self.flat[corners]]]
        count = np.diff(self.offsets).reshape(-1, *[1] * (values.ndim - 1))
        return np.add.reduceat(found, self.offsets[:-1], axis=0) / count

    def over(self, points: np.ndarray) -> np.ndarray:
        """How high (skin faces,) the cells stand over walls whose points, and all others, are drawn back to (P, 3), m."""
        core = self.core
        middle = checks.middles(points, core.flat, core.offsets, core.owner, core.neighbour, len(core.size))
        way = self.means(points[self.points]) - middle[self.owner]
        return 2 * np.abs((way * self.normal).sum(axis=1))

    def blamed(self, cells: np.ndarray) -> np.ndarray:
        """Which of the points at walls (n,) are behind the moves of marked cells (C,)."""
        core = self.core
        touched = checks.points_of(cells, core.flat, core.offsets, core.owner, core.neighbour, len(core.points))
        found = np.zeros(len(self.points), bool)
        found[self.root[touched & (self.root >= 0)]] = True
        return found

    def even(self, thickness: np.ndarray, slope: float) -> np.ndarray:
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
    core: Core, features: Features, groups: Sequence[Layers], tell: Callable[[str], None] = lambda _: None,
    still: np.ndarray | None = None,
) -> Core:  # fmt: skip
    """The same space with layers of cells along walls; thinner and fewer where there is no room, none where walls bend too much.

    Each group has patches of its own. Points of skin faces marked in `still` (skin faces,) stay where they are: another body
    has them too. Where cells would be unsound layers are made thinner, and the points within follow once more, until all are sound.
    """
    names = features.surface.patches
    of_patch = np.array([next((k for k, g in enumerate(groups) if name in g.patches), -1) for name in names])
    group = of_patch[features.patch[core.label]]
    if not (group >= 0).any():
        return core
    tell("looking along walls")
    walls = _Walls.of(core, group, np.zeros(len(group), bool) if still is None else still)
    stacks = _Stacks.of(groups)
    wanted = walls.thickness(stacks.total)
    thickness = walls.even(wanted, SLOPE)
    least = np.maximum(
        DROPPED * walls.of_groups(stacks.total), ENOUGH * np.minimum(walls.size / BESIDE, walls.of_groups(stacks.top))
    )
    blames, aside = np.zeros(len(thickness), np.int64), walls.aside(stacks)
    points, before = np.empty(0), np.empty(0)
    # first one thick cell a column, then without those too thin, then all layers: what these need shows only once they stand
    slope, ending, whole = SLOPE, False, False
    for turn in range(ROUNDS + 12):
        tell(f"making room for layers, round {turn + 1}")
        if not np.array_equal(thickness, before):
            points, before = core.points + _spread(walls, features, thickness), thickness.copy()
        made, parents, asked = _filled(walls, points, thickness, wanted, stacks if whole else stacks.as_one())
        even = even_share(asked)
        bad = made.judged(aside, even)
        uneven = bad == UNEVEN
        bad[uneven] = 0
        if whole and not bad.any():
            return eased(made, uneven, even, aside, tell).sorted(parents)[0]
        if not bad.any():
            whole, ending = ending or not ((thickness > 0) & (thickness < least)).any(), True
        elif turn + 1 >= ROUNDS // 2:
            whole, ending = True, True
        of_core = [_of_core(bad == k, parents, len(core.size)) for k in (1, 2)]
        # thinner layers help against sides that turn over, but not where cells miss each other: there none stand
        unsound, askew = walls.blamed(of_core[0]), walls.blamed(of_core[1])
        blames += unsound + 2 * askew
        thickness[unsound | askew] *= BACK if turn < ROUNDS else 0.0
        thickness[(blames > PATIENCE) & (unsound | askew)] = 0.0
        thickness[thickness < (least if ending else DROPPED * wanted)] = 0.0
        if not thickness.any():
            break
        slope = SLOPE * max(LEAST_SLOPE, 1 - turn / ROUNDS) if bad.any() else slope
        even = walls.even(thickness, slope)
        thickness = np.maximum(even, np.minimum(thickness, least))  # what ends there takes nothing with it
    return core


def _of_core(bad: np.ndarray, parents: np.ndarray, count: int) -> np.ndarray:
    found = np.zeros(count, bool)
    found[parents[bad]] = True
    return found


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


def _columns(
    walls: _Walls, points: np.ndarray, thickness: np.ndarray, wanted: np.ndarray, whole: np.ndarray, stacks: _Stacks
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """How high columns over the skin's polygons are (n,), m, which cell of its column each level is of (n, levels), how
    many cells each has (n,), none but on the `whole` ones, and which (n,) are thinner than wanted.

    Where they are thinner than wanted they are joined from the outermost on, until the cell beside the last is no more than BESIDE
    times as high, or as it would have been.
    """
    thick = walls.means(np.linalg.norm(points[walls.points] - walls.core.points[walls.points], axis=1))
    share = thick / np.maximum(walls.means(wanted), 1e-300)
    thinner = whole & (share < THINNER)
    target = np.zeros(len(thick))
    if thinner.any() and stacks.share.shape[1] > 1:
        target[thinner] = np.minimum(walls.over(points) / BESIDE, stacks.top[walls.group])[thinner]
    part, cells = kernels.joined(thick, target, np.maximum(walls.group, 0), stacks.share, stacks.own)
    return thick, part, np.where(whole, cells, 0), thinner


def _filled(
    walls: _Walls, points: np.ndarray, thickness: np.ndarray, wanted: np.ndarray, stacks: _Stacks
) -> tuple[Core, np.ndarray, np.ndarray]:
    """The mesh with layers between where walls stood and where they are drawn back to, `points`. Gives with it the cell of the
    core that each cell stands at (cells,), and the growth that statements ask for beside the last layer (cells,): 0 but in columns as
    thick as wanted."""
    core, kept = walls.core, thickness > 0
    corner_kept = np.zeros(len(walls.flat), bool)
    at_layers = np.repeat(walls.layered, np.diff(walls.offsets))
    corner_kept[at_layers] = kept[walls.number[walls.flat[at_layers]]]
    some = np.add.reduceat(corner_kept, walls.offsets[:-1])
    state = np.where(some == 0, 0, np.where(some == np.diff(walls.offsets), 2, 1))
    whole = state == 2
    thick, part, cells, thinner = _columns(walls, points, thickness, wanted, whole, stacks)
    first_cell = len(core.size) + np.cumsum(cells) - cells
    flat, starts, inner, outer, like = kernels.extruded(
        walls.flat, walls.offsets, walls.owner, state, walls.number, kept, len(points), first_cell, part,
        walls.rim_other, len(walls.points),
    )  # fmt: skip
    wall, drawn = core.points[walls.points], points[walls.points]
    at = walls.of_groups(stacks.at)
    every = np.concatenate([points, *((1 - s[:, None]) * wall + s[:, None] * drawn for s in at.T[:-1])])
    stay = np.concatenate([np.ones(core.inner_count, bool), state == 0])
    every_flat, every_starts = kernels.kept_and(core.flat, core.offsets, stay, flat, starts)
    parents = np.concatenate([np.arange(len(core.size)), np.repeat(walls.owner, cells)])
    count = np.cumsum(cells)
    height = np.concatenate(
        [np.zeros(len(core.size), np.int64), np.arange(count[-1]) - np.repeat(count - cells, cells) + 1]
    )
    share = np.bincount(
        (first_cell[whole, None] - len(core.size) + part[whole]).ravel(),
        weights=stacks.share[walls.group[whole]].ravel(), minlength=count[-1],
    )  # fmt: skip
    size = np.cbrt(np.repeat(walls.area * thick, cells) * share)
    neighbour = np.concatenate([core.neighbour[stay], outer])
    label = np.concatenate([np.full(core.inner_count, -1), core.label])[stay]
    made = replace(
        core, points=every, flat=every_flat, offsets=every_starts,
        owner=np.concatenate([core.owner[stay], inner]), neighbour=neighbour,
        label=np.concatenate([label, np.where(like >= 0, core.label[like], -1)]),
        size=np.concatenate([core.size, size]), layer=height,
    )  # fmt: skip
    asked = np.where(whole & ~thinner, core.size[walls.owner] / stacks.top[np.maximum(walls.group, 0)], 0.0)
    return made, parents, np.concatenate([np.zeros(len(core.size)), np.repeat(asked, cells)])
