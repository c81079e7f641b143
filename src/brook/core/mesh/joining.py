"""Loops of cut boxes: closing them, parting bent ones, joining small ones to neighbours, straightening walls."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

SMALL = 0.4  # of the whole box
CORNER = np.radians(20.0)  # a wall that turns more than this within a cell keeps its corner
BEND = np.radians(40.0)
ASKEW = np.radians(65.0)
TIPS = 4  # inward corners of a bent cell from which it may be parted

Place = Callable[[int], tuple[float, float]]
Box = tuple[int, int]


@dataclass
class Loop:
    """A cell as a closed anticlockwise line of nodes; `patches[k]` is that of the edge from node k on, -1 inside."""

    nodes: list[int]
    patches: list[int]
    area: float

    @classmethod
    def all_of(cls, edges: list[tuple[int, int, int]], place: Place) -> list[Loop]:
        """The loops that directed edges close to, fluid on their left. Raises `ValueError` when they do not close."""
        out: dict[int, list[tuple[int, int]]] = defaultdict(list)
        for a, b, patch in edges:
            out[a].append((b, patch))
        loops = []
        while out:
            start = next(iter(out))
            nodes, patches = [start], []
            while True:
                ways = out.get(nodes[-1])
                if not ways:
                    raise ValueError("the boundary does not close within a cell")
                k = 0 if len(ways) == 1 else _leftmost(nodes, [w[0] for w in ways], place)
                to, patch = ways.pop(k)
                if not ways:
                    del out[nodes[-1]]
                patches.append(patch)
                if to == start:
                    break
                nodes.append(to)
            area = area_of(nodes, place)
            if len(nodes) > 2:
                loops.append(cls(nodes, patches, area))
        return loops

    def edges(self) -> list[tuple[int, int, int]]:
        """Both ends of each edge, and its patch."""
        return [(a, self.nodes[(k + 1) % len(self.nodes)], self.patches[k]) for k, a in enumerate(self.nodes)]


Owned = tuple[Box, Loop]
Holders = dict[tuple[int, int], Owned]


def area_of(nodes: list[int], place: Place) -> float:
    """Area of a loop in m², negative when it runs clockwise."""
    at = np.array([place(n) for n in nodes])
    at = at - at[0]
    after = np.roll(at, -1, axis=0)
    return float(np.sum(at[:, 0] * after[:, 1] - at[:, 1] * after[:, 0]) / 2)


def centroid_of(nodes: list[int], place: Place) -> np.ndarray:
    """Centroid (2,) of a loop in m."""
    at = np.array([place(n) for n in nodes])
    origin = at[0].copy()
    at = at - origin
    after = np.roll(at, -1, axis=0)
    cross = at[:, 0] * after[:, 1] - at[:, 1] * after[:, 0]
    return origin + ((at + after) * cross[:, None]).sum(axis=0) / (3 * cross.sum())


def _leftmost(nodes: list[int], ways: list[int], place: Place) -> int:
    """Where several edges go on, the one that turns left most: loops that touch at a point stay apart."""
    here = np.array(place(nodes[-1]))
    come = here - np.array(place(nodes[-2])) if len(nodes) > 1 else np.array([1.0, 0.0])
    turns = []
    for way in ways:
        go = np.array(place(way)) - here
        turns.append(np.arctan2(come[0] * go[1] - come[1] * go[0], come @ go))
    return int(np.argmax(turns))


def join_small(loops: dict[Box, list[Loop]], box_area: dict[Box, float], place: Place) -> None:
    """Joins every cell that is much smaller than its box to the neighbour with the longest common edge."""
    holder = _holders(loops)
    small = sorted(
        ((loop.area / box_area[box], box, k) for box, of in loops.items() for k, loop in enumerate(of)),
    )
    waiting = [(box, loops[box][k]) for share, box, k in small if share < SMALL]
    for box, loop in waiting:
        if not any(loop is other for other in loops[box]) or loop.area >= SMALL * box_area[box]:
            continue
        common: dict[int, float] = defaultdict(float)
        found: dict[int, tuple[Box, Loop]] = {}
        for a, b, patch in loop.edges():
            if patch < 0 and (b, a) in holder:
                there, other = holder[b, a]
                common[id(other)] += float(np.hypot(*np.subtract(place(b), place(a))))
                found[id(other)] = (there, other)
        for key in sorted(common, key=lambda k: -common[k]):
            if _join(loops, holder, (box, loop), found[key], place):
                break


def join_askew(loops: dict[Box, list[Loop]], place: Place) -> None:
    """Joins cells whose centroids lie so that the line between them hardly goes through their common edge."""
    while _join_askew_once(loops, place):
        pass


def _join_askew_once(loops: dict[Box, list[Loop]], place: Place) -> bool:
    joined = False
    holder = _holders(loops)
    for one, other in _askew(holder, place):
        joined |= _join(loops, holder, one, other, place)
    return joined


def part_bent(loops: dict[Box, list[Loop]], place: Place) -> bool:
    """Parts cells that still meet others so and lie round the tip of something, so that none of their corners sees all
    of them; gives whether there are any."""
    found = False
    for one, other in _askew(_holders(loops), place):
        for box, loop in (one, other):
            if any(loop is of for of in loops[box]) and fan_start(loop.nodes, place) is None:
                parts = _parted(loop, place)
                if parts is not None:
                    loops[box] = [of for of in loops[box] if of is not loop] + list(parts)
                    found = True
    return found


def _parted(loop: Loop, place: Place) -> tuple[Loop, Loop] | None:
    """A loop in two along the line from one of its sharpest inward corners that leaves the smaller part largest."""
    count = len(loop.nodes)
    at = np.array([place(n) for n in loop.nodes])
    go = np.roll(at, -1, axis=0) - at
    come = np.roll(go, 1, axis=0)
    turn = np.arctan2(come[:, 0] * go[:, 1] - come[:, 1] * go[:, 0], (come * go).sum(axis=1))
    best, best_area = None, 0.0
    for start in [int(k) for k in np.argsort(turn)[:TIPS] if turn[k] < 0]:
        nodes = loop.nodes[start:] + loop.nodes[:start]
        patches = loop.patches[start:] + loop.patches[:start]
        for cut in range(2, count - 1):
            halves = (
                (nodes[: cut + 1], [*patches[:cut], -1]),
                ([nodes[0], *nodes[cut:]], [-1, *patches[cut:]]),
            )
            areas = [area_of(of, place) for of, _ in halves]
            if min(areas) > best_area and all(fan_start(of, place) is not None for of, _ in halves):
                first, second = (Loop(*half, area) for half, area in zip(halves, areas, strict=True))
                best, best_area = (first, second), min(areas)
    return best


def _askew(holder: Holders, place: Place) -> Iterator[tuple[Owned, Owned]]:
    """Cells on both sides of edges that the line between their centroids hardly goes through, as they are by then."""
    for (a, b), (box, loop) in list(holder.items()):
        if (b, a) not in holder or holder[a, b][1] is not loop:
            continue
        there, other = holder[b, a]
        if other is loop or (a, b) > (b, a):
            continue
        line = np.subtract(centroid_of(other.nodes, place), centroid_of(loop.nodes, place))
        run = np.subtract(place(b), place(a))
        outward = np.array([run[1], -run[0]])
        if outward @ line < np.cos(ASKEW) * np.hypot(*outward) * np.hypot(*line):
            yield (box, loop), (there, other)


def _holders(loops: dict[Box, list[Loop]]) -> Holders:
    return {(a, b): (box, loop) for box, of in loops.items() for loop in of for a, b, p in loop.edges() if p < 0}


def _join(
    loops: dict[Box, list[Loop]], holder: Holders, one: tuple[Box, Loop], other: tuple[Box, Loop], place: Place
) -> bool:
    """Makes one cell part of another, unless they cannot be one."""
    joined = _joined(one[1], other[1], place)
    if joined is None:
        return False
    for a, b, patch in one[1].edges():
        if patch < 0:
            holder[a, b] = other
    keeper = other[1]
    keeper.nodes, keeper.patches, keeper.area = joined.nodes, joined.patches, joined.area
    loops[one[0]] = [k for k in loops[one[0]] if k is not one[1]]
    return True


def _joined(one: Loop, other: Loop, place: Place) -> Loop | None:
    """Two loops as one, None when that would not be one simple cell."""
    theirs = {(a, b) for a, b, p in other.edges() if p < 0}
    common = {(a, b) for a, b, p in one.edges() if p < 0 and (b, a) in theirs}
    rest = [e for e in one.edges() if (e[0], e[1]) not in common]
    rest += [e for e in other.edges() if (e[1], e[0]) not in common]
    starts = [a for a, _, _ in rest]
    if len(set(starts)) != len(starts):
        return None
    try:
        made = Loop.all_of(rest, place)
    except ValueError:
        return None
    return made[0] if len(made) == 1 and fan_start(made[0].nodes, place) is not None else None


def fan_start(nodes: list[int], place: Place) -> int | None:
    """The corner from which triangles to all other corners cover the loop best, None if none does.

    A triangle may be turned when it is less than a thousandth of the loop: nobody could see it.
    """
    at = np.array([place(n) for n in nodes])
    best, best_area = None, -2e-3 * abs(area_of(nodes, place))
    for k in range(len(nodes)):
        turned = np.roll(at, -k, axis=0) - at[k]
        areas = turned[1:-1, 0] * turned[2:, 1] - turned[1:-1, 1] * turned[2:, 0]
        if areas.min() > best_area:
            best, best_area = k, float(areas.min())
    return best


def straighten(loops: dict[Box, list[Loop]], place: Place, first: int) -> None:
    """Drops nodes of walls that only one cell has, while the wall hardly turns there; turns loops for drawing.

    Nodes before `first` are those of the lines, which cells elsewhere may have too; they stay.
    """
    uses: dict[int, int] = defaultdict(int)
    for of in loops.values():
        for loop in of:
            for node in loop.nodes:
                uses[node] += 1 if node >= first else 2
    for of in loops.values():
        for loop in of:
            _straighten(loop, uses, place)
            start = fan_start(loop.nodes, place)
            if start:
                loop.nodes = loop.nodes[start:] + loop.nodes[:start]
                loop.patches = loop.patches[start:] + loop.patches[:start]


def _straighten(loop: Loop, uses: dict[int, int], place: Place) -> None:
    count = len(loop.nodes)
    at = np.array([place(n) for n in loop.nodes])
    heading = np.arctan2(*(np.roll(at, -1, axis=0) - at).T[::-1])
    turn = (heading - np.roll(heading, 1) + np.pi) % (2 * np.pi) - np.pi
    keep, bend = [True] * count, 0.0
    for k in range(count):
        wall = loop.patches[k] >= 0 and loop.patches[k - 1] == loop.patches[k]
        bend += turn[k]
        if wall and uses[loop.nodes[k]] == 1 and abs(turn[k]) < CORNER and abs(bend) < BEND and sum(keep) > 3:
            keep[k] = False
        else:
            bend = 0.0
    loop.nodes = [n for n, kept in zip(loop.nodes, keep, strict=True) if kept]
    loop.patches = [p for p, kept in zip(loop.patches, keep, strict=True) if kept]
    loop.area = area_of(loop.nodes, place)
