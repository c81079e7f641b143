"""Neighbours made more alike where layers end: points within move as long as the worst sides round them get no worse.

The line between two middles crosses their side at a share s of its way; growth there is (1 − r) / r with r = min(s, 1 − s).
Where it is over a limit the points of the side move along its normal until r is what is wished for, then those of both cells at
random. Half of a move, a quarter and none of it are tried while a cell round it is unsound, or has a side that is over the
limit and worse than the worst was there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from brook.core.mesh.boxes.core import Core
from brook.core.mesh.boxes.skin import kernels
from brook.core.mesh.kernels import chosen_faces, face_measures
from brook.core.mesh.polyhedral import Mesh

LIMIT = 4.6  # growth over which points are moved
ASKED = 1.1  # times the growth that statements ask for beside the last layer is nothing to mend
WISH = 0.9  # of the limit: until growth is this
STEEP = 73.0  # degrees between a side's normal and the line of the middles: what is over gets no worse
TURNS, STRAIGHT = 60, 5  # the first of them along normals, the others at random
TOGETHER = 4  # turns until what is left is taken out anew
RANDOM = 0.3  # of a cell's size, at most
HALVED, TRIES = 3, 30
NONE = np.zeros(0, np.int64)


def even_share(asked: np.ndarray) -> np.ndarray:
    """The share of a line between two middles that cells (C,) are to leave on both sides of the side between: that at growth of
    LIMIT, or less where statements ask for a growth (C,) over it."""
    return 1 / (1 + np.maximum(LIMIT, ASKED * asked))


def eased(
    made: Core, uneven: np.ndarray, even: np.ndarray, aside: float, tell: Callable[[str], None] = lambda _: None
) -> Core:
    """The same cells, sound as they were, with points within moved until no side is nearer to a middle than both cells' `even` (C,)
    where that can be had. `uneven` (C,) marks cells that have such sides; `aside` as for `judged`.
    """
    points, chance = made.points.copy(), np.random.default_rng(len(made.points))
    part = _Part.near(made, uneven, even)
    for turn in range(TURNS):
        if not len(part.worst.sides):
            break
        if turn % TOGETHER == 0:
            tell(f"evening out where layers end, round {turn // TOGETHER + 1}")
        moved = part.of_sides() if turn < STRAIGHT else part
        moved.move(turn < STRAIGHT, aside, chance)
        points[moved.points] = moved.core.points
        if moved is not part:
            part = part.at(points)
        if moved is not part or turn % TOGETHER == 0:
            part = part.of_cells()
    return replace(made, points=points)


@dataclass(frozen=True, eq=False)
class _Worst:
    """Sides within a mesh that are over the limit (n,): their numbers, unit normals (n, 3) from the nearer middle to the
    farther one, how far (n,) they are to go that way, m; of each cell (C,) the growth of the worst, 0 where there is none; and the
    angle (C,) between a side's normal and the line, in degrees, where it is over STEEP."""

    sides: np.ndarray
    normal: np.ndarray
    way: np.ndarray
    of_cell: np.ndarray
    steep: np.ndarray

    @classmethod
    def of(cls, core: Core, even: np.ndarray, complete: np.ndarray) -> _Worst:
        """Those of complete cells (C,) that are nearer to a middle than both cells' `even` (C,)."""
        n, body = core.inner_count, np.zeros(len(core.size), np.int64)
        mesh = Mesh(core.points.view(), core.flat, core.offsets, core.owner, core.neighbour[:n], (), ("",), body)
        one, other, vector = mesh.owner[:n], mesh.neighbour, mesh.face_vector
        centre = mesh.centres_with_cells()
        middle = mesh.centre
        angle, _, growth = face_measures(mesh.owner, other, vector, centre[:n], middle, 0.0)
        steep, over = np.zeros(len(core.size)), angle > STEEP
        np.maximum.at(steep, np.concatenate([one[over], other[over]]), np.tile(angle[over], 2))
        most = 1 / np.minimum(even[one], even[other]) - 1
        sides = np.nonzero((growth > most) & (complete[one] | complete[other]))[0]
        one, other, growth = one[sides], other[sides], growth[sides]
        normal = vector[sides] / np.linalg.norm(vector[sides], axis=1)[:, None]
        near = ((centre[sides] - middle[one]) * normal).sum(axis=1)
        far = ((middle[other] - centre[sides]) * normal).sum(axis=1)
        of_cell = np.zeros(len(core.size))
        np.maximum.at(of_cell, np.concatenate([one, other]), np.tile(growth, 2))
        way = (near + far) / (1 + WISH * most[sides]) - np.minimum(near, far)
        return cls(sides, normal * np.sign(far - near)[:, None], way, of_cell, steep)


