"""Bringing the skin of kept boxes to the shape: which region each side is to lie on, where its points go, and how the
points within give way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_matrix
from scipy.spatial import cKDTree

from brook.core.mesh.boxes.faces import Frame, polygon_edges
from brook.core.mesh.boxes.links import distinct, links_of, pairs_of
from brook.core.mesh.boxes.skin import kernels
from brook.core.mesh.boxes.skin.features import Features
from brook.core.mesh.boxes.skin.within import spread, validated

REACH = 1.8  # sides of the cell: regions further off are not thought of
AGAINST = 0.6  # what a normal across costs, in sides of the cell
MAJORITY = 0.62
SMOOTHINGS = 4
ON_AVERAGE = 2 / 3  # of the height of a bent wall over the middle of a flat side
MOST_BULGE = 0.1  # of the side of the cell: points are drawn off their wall by no more
TURNS, MET = 20, 0.01  # goes between two regions, and how near to both, in sides of the cell, is on both
ALIKE = 0.05  # squared sine between walls that are as good as one


@dataclass(frozen=True, eq=False)
class Fitted:
    """Points (P, 3) in m after fitting, the region (skin faces,) of each side, and the points that could not go all
    the way."""

    points: np.ndarray
    label: np.ndarray
    held_back: np.ndarray


def fit(
    frame: Frame, features: Features, tell: Callable[[str], None] = lambda _: None, bodies: np.ndarray | None = None
) -> Fitted:
    """`bodies` (patches, 2) are those on the two sides of each patch, the lower number first, -1 for none: sides of
    cells lie on patches between their own bodies only. None where there is but one body."""
    inner = frame.within
    polygon, corners = frame.polygon[inner:], frame.corners[inner:]
    owner = frame.owner[inner:]
    size = frame.size[owner]
    start, end, face = polygon_edges(polygon, corners)
    between = None if bodies is None else (_bodies_beside(frame), bodies)
    label = _labels(frame, features, polygon, corners, size, (start, end, face), frame.looks, between)
    skin = _SkinPoints.of(frame, features, polygon, corners, label, size, (start, end))
    # points on the floor and the lid of a sheet only follow, as those within do
    fixed = np.ones(len(skin.points), bool)
    if len(frame.lid):
        upright = polygon[~frame.lid]
        fixed = np.isin(skin.points, upright[upright >= 0])
    tell("evening out the skin")
    target = skin.bulged(skin.smoothed(SMOOTHINGS, fixed), label)
    tell("moving points within")
    move = np.zeros_like(frame.points)
    move[skin.points[fixed]] = (target - frame.points[skin.points])[fixed]
    move = spread(frame, move, skin.points[fixed])
    points, held_back = validated(frame, move, skin.points, tell)
    return Fitted(points, label, held_back)


def fit_skin(frame: Frame, features: Features, tell: Callable[[str], None] = lambda _: None) -> Fitted:
    """The same for a frame of nothing but skin: no cell has to stay sound."""
    start, end, face = polygon_edges(frame.polygon, frame.corners)
    size = frame.size[frame.owner]
    label = _labels(frame, features, frame.polygon, frame.corners, size, (start, end, face))
    skin = _SkinPoints.of(frame, features, frame.polygon, frame.corners, label, size, (start, end))
    tell("evening out the skin")
    points = frame.points.copy()
    points[skin.points] = skin.smoothed(SMOOTHINGS)
    return Fitted(points, label, skin.points[:0])


# -- labels -----------------------------------------------------------------------------------


def _labels(
    frame: Frame, features: Features, polygon: np.ndarray, corners: np.ndarray, size: np.ndarray, edges: tuple,
    looks: np.ndarray | float = 1.0, between: tuple[np.ndarray, np.ndarray] | None = None,
) -> np.ndarray:  # fmt: skip
    centre, normal = kernels.centres(frame.points, polygon, corners)
    region, far, triangle = features.faces.labels_near(centre, REACH * size)
    lost = region[:, 0] < 0
    if lost.any():
        place, nearest = features.faces.find(centre[lost])
        region[lost, 0], triangle[lost, 0] = features.region[nearest], nearest
        far[lost, 0] = np.linalg.norm(place - centre[lost], axis=1)
    if between is not None:
        mine, theirs = between
        beside = theirs[features.patch[np.maximum(region, 0)]]
        region = _preferred(region, _alike(beside, mine))
        region = _preferred(region, _in_common(beside, mine))
    alike = np.einsum("ikj,ij->ik", features.normal[np.maximum(triangle, 0)], normal * np.reshape(looks, (-1, 1)))
    cost = np.where(region >= 0, far / size[:, None] + AGAINST * (1 - alike), np.inf)
    best = region[np.arange(len(region)), np.argmin(cost, axis=1)]
    return _by_majority(best, region, edges)


def _preferred(region: np.ndarray, fits: np.ndarray) -> np.ndarray:
    """The regions (n, k) that fit, -1 for others; where none fits all of them."""
    known = np.where(region >= 0, fits, False)
    none = np.count_nonzero(known, axis=1)[:, None] == 0
    return np.where(known | none, region, -1)


def _alike(walls: np.ndarray, mine: np.ndarray) -> np.ndarray:
    """Whether the bodies (n, k, 2) on both sides of walls are those (n, 2) beside sides of cells."""
    same: np.ndarray = (walls[:, :, 0] == mine[:, :1]) & (walls[:, :, 1] == mine[:, 1:])
    return same


def _in_common(walls: np.ndarray, mine: np.ndarray) -> np.ndarray:
    """Whether both have a body in common."""
    found = np.zeros(walls.shape[:2], bool)
    for k in (0, 1):
        there = walls[:, :, k]
        found |= (there == mine[:, :1]) | ((there == mine[:, 1:]) & (there >= 0))
    return found


def _bodies_beside(frame: Frame) -> np.ndarray:
    """The bodies (n, 2) on both sides of faces that are fitted, the lower number first, and -1 for none behind it."""
    neighbour = frame.neighbour[frame.within :]
    one = frame.body[frame.owner[frame.within :]]
    other = np.where(neighbour >= 0, frame.body[np.maximum(neighbour, 0)], -1)
    both = other >= 0
    return np.stack([np.where(both, np.minimum(one, other), one), np.where(both, np.maximum(one, other), -1)], axis=1)


def _by_majority(label: np.ndarray, possible: np.ndarray, edges: tuple, rounds: int = 4) -> np.ndarray:
    """A side takes the region of most of those around it, where the majority is clear."""
    start, end, face = edges
    key = np.minimum(start, end) * (int(max(start.max(), end.max())) + 1) + np.maximum(start, end)
    order = np.argsort(key, kind="stable")
    same = key[order][1:] == key[order][:-1]
    one, other = face[order[:-1][same]], face[order[1:][same]]
    here, there = np.concatenate([one, other]), np.concatenate([other, one])
    total = np.bincount(here, minlength=len(label))
    for _ in range(rounds):
        pair, count = pairs_of(here, label[there])
        share = count / total[pair[:, 0]]
        change = (share >= MAJORITY) & (label[pair[:, 0]] != pair[:, 1])
        change &= (possible[pair[:, 0]] == pair[:, 1][:, None]).any(axis=1)
        if not change.any():
            break
        label = label.copy()
        label[pair[change, 0]] = pair[change, 1]
    return label


# -- points of the skin -----------------------------------------------------------------------


@dataclass(eq=False)
class _SkinPoints:
    """Points of the skin with what each lies on: kind 1 a region, 2 a line between two, 3 a corner; `on` says which, and `near` the triangle
    of those on regions."""

    frame: Frame
    features: Features
    points: np.ndarray
    kind: np.ndarray
    on: np.ndarray
    place: np.ndarray
    near: np.ndarray
    polygon: np.ndarray
    corners: np.ndarray
    links: csr_matrix

    @classmethod
    def of(cls, frame: Frame, features: Features, polygon: np.ndarray, corners: np.ndarray, label: np.ndarray, size: np.ndarray, edges: tuple) -> _SkinPoints:  # fmt: skip
        points, flat = np.unique(polygon[polygon >= 0], return_inverse=True)
        face = np.repeat(np.arange(len(polygon)), corners)
        local = np.full(polygon.shape, -1, np.int64)
        local[polygon >= 0] = flat.ravel()
        pairs, _ = pairs_of(flat.ravel(), label[face])
        count = np.bincount(pairs[:, 0], minlength=len(points))
        first = np.concatenate([[0], np.cumsum(count)[:-1]])
        reach = np.zeros(len(points))
        np.maximum.at(reach, flat.ravel(), size[face])
        at = frame.points[points]
        kind, on = np.ones(len(points), np.int64), pairs[first, 1].copy()
        place = np.empty_like(at)
        many = np.nonzero(count >= 3)[0]
        labels = [pairs[first[k] : first[k] + count[k], 1] for k in many]
        corner = _corners_for(features, at[many], labels, 2.5 * reach[many])
        kind[many[corner >= 0]], on[many[corner >= 0]] = 3, corner[corner >= 0]
        place[many[corner >= 0]] = features.corners[corner[corner >= 0]]
        # the rest of them, and those between two regions, go to the nearest line of any two of their regions
        left = np.concatenate([np.nonzero(count == 2)[0], many[corner < 0]])
        best = np.full(len(points), np.inf)
        for k, (i, j) in _pairings(count[left]):
            chosen = left[k]
            line = features.line_of(pairs[first[chosen] + i, 1], pairs[first[chosen] + j, 1])
            known = chosen[line >= 0]
            if features.lines is None or not len(known):
                continue
            found, _ = features.lines.find(at[known], line[line >= 0])
            far = np.linalg.norm(found - at[known], axis=1)
            nearer = (far < best[known]) & (far < 2.5 * reach[known])
            chosen, line = known[nearer], line[line >= 0][nearer]
            kind[chosen], on[chosen], best[chosen] = 2, line, far[nearer]
            place[chosen] = found[nearer]
        # on a region: of several that do not meet in a line the nearest
        alone = np.nonzero(kind == 1)[0]
        best, near = np.full(len(points), np.inf), np.full(len(points), -1)
        for i in range(int(count[alone].max(initial=0))):
            chosen = alone[count[alone] > i]
            region = pairs[first[chosen] + i, 1]
            found, triangle = features.faces.find(at[chosen], region)
            far = np.linalg.norm(found - at[chosen], axis=1)
            nearer = far < best[chosen]
            chosen = chosen[nearer]
            on[chosen], best[chosen], place[chosen] = region[nearer], far[nearer], found[nearer]
            near[chosen] = triangle[nearer]
        links = links_of(flat.ravel(), np.concatenate([[0], np.cumsum(corners)]), len(points))
        made = cls(frame, features, points, kind, on, place, near, local, corners, links)
        if len(features.ends):
            both = np.nonzero((count == 2) & (kind == 1))[0]
            made._onto_both(both, pairs[first[both], 1], pairs[first[both] + 1, 1], reach)
            made._to_rims(reach)
        return made

    def _onto_both(self, chosen: np.ndarray, one: np.ndarray, other: np.ndarray, reach: np.ndarray) -> None:
        """Points (n,) between two regions that pass through each other, or only touch, are put where both are: by going to one and to the
        other by turns."""
        if not len(chosen):
            return
        at = self.frame.points[self.points[chosen]]
        place = at.copy()
        for _ in range(TURNS):
            here, _ = self.features.faces.find(place, one)
            place, _ = self.features.faces.find(here, other)
        met = np.linalg.norm(place - here, axis=1) < MET * reach[chosen]
        met &= np.linalg.norm(place - at, axis=1) < 1.5 * reach[chosen]
        self.kind[chosen[met]], self.place[chosen[met]] = 3, place[met]

    def _to_rims(self, reach: np.ndarray) -> None:
        """Points where sheets end are put on their rims, those nearest to where a rim turns or meets another wall right there."""
        start, end, _ = polygon_edges(self.polygon, self.corners)
        key = np.minimum(start, end) * len(self.points) + np.maximum(start, end)
        _, of, uses = np.unique(key, return_inverse=True, return_counts=True)
        once = uses[of.ravel()] == 1
        rim = np.unique(np.concatenate([start[once], end[once]]))
        at = self.frame.points[self.points]
        alone = rim[self.kind[rim] == 1]
        none = np.full(len(alone), len(self.features.patch))
        line = self.features.line_of(self.on[alone], none)
        known, line = alone[line >= 0], line[line >= 0]
        if len(known) and self.features.lines is not None:
            found, _ = self.features.lines.find(at[known], line)
            near = np.linalg.norm(found - at[known], axis=1) < 2.5 * reach[known]
            self.kind[known[near]], self.on[known[near]], self.place[known[near]] = 2, line[near], found[near]
        if not len(rim):
            return
        far, nearest = cKDTree(at[rim]).query(self.features.ends)
        first = np.lexsort((far, nearest))
        first = first[np.concatenate([[True], np.diff(nearest[first]) != 0])]
        first = first[far[first] < 1.5 * reach[rim[nearest[first]]]]
        chosen = rim[nearest[first]]
        self.kind[chosen], self.place[chosen] = 3, self.features.ends[first]

    def smoothed(self, rounds: int, moved: np.ndarray | bool = True) -> np.ndarray:
        """Places (n, 3) after points, those marked in `moved` (n,), have been drawn to the middle of their neighbours and
        put back, some rounds."""
        place = self.place.copy()
        flat = np.nonzero((self.kind == 1) & moved)[0]
        line = np.nonzero(self.kind == 2)[0]
        along = self._along_lines(line)
        for _ in range(rounds):
            middle = kernels.surrounding(place, self.polygon, self.corners)
            wanted = 0.5 * place[flat] + 0.5 * middle[flat]
            if len(line) and self.features.lines is not None:
                total = np.asarray(along.sum(axis=1)).ravel()
                mean = (along @ place) / np.maximum(total, 1)[:, None]
                moved = np.where((total == 2)[:, None], 0.5 * place[line] + 0.5 * mean, place[line])
                place[line], _ = self.features.lines.find(moved, self.on[line])
            place[flat], self.near[flat] = self.features.faces.find(wanted, self.on[flat], self.near[flat])
        return place

    def bulged(self, place: np.ndarray, label: np.ndarray) -> np.ndarray:
        """Places (n, 3) drawn off bent walls so far that flat sides between them enclose as much as the wall: over a side h long the wall
        stands h²κ/8 over its middle and h²κ/12 on average, κ the sum of its curvatures. On lines for both their walls; corners stay."""
        # sides of one cell on one wall are joined later, but for those between bodies
        begin = len(self.frame.owner) - len(label)
        owner, between = self.frame.owner[begin:], self.frame.neighbour[begin:] >= 0
        first, side = distinct(owner, label, np.where(between, np.arange(1, len(label) + 1), 0))
        flat, face = self.polygon[self.polygon >= 0], np.repeat(side, self.corners)
        label, size = label[first], self.frame.size[owner[first]]
        corner, _ = distinct(face, flat)
        face, flat = face[corner], flat[corner]
        corners = np.bincount(face)
        centre = np.zeros((len(first), 3))
        np.add.at(centre, face, place[flat])
        centre /= corners[:, None]
        corner_of = np.concatenate([[0], np.cumsum(corners)[:-1]])
        on_wall, triangle = self.features.faces.find(centre, label, self.near[flat[corner_of]])
        normal = self.features.normal[triangle]
        height = np.einsum("ij,ij->i", on_wall - centre, normal) * ON_AVERAGE
        height = np.clip(height, -MOST_BULGE * size, MOST_BULGE * size)
        # of each point on each of its walls
        key, of = distinct(flat, label[face])
        keys = np.stack([flat[key], label[face[key]]], axis=1)
        across = np.zeros(len(centre))
        np.add.at(across, face, np.linalg.norm(place[flat] - centre[face], axis=1) ** 2)
        area = across / corners  # that of a square with such corners, halved
        up = np.bincount(of, (area * height)[face]) / np.maximum(np.bincount(of, area[face]), 1e-300)
        way = np.zeros((len(keys), 3))
        np.add.at(way, of, normal[face])
        way /= np.maximum(np.linalg.norm(way, axis=1), 1e-300)[:, None]
        found = place.copy()
        point = keys[:, 0]
        own = (self.kind[point] == 1) & (self.on[point] == keys[:, 1])
        found[point[own]] += up[own, None] * way[own]
        for one, other in self._both_walls(keys):
            found[point[one]] += _between_walls(up[one], way[one], up[other], way[other])
        return found

    def _both_walls(self, keys: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
        """Rows of (point, wall) pairs (n, 2): of points on lines that of their one wall, and that of the other."""
        line = np.nonzero(self.kind == 2)[0]
        if not len(line):
            return []
        many = int(keys[:, 1].max()) + 1
        known = keys[:, 0] * many + keys[:, 1]
        ends = self.features.pairs[self.on[line]]
        rows = [np.searchsorted(known, line * many + ends[:, k]) for k in (0, 1)]
        there = [
            (ends[:, k] < many) & (known[np.minimum(rows[k], len(known) - 1)] == line * many + ends[:, k])
            for k in (0, 1)
        ]
        both = there[0] & there[1]
        return [(rows[0][both], rows[1][both])]

    def _along_lines(self, line: np.ndarray) -> csr_matrix:
        """Which points (n of lines, all) are neighbours along the same line, its ends at corners among them."""
        rows = self.links[line].tocoo()
        other = rows.col
        same = (self.kind[other] == 3) | ((self.kind[other] == 2) & (self.on[other] == self.on[line][rows.row]))
        return csr_matrix(
            (np.ones(int(same.sum())), (rows.row[same], other[same])), shape=(len(line), len(self.points))
        )


def _between_walls(up: np.ndarray, way: np.ndarray, up_other: np.ndarray, way_other: np.ndarray) -> np.ndarray:
    """Moves (n, 3), the shortest, that go so far `up` along the normal of one wall and so far along that of another."""
    cosine = np.einsum("ij,ij->i", way, way_other)
    below = 1 - cosine**2
    alike = below < ALIKE
    below = np.where(alike, 1.0, below)
    one = np.where(alike, up / 2, (up - cosine * up_other) / below)
    other = np.where(alike, up_other / 2, (up_other - cosine * up) / below)
    return one[:, None] * way + other[:, None] * way_other


def _pairings(count: np.ndarray) -> list[tuple[np.ndarray, tuple[int, int]]]:
    """For each pair of places in a list: which lists (as positions) are long enough for it."""
    most = min(int(count.max(initial=0)), 6)
    return [(np.nonzero(count > j)[0], (i, j)) for j in range(1, most) for i in range(j)]


def _corners_for(features: Features, at: np.ndarray, labels: list[np.ndarray], reach: np.ndarray) -> np.ndarray:
    """The corner for each place, -1 for none: one where its regions meet and as few others as may be, and nobody else's."""
    chosen = np.full(len(at), -1, np.int64)
    if not len(features.corners) or not len(at):
        return chosen
    far, corner = cKDTree(features.corners).query(at, k=min(6, len(features.corners)))
    far, corner = far.reshape(len(at), -1), corner.reshape(len(at), -1)
    offers = [
        (int(features.of_corner[corner[k, i]].sum() - features.of_corner[corner[k, i], own].sum()), float(far[k, i]), k, int(corner[k, i]))
        for k, own in enumerate(labels) for i in range(far.shape[1])
        if far[k, i] < reach[k] and features.of_corner[corner[k, i], own].sum() >= 3
    ]  # fmt: skip
    taken: set[int] = set()
    for _, _, k, c in sorted(offers):
        if chosen[k] < 0 and c not in taken:
            chosen[k] = c
            taken.add(c)
    return chosen
