"""Solids that touch as files bring them: each with a wall of its own at the same place, divided otherwise, a little apart.

Walls of two closed shells that lie on each other within a tolerance become one. Corners that nearly meet are made one, flat
sides are laid into one plane and divided along the outlines of both, and of two triangles with the same corners one stays. A shell
with a bent wall on that of another, in other triangles, stays for itself: the mesh makes one wall of both.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from brook.core.geometry.booleans import NotClosed, combined, together
from brook.core.geometry.findings.shapes import crossing_pairs
from brook.core.geometry.nearest import Nearest
from brook.core.geometry.sharing import NEAR, coplanar, divided, snapped, whole_edges
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.triangles import surface_of

ROUNDED = 10.0  # times as far apart as places that are the same: what dividing planes may have moved
LEAN = 0.02  # sine of the angle up to which flat sides that are to be one may lean
ODD = 1e-3  # of the size: solids nearer than this that are not made one are told
AGAINST = -0.9  # cosine between walls that lie on each other
SOFT = 0.87  # cosine between neighbours that are pieces of one bent wall
STRAIGHT = 0.999995  # cosine between neighbours that are pieces of one flat side
MOST_WITHIN = 5e-3  # of the size
MOST_SHELLS = 400
MOST_FLAT = 4000  # flat sides, the largest, that are laid into one plane with others
APART = 1e-9  # of its size: by so much a shell that stays for itself is made smaller
SMALL = 1e-6  # of the area of all: contacts under this are not told


@dataclass(frozen=True)
class Contact:
    """Two walls that lie on each other, by the patches that they are of: over what area in m², at most how far apart in m.

    `kind` is `joined` for what is one wall now, `bent` for walls within the tolerance whose triangles do not match, `near` for what is
    farther apart, `overlap` for what cuts deeper.
    """

    one: str
    other: str
    kind: str
    area: float
    apart: float


def joined(surface: Surface, within: float) -> tuple[Surface, list[Contact]]:
    """A surface with walls that lie on each other within so many m made one, and what was found to touch. Raises `ValueError` when it has
    too many shells or the tolerance is too large for it."""
    shell = solids_of(surface)
    if within <= 0 or not (shell >= 0).any():
        return surface, []
    reach = max(within, ODD * surface.size)
    chosen = _near_others(surface, shell, reach)
    if not chosen.any():
        return surface, []
    if within > MOST_WITHIN * surface.size:
        raise ValueError(
            f"walls {1000 * within:.3g} mm apart are to be one in a shape of {1000 * surface.size:.3g} mm: that is too much to tell walls "
            "apart, so none were made one; say less"
        )
    names, least = _called(surface, shell), SMALL * surface.area
    contacts, cutting = _cutting(surface, shell, chosen, within, names)
    loose = np.isin(shell, [*cutting, *_bent(surface, shell, chosen, within)])
    fixed = surface.placed(_met(surface, shell, chosen & ~loose, within))
    fixed = fixed.placed(_levelled(fixed, shell, chosen & ~loose, within))
    moved = float(np.linalg.norm(fixed.points - surface.points, axis=1).max(initial=0.0))
    made, whose = _shared(fixed.only(~loose), shell[~loose], chosen[~loose], NEAR * surface.size)
    made, whose, one_wall, found = _once(made, whose, moved, names)
    if not found and not loose.any():
        made, whose, one_wall = surface, shell, np.zeros(surface.count, bool)  # nothing to heal: all stays as it is
    own = _apart(surface.only(loose))
    if own.count:
        made = together([made, own])
        whose = np.concatenate([whose, shell[loose]])
        one_wall = np.concatenate([one_wall, np.zeros(own.count, bool)])
    contacts += found + _odd(made, whose, one_wall, within, names)
    return made, sorted((c for c in contacts if c.area > least), key=lambda c: -c.area)


def _bent(surface: Surface, shell: np.ndarray, chosen: np.ndarray, within: float) -> list[int]:
    """Shells with a bent wall on that of another, each the smaller of both. Walls of the same triangles are as good as flat ones."""
    rows = np.nonzero(chosen & ~flat_sides(surface))[0]
    numbers = np.unique(shell[rows])
    if len(numbers) < 2:
        return []
    corners = surface.points[surface.triangles[rows]]
    of = np.searchsorted(numbers, shell[rows])
    tree = Nearest.of(corners, of)
    unit = surface.vectors[rows] / np.maximum(surface.areas[rows], 1e-300)[:, None]
    label, _, triangle = tree.labels_near(corners.mean(axis=1), np.full(len(rows), within), 4)
    volume = np.abs(_volumes(surface, shell))
    found = set()
    for k in range(label.shape[1]):
        other = np.maximum(triangle[:, k], 0)
        against = np.einsum("ij,ij->i", unit, unit[other]) < AGAINST
        ends = np.abs(np.sort(corners, axis=1) - np.sort(corners[other], axis=1)).max(axis=(1, 2))
        hit = (label[:, k] >= 0) & (label[:, k] != of) & against & (ends > within)
        for one, two in np.unique(np.stack([numbers[of[hit]], numbers[label[hit, k]]], axis=1), axis=0):
            found.add(int(min((volume[one], one), (volume[two], two))[1]))
    return sorted(found)


def _volumes(surface: Surface, shell: np.ndarray) -> np.ndarray:
    part = np.einsum("ij,ij->i", surface.points[surface.triangles].mean(axis=1), surface.vectors) / 3
    return np.bincount(shell[shell >= 0], part[shell >= 0], int(shell.max()) + 1)


def _apart(surface: Surface) -> Surface:
    """The same, smaller by a billionth: none of its edges is taken for one of what it touches."""
    if not surface.count:
        return surface
    middle = (surface.box[0] + surface.box[1]) / 2
    return surface.placed(middle + (surface.points - middle) * (1 - APART))


def solids_of(surface: Surface) -> np.ndarray:
    """The closed shell (T,) of each triangle, -1 for those of open ones."""
    shell = surface.shells.copy()
    loose = (surface.edges.uses == 1)[surface.edges.of].any(axis=1)
    shell[np.isin(shell, np.unique(shell[loose]))] = -1
    return shell


def _near_others(surface: Surface, shell: np.ndarray, reach: float) -> np.ndarray:
    """Which triangles (T,) may lie on those of another shell, or stand twice: all whose boxes meet."""
    corners = surface.points[surface.triangles]
    low, high = corners.min(axis=1) - reach, corners.max(axis=1) + reach
    found = (surface.edges.uses > 2)[surface.edges.of].any(axis=1)
    numbers = np.unique(shell[shell >= 0])
    if len(numbers) > MOST_SHELLS:
        raise ValueError(
            f"of {len(numbers)} closed shells nobody has looked which touch; it is done for {MOST_SHELLS} at most, so unite some"
        )
    of = {n: np.nonzero(shell == n)[0] for n in numbers}
    box = {n: (low[t].min(axis=0), high[t].max(axis=0)) for n, t in of.items()}
    for a, b in combinations(numbers, 2):
        if (box[a][0] > box[b][1]).any() or (box[b][0] > box[a][1]).any():
            continue
        one, other = of[a], of[b]
        for _ in range(3):
            one = one[_meets(low[one], high[one], low[other], high[other])]
            other = other[_meets(low[other], high[other], low[one], high[one])]
        found[one] = found[other] = True
    return found & (shell >= 0)


def _meets(low: np.ndarray, high: np.ndarray, low_other: np.ndarray, high_other: np.ndarray) -> np.ndarray:
    if not len(low_other):
        return np.zeros(len(low), bool)
    return ((low <= high_other.max(axis=0)) & (high >= low_other.min(axis=0))).all(axis=1)


def _met(surface: Surface, shell: np.ndarray, chosen: np.ndarray, within: float) -> np.ndarray:
    """Points (P, 3) where corners of two shells that are the nearest to each other, within the tolerance, are at one place."""
    points = surface.points.copy()
    of = np.full(len(points), -1)
    of[surface.triangles[chosen].ravel()] = np.repeat(shell[chosen], 3)
    used = np.nonzero(of >= 0)[0]
    pairs = used[cKDTree(points[used]).query_pairs(within, output_type="ndarray")].reshape(-1, 2)
    pairs = pairs[of[pairs[:, 0]] != of[pairs[:, 1]]]
    far = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    taken: set[tuple[int, int]] = set()
    for k in np.argsort(far, kind="stable"):
        a, b = (int(p) for p in pairs[k])
        if of[a] > of[b]:
            a, b = b, a
        if (a, int(of[b])) in taken or (b, int(of[a])) in taken:
            continue
        taken |= {(a, int(of[b])), (b, int(of[a]))}
        points[b] = points[a]
    return points


def _levelled(surface: Surface, shell: np.ndarray, chosen: np.ndarray, within: float) -> np.ndarray:
    """Points (P, 3) where flat sides of two shells that lie on each other within the tolerance are in one plane: that of the larger."""
    points = surface.points.copy()
    triangles = np.nonzero(chosen & flat_sides(surface))[0]
    unit = surface.vectors[triangles] / np.maximum(surface.areas[triangles], 1e-300)[:, None]
    heights = np.einsum("ij,ij->i", surface.points[surface.triangles[triangles, 0]], unit)
    sides = np.column_stack([np.round(unit / 1e-5), np.round(heights / (0.1 * within)), shell[triangles]])
    _, group = np.unique(sides + 0.0, axis=0, return_inverse=True)  # no negative zeros
    area = np.bincount(group.ravel(), surface.areas[triangles])
    order = np.argsort(group.ravel(), kind="stable")
    ends = np.cumsum(np.bincount(group.ravel()))
    large = [g for g in np.argsort(-area, kind="stable") if area[g] > 100 * within**2][:MOST_FLAT]
    members = {g: triangles[order[ends[g] - np.bincount(group.ravel())[g] : ends[g]]] for g in large}
    normal = np.array([surface.vectors[members[g]].sum(axis=0) for g in large]).reshape(-1, 3)
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    corners = {g: np.unique(surface.triangles[members[g]]) for g in large}
    low = np.array([surface.points[corners[g]].min(axis=0) for g in large]).reshape(-1, 3) - within
    high = np.array([surface.points[corners[g]].max(axis=0) for g in large]).reshape(-1, 3) + within
    still: set[int] = set()
    for i, g in enumerate(large):
        if i in still:
            continue
        against = np.linalg.norm(np.cross(normal, normal[i]), axis=1) < LEAN
        boxes = ((low <= high[i]) & (high >= low[i])).all(axis=1)
        for j in np.nonzero(against & boxes)[0]:
            h = large[j]
            if j <= i or j in still or shell[members[h][0]] == shell[members[g][0]]:
                continue
            middle = points[corners[g]].mean(axis=0)
            off = (points[corners[h]] - middle) @ normal[i]
            if np.abs(off).max() <= within:
                points[corners[h]] -= off[:, None] * normal[i]
                still.add(int(j))
    return points


def flat_sides(surface: Surface) -> np.ndarray:
    """Which triangles (T,) are of a flat side: one that does not go on, only a little bent, over most of what is round it."""
    one, other = surface.edges.pairs.T
    ends = surface.points[surface.edges.ends[surface.edges.uses == 2]]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    unit = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    turn = np.einsum("ij,ij->i", unit[one], unit[other])
    straight = turn >= STRAIGHT
    pairs = (np.ones(int(straight.sum())), (one[straight], other[straight]))
    count, side = connected_components(coo_matrix(pairs, shape=(surface.count, surface.count)), directed=False)
    round_it, soft = np.zeros(count), np.zeros(count)
    for here in (one, other):
        rim = side[one] != side[other]
        round_it += np.bincount(side[here][rim], length[rim], count)
        soft += np.bincount(side[here][rim], np.where(turn > SOFT, length, 0.0)[rim], count)
    return (soft <= 0.5 * round_it)[side]


def _cutting(
    surface: Surface, shell: np.ndarray, chosen: np.ndarray, within: float, names: dict[int, str]
) -> tuple[list[Contact], list[int]]:
    """What shells that cut each other deeper than the tolerance say, and the smaller one of every two that cut each other where that is
    more than flat sides that are to be laid into one plane."""
    rows = np.nonzero(chosen)[0]
    flat = flat_sides(surface)
    pairs = rows[crossing_pairs(surface.only(rows))]
    pairs = pairs[shell[pairs[:, 0]] != shell[pairs[:, 1]]]
    bent = ~flat[pairs].any(axis=1)
    told, loose = [], []
    volume = np.abs(_volumes(surface, shell))
    for a, b in np.unique(np.sort(shell[pairs], axis=1), axis=0):
        small, large = (a, b) if (volume[a], a) <= (volume[b], b) else (b, a)
        part, whole = (surface.only(shell == k) for k in (small, large))
        try:
            over, outside = combined(part, whole, "keep"), combined(part, whole, "take")
        except NotClosed:
            continue  # what is said of the shape says so too
        deep = min(2 * cut.volume / cut.area if cut.count else 0.0 for cut in (over, outside))
        if deep > within:
            told.append(Contact(names[int(small)], names[int(large)], "overlap", over.area / 2, deep))
        if deep > within or bent[(np.sort(shell[pairs], axis=1) == (a, b)).all(axis=1)].any():
            loose.append(int(small))
    return told, loose


def _called(surface: Surface, shell: np.ndarray) -> dict[int, str]:
    """The patch that most of each closed shell is of."""
    area = np.zeros((int(shell.max()) + 1, len(surface.patches)))
    closed = shell >= 0
    np.add.at(area, (shell[closed], surface.patch[closed]), surface.areas[closed])
    return {k: surface.patches[int(np.argmax(row))] for k, row in enumerate(area)}


def _shared(surface: Surface, shell: np.ndarray, chosen: np.ndarray, near: float) -> tuple[Surface, np.ndarray]:
    """The surface with flat sides that lie on each other divided alike, each shell with its own; the shell (T,) of each triangle."""
    points = snapped(surface.points, near)
    corners = points[surface.triangles]
    up = _up(surface)
    side = 2 * shell + up  # what lies on each other differs in the shell or in the way it looks
    kept = np.ones(surface.count, bool)
    pieces, patch, of = [corners[:0]], [surface.patch[:0]], [shell[:0]]
    candidates = np.nonzero(chosen & flat_sides(surface))[0]  # bent ones stay two, and the mesh makes one wall of both
    for group in coplanar(surface, corners, side, near, candidates):
        parts = divided(corners[group], side[group], surface.patch[group], near)
        if parts is None:
            continue
        kept[group] = False
        pieces.append(parts.corners)
        patch.append(parts.patch)
        of.append(parts.side >> 1)
    every = np.concatenate([corners[kept], *pieces])
    number, of_all = np.concatenate([surface.patch[kept], *patch]), np.concatenate([shell[kept], *of])
    if len(pieces) > 1:
        # where planes meet each has laid its corners into itself
        flat = snapped(every.reshape(-1, 3), ROUNDED * near).reshape(-1, 3, 3)
        # each shell is closed for itself
        whole = [
            whole_edges(flat[of_all == s], number[of_all == s], of_all[of_all == s], ROUNDED * near)
            for s in np.unique(of_all)
        ]
        every, number, of_all = (np.concatenate(part) for part in zip(*whole, strict=True))
    made = surface_of(every.reshape(-1, 3), np.arange(3 * len(every)).reshape(-1, 3), number, surface.patches)
    a, b, c = made.triangles.T
    sound = (a != b) & (b != c) & (c != a)
    return made.only(sound), of_all[sound]


def _up(surface: Surface) -> np.ndarray:
    """Whether the first component (T,) of each normal that is not small looks up."""
    unit = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    first = np.argmax(np.abs(unit) > 0.1, axis=1)
    return (unit[np.arange(len(unit)), first] > 0).astype(np.int64)


def _once(
    surface: Surface, shell: np.ndarray, moved: float, names: dict[int, str]
) -> tuple[Surface, np.ndarray, np.ndarray, list[Contact]]:
    """Of triangles with the same corners the one of the smaller shell, which (T,) these are, and what touches by them."""
    size = np.bincount(shell[shell >= 0], surface.areas[shell >= 0], int(shell.max(initial=0)) + 1)
    key = np.sort(surface.triangles, axis=1)
    _, inverse, uses = np.unique(key, axis=0, return_inverse=True, return_counts=True)
    twice = uses[inverse.ravel()] > 1
    kept = ~twice
    areas: dict[tuple[str, str], float] = {}
    rows = np.nonzero(twice)[0]
    order = rows[np.lexsort((size[np.maximum(shell[rows], 0)], inverse.ravel()[rows]))]
    first = np.concatenate([[True], np.diff(inverse.ravel()[order]) != 0]) if len(order) else np.zeros(0, bool)
    kept[order[first]] = True
    for place in np.nonzero(first)[0]:
        one, other = order[place], order[place + 1]
        pair = (names[shell[one]], names[shell[other]])
        areas[pair] = areas.get(pair, 0.0) + float(surface.areas[one])
    told = [Contact(one, other, "joined", area, moved) for (one, other), area in areas.items()]
    return (
        Surface(surface.points, surface.triangles[kept], surface.patch[kept], surface.patches),
        shell[kept],
        twice[kept],
        told,
    )


def _odd(
    surface: Surface, shell: np.ndarray, one_wall: np.ndarray, within: float, names: dict[int, str]
) -> list[Contact]:
    """Walls of two shells that lie on each other, or nearly, and are still two: all but `one_wall` (T,)."""
    reach = max(ODD * surface.size, within)
    walls = np.nonzero(_near_others(surface, shell, reach))[0]
    numbers = np.unique(shell[walls])
    if len(numbers) < 2:
        return []
    corners = surface.points[surface.triangles]
    tree = Nearest.of(corners[walls], np.searchsorted(numbers, shell[walls]))
    mine = walls[~one_wall[walls]]
    middle = corners[mine].mean(axis=1)
    label, far, triangle = tree.labels_near(middle, np.full(len(mine), reach), 4)
    unit = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    # seen from both: of a large triangle only a part may lie on the other wall
    areas: dict[tuple[int, int, str], list[float]] = {}
    for k in range(label.shape[1]):
        other = walls[np.maximum(triangle[:, k], 0)]
        against = np.einsum("ij,ij->i", unit[mine], unit[other]) < AGAINST
        for t in np.nonzero((label[:, k] >= 0) & (shell[other] != shell[mine]) & against)[0]:
            here, there = int(shell[mine[t]]), int(shell[other[t]])
            kind = "bent" if far[t, k] <= within else "near"
            found = areas.setdefault((min(here, there), max(here, there), kind), [0.0, 0.0, 0.0])
            found[int(here > there)] += float(surface.areas[mine[t]])
            found[2] = max(found[2], float(far[t, k]))
    return [
        Contact(names[a], names[b], kind, min(x for x in (one, other) if x > 0), apart)
        for (a, b, kind), (one, other, apart) in areas.items()
    ]
