"""Cells between lines: whole boxes, and boxes cut exactly where the boundary runs askew.

The boundary is cut at every line. What lies in one box then closes, with the wet parts of the box's own
sides, to one or more loops: its cells. Small ones are joined to the neighbour with the longest common edge,
and what is left of the boundary in a cell becomes one straight wall, unless it turns a corner there. Where cells
still meet askew, one that lies round a tip is parted.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import shapely

from brook.core.geometry.plane import PlaneShape
from brook.core.mesh.extrude import Polygons, extruded
from brook.core.mesh.joining import Loop, join_askew, join_small, part_bent, straighten
from brook.core.mesh.polyhedral import Mesh

NEAR = 1e-6  # of the closest lines: nodes closer than this are one


def cells_on(shape: PlaneShape, x: np.ndarray, y: np.ndarray) -> Mesh:
    """The mesh of a shape on lines x (nx+1,) and y (ny+1,) in m, which hold all its straight edges."""
    grid = _Grid(shape, x, y)
    inside = grid.inside()
    loops = grid.cut_loops(inside) if grid.special else {}
    return extruded(_polygons(grid, inside, loops), shape.patches, shape.body, shape.depth)


@dataclass
class _Grid:
    """Nodes and boundary pieces on the lines. Nodes of the lines come first, row by row; others follow."""

    shape: PlaneShape
    x: np.ndarray
    y: np.ndarray
    places: list[tuple[float, float]] = field(default_factory=list)
    corners: dict[tuple[float, float], int] = field(default_factory=dict)
    known: dict[tuple[str, int], list[tuple[float, int]]] = field(default_factory=lambda: defaultdict(list))
    within: dict[tuple[int, int], list[tuple[int, int, int]]] = field(default_factory=lambda: defaultdict(list))
    special: set[tuple[int, int]] = field(default_factory=set)

    def __post_init__(self) -> None:
        self.nx, self.ny = len(self.x) - 1, len(self.y) - 1
        self.near = NEAR * min(np.diff(self.x).min(), np.diff(self.y).min())
        # patches of the unit pieces of lines, -1 where there is no boundary
        self.upright = np.full((self.ny, self.nx + 1), -1)
        self.level = np.full((self.ny + 1, self.nx), -1)
        self.pieces: dict[tuple[int, int], int] = {}
        number = {name: k for k, name in enumerate(self.shape.patches)}
        bent = set(map(id, self.shape.oblique))
        straight = []
        for ring in self.shape.rings:
            for edge in ring:
                if id(edge) in bent:
                    self._cut(edge, number[edge.patch])
                else:
                    straight.append(edge)
                    self._node(edge.x0, edge.y0)
        for edge in straight:
            self._lay(edge, number[edge.patch])
        for (kind, line), nodes in self.known.items():
            for at, _ in nodes:
                self._touch(kind, line, at)

    # -- nodes ------------------------------------------------------------------------------------

    def _near_line(self, lines: np.ndarray, at: float) -> int:
        k = int(np.searchsorted(lines, at))
        for j in (k - 1, k):
            if 0 <= j < len(lines) and abs(lines[j] - at) <= self.near:
                return j
        return -1

    def _node(self, px: float, py: float) -> int:
        """The node at a place, a new one if there is none yet."""
        i, j = self._near_line(self.x, px), self._near_line(self.y, py)
        if i >= 0 and j >= 0:
            return j * (self.nx + 1) + i
        if i < 0 and j < 0:
            node = self.corners.get((px, py))
            if node is None:
                node = self.corners[px, py] = self._new(px, py)
            return node
        kind, line, at = ("x", i, py) if i >= 0 else ("y", j, px)
        for other, node in self.known[(kind, line)]:
            if abs(other - at) <= self.near:
                return node
        node = self._new(self.x[i], py) if i >= 0 else self._new(px, self.y[j])
        self.known[(kind, line)].append((at, node))
        return node

    def _new(self, px: float, py: float) -> int:
        self.places.append((float(px), float(py)))
        return (self.nx + 1) * (self.ny + 1) + len(self.places) - 1

    def place(self, node: int) -> tuple[float, float]:
        extra = node - (self.nx + 1) * (self.ny + 1)
        if extra >= 0:
            return self.places[extra]
        j, i = divmod(node, self.nx + 1)
        return float(self.x[i]), float(self.y[j])

    def points(self) -> np.ndarray:
        px, py = np.meshgrid(self.x, self.y)
        return np.concatenate([np.stack([px.ravel(), py.ravel()], axis=1), np.reshape(self.places, (-1, 2))])

    # -- boundary ---------------------------------------------------------------------------------

    def _cut(self, edge, patch: int) -> None:  # type: ignore[no-untyped-def]
        """An oblique edge, cut at the lines; each piece belongs to the box it runs through."""
        run_x, run_y = edge.x1 - edge.x0, edge.y1 - edge.y0
        at = [(0.0, edge.x0, edge.y0), (1.0, edge.x1, edge.y1)]
        for lines, start, run, is_x in ((self.x, edge.x0, run_x, True), (self.y, edge.y0, run_y, False)):
            low, high = sorted((start, start + run))
            for line in lines[np.searchsorted(lines, low) : np.searchsorted(lines, high, side="right")]:
                t = (line - start) / run if run else 0.0
                if 0 < t < 1:
                    at.append((t, line, edge.y0 + t * run_y) if is_x else (t, edge.x0 + t * run_x, line))
        nodes = [self._node(px, py) for _, px, py in sorted(at)]
        for a, b in pairwise(nodes):
            if a == b:
                continue
            (ax, ay), (bx, by) = self.place(a), self.place(b)
            if (ax == bx and self._near_line(self.x, ax) >= 0) or (ay == by and self._near_line(self.y, ay) >= 0):
                self.pieces[a, b] = patch
                continue
            box = (
                int(np.searchsorted(self.y, (ay + by) / 2)) - 1, int(np.searchsorted(self.x, (ax + bx) / 2)) - 1,
            )  # fmt: skip
            self.within[box].append((a, b, patch))
            self.special.add(box)

    def _lay(self, edge, patch: int) -> None:  # type: ignore[no-untyped-def]
        """A straight edge along a line: patches of the unit pieces that it covers, and parts of others."""
        upright = edge.x0 == edge.x1
        along, line = (
            (self.y, self._near_line(self.x, edge.x0)) if upright else (self.x, self._near_line(self.y, edge.y0))
        )
        start, end = (edge.y0, edge.y1) if upright else (edge.x0, edge.x1)
        low, high = min(start, end), max(start, end)
        first = int(np.searchsorted(along, low - self.near))
        last = int(np.searchsorted(along, high + self.near, side="right")) - 1
        (self.upright[first:last, line] if upright else self.level[line, first:last])[...] = patch
        within_one = first > last
        if within_one or along[first] - low > self.near:
            self._part(upright, line, low, high if within_one else float(along[first]), start < end, patch)
        if not within_one and high - along[last] > self.near:
            self._part(upright, line, float(along[last]), high, start < end, patch)

    def _part(self, upright: bool, line: int, low: float, high: float, forward: bool, patch: int) -> None:
        """Boundary over a part of a unit piece, from node to node."""
        between = [v for v, _ in self.known[("x" if upright else "y", line)] if low + self.near < v < high - self.near]
        at = sorted([low, *between, high], reverse=not forward)
        nodes = [self._node(self.x[line], v) if upright else self._node(v, self.y[line]) for v in at]
        for a, b in pairwise(nodes):
            self.pieces[a, b] = patch

    def _touch(self, kind: str, line: int, at: float) -> None:
        """Both boxes beside a node on a line need its node in their loops."""
        k = int(np.searchsorted(self.y if kind == "x" else self.x, at)) - 1
        for other in (line - 1, line):
            box = (k, other) if kind == "x" else (other, k)
            if 0 <= box[0] < self.ny and 0 <= box[1] < self.nx:
                self.special.add(box)

    # -- cells ------------------------------------------------------------------------------------

    def inside(self) -> np.ndarray:
        """Which boxes (ny, nx) lie in the domain, by their middles."""
        middle = np.meshgrid((self.x[1:] + self.x[:-1]) / 2, (self.y[1:] + self.y[:-1]) / 2)
        column = np.clip(np.searchsorted(self.shape.x, middle[0][0]) - 1, 0, self.shape.share.shape[1] - 1)
        row = np.clip(np.searchsorted(self.shape.y, middle[1][:, 0]) - 1, 0, self.shape.share.shape[0] - 1)
        share = self.shape.share[np.ix_(row, column)]
        found = share == 1.0
        unsure = (share > 0) & ~found
        found[unsure] = self._wet(middle[0][unsure], middle[1][unsure])
        return found

    def _wet(self, px: np.ndarray, py: np.ndarray) -> np.ndarray:
        shapely.prepare(self.shape.domain)
        return shapely.contains_xy(self.shape.domain, px, py)

    def _side_nodes(self, kind: str, line: int, unit: int) -> list[int]:
        """Nodes on a unit piece of a line, upward or to the right, with both ends."""
        step = self.nx + 1
        first, last = (
            (unit * step + line, (unit + 1) * step + line)
            if kind == "x"
            else (line * step + unit, line * step + unit + 1)
        )
        along = self.y if kind == "x" else self.x
        between = sorted((at, n) for at, n in self.known.get((kind, line), ()) if along[unit] < at < along[unit + 1])
        return [first, *(n for _, n in between), last]

    def _sides(self, box: tuple[int, int]) -> list[tuple[int, int, int]]:
        """(from, to, patch of a whole unit piece or -1) round a box, anticlockwise."""
        j, i = box
        found = []
        for kind, line, unit, back, patch in (
            ("y", j, i, False, self.level[j, i]), ("x", i + 1, j, False, self.upright[j, i + 1]),
            ("y", j + 1, i, True, self.level[j + 1, i]), ("x", i, j, True, self.upright[j, i]),
        ):  # fmt: skip
            nodes = self._side_nodes(kind, line, unit)
            nodes = nodes[::-1] if back else nodes
            found += [(a, b, int(patch)) for a, b in pairwise(nodes)]
        return found

    def cut_loops(self, inside: np.ndarray) -> dict[tuple[int, int], list[Loop]]:
        """The loops of all special boxes and of those beside them, small ones joined."""
        sides = {box: self._sides(box) for box in self.special}
        pieces = sorted({(min(a, b), max(a, b)) for of in sides.values() for a, b, _ in of})
        ends = np.array([[self.place(a), self.place(b)] for a, b in pieces])
        middle = ends.mean(axis=1)
        wet = dict(zip(pieces, self._wet(middle[:, 0], middle[:, 1]), strict=True))
        loops: dict[tuple[int, int], list[Loop]] = {}
        for box, of in sides.items():
            edges = list(self.within.get(box, ()))
            for a, b, patch in of:
                if (a, b) in self.pieces:
                    edges.append((a, b, self.pieces[a, b]))
                elif (b, a) in self.pieces:
                    continue  # the fluid lies on its other side
                elif patch >= 0:
                    if self._fluid_on_left(a, b):
                        edges.append((a, b, patch))
                elif wet[min(a, b), max(a, b)]:
                    edges.append((a, b, -1))
            loops[box] = Loop.all_of(edges, self.place)
        for j, i in list(self.special):
            for box in ((j, i - 1), (j, i + 1), (j - 1, i), (j + 1, i)):
                if box not in loops and 0 <= box[0] < self.ny and 0 <= box[1] < self.nx and inside[box]:
                    loops[box] = Loop.all_of(self._sides(box), self.place)
        join_small(loops, {b: self._box_area(b) for b in loops}, self.place)
        first = (self.nx + 1) * (self.ny + 1)
        straighten(loops, self.place, first)
        join_askew(loops, self.place)
        if part_bent(loops, self.place):
            join_askew(loops, self.place)
        straighten(loops, self.place, first)
        return loops

    def _fluid_on_left(self, a: int, b: int) -> bool:
        (ax, ay), (bx, by) = self.place(a), self.place(b)
        off = 1e-3
        return bool(
            self._wet(np.array([(ax + bx) / 2 - off * (by - ay)]), np.array([(ay + by) / 2 + off * (bx - ax)]))[0]
        )

    def _box_area(self, box: tuple[int, int]) -> float:
        j, i = box
        return float((self.x[i + 1] - self.x[i]) * (self.y[j + 1] - self.y[j]))


def _polygons(grid: _Grid, inside: np.ndarray, loops: dict[tuple[int, int], list[Loop]]) -> Polygons:
    """Whole boxes and cut ones together, in the order of the boxes."""
    whole = inside.copy()
    for box in loops:
        whole[box] = False
    j, i = np.nonzero(whole)
    step = grid.nx + 1
    squares = np.stack([j * step + i, j * step + i + 1, (j + 1) * step + i + 1, (j + 1) * step + i], axis=1)
    patch = np.stack([grid.level[j, i], grid.upright[j, i + 1], grid.level[j + 1, i], grid.upright[j, i]], axis=1)
    cut = [(b[0] * grid.nx + b[1], loop) for b in sorted(loops) for loop in loops[b]]
    counts = np.concatenate([np.full(len(squares), 4), [len(loop.nodes) for _, loop in cut]]).astype(np.int64)
    box_number = np.concatenate([j * grid.nx + i, [k for k, _ in cut]])
    corners = np.concatenate([squares.ravel(), *(loop.nodes for _, loop in cut)]).astype(np.int64)
    patches = np.concatenate([patch.ravel(), *(loop.patches for _, loop in cut)]).astype(np.int64)
    order = np.argsort(box_number, kind="stable")
    starts = np.concatenate([[0], np.cumsum(counts)])[:-1]
    sorted_counts = counts[order]
    offsets = np.concatenate([[0], np.cumsum(sorted_counts)])
    take = np.repeat(starts[order], sorted_counts) + np.arange(offsets[-1]) - np.repeat(offsets[:-1], sorted_counts)
    return Polygons(grid.points(), corners[take], offsets, patches[take])
