"""Which boxes of an octree the fluid keeps: those whose middle lies inside, tidied so that their skin can be fitted."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.geometry.nearest import Sides
from brook.core.geometry.surface.kernels import linked
from brook.core.mesh.boxes import kernels, rings
from brook.core.mesh.boxes.faces import Skin, skin_of
from brook.core.mesh.boxes.octree import Octree

ON_WALL = 1e-6  # sides of the box
ROUNDS = 60
BLOCK = 3  # times that the side of a block is twice that of the coarsest boxes


Tell = Callable[[str], None]


def kept(octree: Octree, sides: Sides, wet: np.ndarray | None = None, tell: Tell = lambda _: None) -> np.ndarray:
    """The leaves (n,) that become cells: of parts that do not hang together the one with the wet point (3,), or else
    the largest."""
    depth = _depths(octree, sides)
    return tidied(octree, depth < 0, depth, leaves_round(octree, wet), tell)


def tidied(
    octree: Octree, inside: np.ndarray, depth: np.ndarray, round_it: np.ndarray, tell: Tell = lambda _: None
) -> np.ndarray:
    """Leaves (n,) without those whose skin could not be fitted; `depth` (n,) is negative inside, and of leaves that
    have to give way the shallowest do."""
    for turn in range(ROUNDS):
        tell(f"tidying boxes, round {turn + 1}")
        before = inside.copy()
        open_sides = exposed(octree, inside)
        bare = inside & _too_bare(open_sides)
        inside = inside & ~bare
        pits = ~inside & octree.touched & ((exposed(octree, ~inside) > 0.5).sum(axis=1) >= 5) & ~_at_end(octree)
        inside = (inside | pits) & ~_shallow_at_pinches(octree, inside | pits, depth)
        inside = _one_part(octree, inside, round_it)
        if np.array_equal(before, inside):
            break
    else:  # what goes in circles is taken away only
        while True:
            drop = inside & _too_bare(exposed(octree, inside))
            drop |= _shallow_at_pinches(octree, inside, depth)
            if not drop.any():
                break
            inside = inside & ~drop
        inside = _one_part(octree, inside, round_it)
    return inside


def pruned(octree: Octree, sides: list[Sides]) -> Octree:
    """The octree without leaves far outside of all surfaces, block by block."""
    block = octree.code >> 3 * (octree.grid.levels + BLOCK)
    begin = np.nonzero(np.diff(block, prepend=-1))[0]
    number = np.cumsum(np.diff(block, prepend=-1) != 0) - 1
    meets = np.zeros(len(begin), bool)
    meets[number[octree.meets[:, 0]]] = True
    free = np.nonzero(~meets)[0]
    at = kernels.decode(octree.code[begin[free]])
    half = 0.5 * (np.int64(1) << (octree.grid.levels - octree.level[begin[free]].astype(np.int64)))
    centre = octree.grid.start + octree.grid.unit * (at + half[:, None])
    outside = np.ones(len(free), bool)
    for one in sides:
        outside &= one.distance(centre) > 0
    dropped = np.zeros(len(begin), bool)
    dropped[free[outside]] = True
    return octree if not dropped.any() else octree.only(~dropped[number])


def kept_by_bodies(
    octree: Octree, sides: list[Sides], wets: list[np.ndarray], tell: Tell = lambda _: None,
    gives_way: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """The body (n,) whose cell each leaf becomes, -1 for none; `wets` has a point (3,) in each body. Where another lies too,
    those that `gives_way` (bodies,) do not: beside a film between two others its sides are told by either wall.

    What one body cannot keep goes to the body that it has most sides with.
    """
    depth = np.stack([_depths(octree, one) for one in sides])
    # a middle on the wall between bodies lies in neither: the first takes it, or a slit would part them there
    on_wall = np.abs(depth) < ON_WALL * octree.size
    if gives_way is not None and gives_way.any():
        depth[np.ix_(gives_way, (depth[~gives_way] < 0).any(axis=0))] = np.inf
        on_wall[np.ix_(gives_way, on_wall[~gives_way].sum(axis=0) > 1)] = False
    body = np.where((depth < 0).any(axis=0), np.argmin(depth, axis=0), -1)
    body = np.where(on_wall.sum(axis=0) > 1, np.argmax(on_wall, axis=0), body)
    round_them = [leaves_round(octree, wet) for wet in wets]
    for turn in range(ROUNDS):
        tell(f"tidying boxes between bodies, round {turn + 1}")
        before = body.copy()
        for k in range(len(sides)):
            inside = body == k
            new = inside & ~_too_bare(exposed(octree, inside))
            pits = ~new & octree.touched & ((exposed(octree, ~new) > 0.5).sum(axis=1) >= 5) & ~_at_end(octree)
            new = (new | pits) & ~_shallow_at_pinches(octree, new | pits, depth[k])
            new = _one_part(octree, new, round_them[k])
            body = _handed_on(octree, np.where(new, k, body), inside & ~new, k)
        if np.array_equal(before, body):
            return body
    while True:  # what goes in circles is taken away only
        before = body.copy()
        for k in range(len(sides)):
            inside = body == k
            drop = inside & (_too_bare(exposed(octree, inside)) | _shallow_at_pinches(octree, inside, depth[k]))
            inside = inside & ~drop
            body = np.where((body == k) & ~_one_part(octree, inside, round_them[k]), -1, body)
        if np.array_equal(before, body):
            return body


def _handed_on(octree: Octree, body: np.ndarray, dropped: np.ndarray, k: int) -> np.ndarray:
    """`body` where leaves that one of them dropped belong to the other that they have most sides with, or to none."""
    if not dropped.any():
        return body
    leaf, _, other = octree.pairs
    there = other >= 0
    one = np.concatenate([leaf[there], other[there]])
    two = np.concatenate([other[there], leaf[there]])
    area = np.minimum(octree.side[one], octree.side[two]).astype(float) ** 2
    heir, best = np.full(octree.count, -1), np.zeros(octree.count)
    for j in range(int(body.max()) + 1):
        if j == k:
            continue
        share = np.bincount(one, np.where(dropped[one] & (body[two] == j), area, 0.0), octree.count)
        better = share > best
        heir[better], best[better] = j, share[better]
    return np.where(dropped, heir, body)


def _depths(octree: Octree, sides: Sides) -> np.ndarray:
    """Signed distance (n,) of leaves that meet the surface; of the others minus or plus infinity."""
    leaf, _, other = octree.pairs
    free = ~octree.touched
    both = (other >= 0) & free[leaf] & free[np.maximum(other, 0)]
    part = linked(octree.count, leaf[both], other[both])
    count = int(part.max(initial=-1)) + 1
    depth = np.empty(octree.count)
    sample = np.full(count, -1, np.int64)
    sample[part[free]] = np.nonzero(free)[0]
    asked = np.nonzero(sample >= 0)[0]
    sign = np.zeros(count)
    sign[asked] = np.sign(sides.distance(octree.centre[sample[asked]]))
    depth[free] = np.inf * sign[part[free]]
    depth[octree.touched] = sides.distance(octree.centre[octree.touched])
    return depth


def exposed(octree: Octree, inside: np.ndarray) -> np.ndarray:
    """The share (n, 6) of each side of leaves inside that looks at leaves that are not."""
    found: np.ndarray = kernels.exposed(*octree.pairs, octree.side, inside)
    return found


def _too_bare(open_sides: np.ndarray) -> np.ndarray:
    bare = open_sides > 0.5
    count = bare.sum(axis=1)
    through = (bare[:, ::2] & bare[:, 1::2]).any(axis=1)
    return (count >= 4) | ((count == 3) & through)


def _at_end(octree: Octree) -> np.ndarray:
    far = octree.at + octree.side[:, None] == octree.grid.shape << octree.grid.levels
    found = (octree.at == 0) | far
    return (found[:, :2] if octree.flat else found).any(axis=1)


def _shallow_at_pinches(octree: Octree, inside: np.ndarray, depth: np.ndarray) -> np.ndarray:
    """Leaves to be left out because the skin meets itself at one of their edges or corners; the shallowest of each."""
    skin = skin_of(octree, inside)
    drop = np.zeros(octree.count, bool)
    edge, point = pinches(skin)
    for faces in (edge, point):
        if len(faces):
            place, face = faces.T
            leaf = skin.leaf[face]
            order = np.lexsort((-depth[leaf], place))
            first = np.concatenate([[True], np.diff(place[order]) != 0])
            drop[leaf[order[first]]] = True
    return drop


def pinches(skin: Skin) -> tuple[np.ndarray, np.ndarray]:
    """(edge, face) and (point, face) pairs of the skin where more than one sheet of it meets."""
    start, end, face = skin.edges
    offsets = np.concatenate([[0], np.cumsum(skin.corners)])
    crowded, several = rings.pinched(start, offsets, skin.node_count)
    low, high = np.minimum(start, end)[crowded], np.maximum(start, end)[crowded]
    return np.stack([low * skin.node_count + high, face[crowded]], axis=1), np.stack([start, face], axis=1)[several]


def leaves_round(octree: Octree, wet: np.ndarray | None) -> np.ndarray:
    """The leaves in which a wet point lies, none when nobody says one."""
    if wet is None:
        return np.zeros(0, np.int64)
    return np.nonzero((np.abs(octree.centre - wet) <= 0.500001 * octree.size[:, None]).all(axis=1))[0]


def _one_part(octree: Octree, inside: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Only those leaves that hang together over sides with a wanted one, or with the largest part."""
    leaf, _, other = octree.pairs
    both = (other >= 0) & inside[leaf] & inside[np.maximum(other, 0)]
    part = linked(octree.count, leaf[both], other[both])
    wanted = wanted[inside[wanted]]
    if len(wanted):
        return inside & (part == part[wanted[0]])
    volume = np.bincount(part, np.where(inside, octree.size**3, 0.0))
    return inside & (part == int(np.argmax(volume)))