@dataclass(eq=False)
class _Part:
    """Cells round some of a mesh, as a mesh of their own: which points of the whole it has, which of its cells (n,) are complete
    with their neighbours, the share even for them (n,), and which points (n,) may move."""

    core: Core
    points: np.ndarray
    complete: np.ndarray
    even: np.ndarray
    free: np.ndarray
    worst: _Worst

    @classmethod
    def near(cls, whole: Core, chosen: np.ndarray, even: np.ndarray) -> _Part:
        """What it takes to move the points of chosen cells (C,) that are not on the skin."""
        free = kernels.points_of(chosen, whole.flat, whole.offsets, whole.owner, whole.neighbour, len(whole.points))
        free[whole.flat[np.repeat(whole.neighbour < 0, np.diff(whole.offsets))]] = False
        return cls._to_move(whole, free, even)

    @classmethod
    def _to_move(cls, whole: Core, free: np.ndarray, even: np.ndarray) -> _Part:
        """What it takes to move some points (P,)."""
        touched = np.logical_or.reduceat(free[whole.flat], whole.offsets[:-1])
        complete = np.zeros(len(whole.size), bool)
        complete[whole.owner[touched]] = True
        complete[whole.neighbour[touched & (whole.neighbour >= 0)]] = True
        faces = kernels.faces_near(whole.owner, whole.neighbour, complete)
        faces = faces[np.argsort(whole.neighbour[faces] < 0, kind="stable")]
        flat, offsets = chosen_faces(whole.flat, whole.offsets, faces, np.zeros(len(whole.owner), bool))
        neighbour = whole.neighbour[faces]
        points, flat = _numbered(flat, len(whole.points))
        cells, both = _numbered(np.concatenate([whole.owner[faces], neighbour[neighbour >= 0]]), len(whole.size))
        neighbour[neighbour >= 0] = both[len(faces) :]
        core = Core(
            whole.points[points],
            flat,
            offsets,
            both[: len(faces)],
            neighbour,
            NONE,
            whole.size[cells],
            whole.layer[cells],
        )
        even, complete = even[cells], complete[cells]
        return cls(core, points, complete, even, free[points], _Worst.of(core, even, complete))

    def _within(self, free: np.ndarray) -> _Part:
        found = _Part._to_move(self.core, free & self.free, self.even)
        return replace(found, points=self.points[found.points])

    def of_cells(self) -> _Part:
        """What it takes to move points of cells with a side over the limit."""
        core = self.core
        marked = self.worst.of_cell > 0
        return self._within(
            kernels.points_of(marked, core.flat, core.offsets, core.owner, core.neighbour, len(core.points))
        )

    def of_sides(self) -> _Part:
        """What it takes to move points of such sides alone."""
        core, free = self.core, np.zeros(len(self.core.points), bool)
        free[chosen_faces(core.flat, core.offsets, self.worst.sides, np.zeros(len(core.owner), bool))[0]] = True
        return self._within(free)

    def at(self, points: np.ndarray) -> _Part:
        """The same with the points of the whole where they are now."""
        core = replace(self.core, points=points[self.points])
        return replace(self, core=core, worst=_Worst.of(core, self.even, self.complete))

    def move(self, straight: bool, aside: float, chance: np.random.Generator) -> None:
        """Moves points once, as far as that does good."""
        before = [self._at_points(what) for what in (self.worst.of_cell, self.worst.steep)]
        move = self._straight() if straight else self._random(chance)
        move[~self.free] = 0.0
        share, moved, start = np.ones(len(move)), move.any(axis=1), self.core.points
        for step in range(TRIES):
            core = replace(self.core, points=start + share[:, None] * move)
            worst = _Worst.of(core, self.even, self.complete)
            after = [self._at_points(what) for what in (worst.of_cell, worst.steep)]
            back = moved & (share > 0) & ((after[0] > before[0]) | (after[1] > before[1]))
            if not back.any():
                back = moved & (share > 0) & (self._at_points(core.judged(aside)) > 0)
            if not back.any():
                self.core, self.worst = core, worst
                return
            share[back] *= 0.5 if straight and step < HALVED else 0.0

    def _at_points(self, of_cell: np.ndarray) -> np.ndarray:
        """The largest value at each point (P,) of what the cells round it have (C,), those that are complete."""
        core, values = self.core, np.where(self.complete, of_cell, 0)
        beside = np.where(core.neighbour >= 0, values[core.neighbour], 0)
        found = np.zeros(len(core.points), values.dtype)
        np.maximum.at(found, core.flat, np.repeat(np.maximum(values[core.owner], beside), np.diff(core.offsets)))
        return found

    def _straight(self) -> np.ndarray:
        core, worst = self.core, self.worst
        counts = np.diff(core.offsets)
        side = np.full(len(counts), -1)
        side[worst.sides] = np.arange(len(worst.sides))
        mine = np.repeat(side, counts)
        at, mine = core.flat[mine >= 0], mine[mine >= 0]
        move, many = np.zeros_like(core.points), np.zeros(len(core.points))
        np.add.at(move, at, (worst.normal * worst.way[:, None])[mine])
        np.add.at(many, at, 1.0)
        return move / np.maximum(many, 1)[:, None]

    def _random(self, chance: np.random.Generator) -> np.ndarray:
        """A move of one point of each cell with a side over the limit."""
        core, counts = self.core, np.diff(self.core.offsets)
        drawn = np.where(self.free, chance.random(len(core.points)), 0.0)
        size, best = np.full(len(core.points), np.inf), np.zeros(len(core.size))
        np.minimum.at(size, core.flat, np.repeat(core.size[core.owner], counts))
        for cell in (core.owner, core.neighbour):
            mine = np.repeat(np.where(cell >= 0, cell, 0), counts)
            chosen = np.repeat((cell >= 0) & (self.worst.of_cell[cell] > 0), counts)
            np.maximum.at(best, mine[chosen], drawn[core.flat[chosen]])
        moved = np.isin(drawn, best[best > 0])
        move = chance.normal(size=core.points.shape) * (RANDOM * size * chance.random(len(size)))[:, None]
        move[~moved] = 0.0
        return move


def _numbered(values: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Which of the numbers under `count` are among some, in order, and where each of these stands there."""
    used = np.zeros(count, bool)
    used[values] = True
    return np.nonzero(used)[0], (np.cumsum(used) - 1)[values]
