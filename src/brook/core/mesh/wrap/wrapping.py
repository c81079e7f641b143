"""From filled boxes to the surface that closes them: their skin, drawn onto the triangles that the water sees."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.sparse import coo_matrix, csr_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Surface, welded
from brook.core.mesh.boxes import kernels as grids
from brook.core.mesh.boxes.faces import Frame, outer_sides, polygon_edges
from brook.core.mesh.boxes.keeping import tidied
from brook.core.mesh.boxes.octree import MeshError, Octree, grid_for, refine
from brook.core.mesh.boxes.skin import features_of, fit_skin
from brook.core.mesh.ordering import distinct
from brook.core.mesh.wrap.flooding import flooded, seen
from brook.core.mesh.wrap.narrow import Narrow, thickened, without_thin
from brook.core.mesh.wrap.told import Away, away, uncrossed

FAR, REACH = 1.5, 0.8  # sides of the box: what is further from all triangles closes a hole, with what is round it
EVENING = 20
THIN = 0.1  # boxes: what is thinner on average is no volume but sheets
ROOM = 2.5  # boxes that stand round the shape, so that water gets everywhere from outside
SHORT = 0.02  # sides of the box: shorter edges are taken out
CLEAR = 0.5  # sides of the box over a triangle's plane: water that stands lower may be round its edge
BOTH = 0.25  # share of votes with which a triangle is wet on both of its sides
THIN_PARTS = {"thicken": thickened, "drop": without_thin}
NOTHING_ENCLOSED = (
    "water gets to both sides of nearly all walls, so that nothing is enclosed; close the openings first, or "
    "let the wrap close wider holes"
)


@dataclass(frozen=True)
class Wish:
    """Sides of boxes in m (by patch too), holes up to `closes` m wide closed, edges kept that bend more than `angle`
    degrees; from a wet point (m), or from outside when there is none. Gaps over `apart` m between walls stay open, 0
    for those that boxes leave open anyway."""

    size: float
    closes: float = 0.0
    angle: float = 35.0
    wet: tuple[float, float, float] | None = None
    patches: dict[str, float] = field(default_factory=dict)
    apart: float = 0.0
    thin: str = "keep"


@dataclass(frozen=True, eq=False)
class Wrapped:
    """A wrap: its surface, what it lost of the shape, and places (n, 3) in m of triangles that cross others."""

    surface: Surface
    lost: tuple[Away, ...]
    crossing: np.ndarray


def wrapped(surface: Surface, wish: Wish, tell: Callable[[str], None] = lambda _: None) -> Surface:
    """The surface of a wrap."""
    return wrap_of(surface, wish, tell).surface


def wrap_of(surface: Surface, wish: Wish, tell: Callable[[str], None] = lambda _: None) -> Wrapped:
    """The closed surface of what is filled from the wet point, looking out of it; from outside, the surface of what
    stands in the way, looking out of that. Patches keep their names. Raises `MeshError`, `Leak`."""
    drawn = surface
    if wish.thin != "keep":
        tell("looking for thin parts")
        surface = THIN_PARTS[wish.thin](surface, _sizes(surface, wish)[surface.patch], wish.wet)
    tell("halving boxes round the shape")
    by_patch = _sizes(surface, wish)
    low, high = surface.box
    # from outside water has to get round the shape, however wide the ways are that it takes
    room = ROOM * wish.size + (wish.closes if wish.wet is None else 0.0)
    corners = surface.points[surface.triangles]
    tree = Nearest.of(corners, np.zeros(surface.count, np.int64))
    narrow = Narrow.of_surface(surface, tree, wish.wet, 2 * wish.size)
    wanted = narrow.sizes(by_patch[surface.patch[narrow.of]], wish.apart, wish.thin == "keep")
    grid = grid_for((low - room, high + room), wish.size, float(wanted.min(initial=wish.size)))
    octree = refine(grid, narrow.parts, np.ceil(np.log2(wish.size / wanted) - 1e-9).clip(0).astype(np.int64))
    meets = np.unique(np.stack([octree.meets[:, 0], narrow.of[octree.meets[:, 1]]], axis=1), axis=0)
    octree = replace(octree, meets=meets)
    tell("filling from the wet point" if wish.wet else "filling from outside")
    wet = np.array(wish.wet) if wish.wet else None
    filled, far = flooded(octree, tree, wet, max(wish.closes, 0.0))
    filled |= seen(octree, tree, filled)
    depth = np.where(filled, -far, far)
    depth[~octree.touched] = np.where(filled, -np.inf, np.inf)[~octree.touched]
    begin = np.nonzero(filled & np.isinf(depth))[0][:1]
    inside = tidied(octree, filled, depth, begin, tell)
    tell("drawing the skin onto the shape")
    frame = _skin(octree, inside)
    if not len(frame.polygon):
        raise MeshError(NOTHING_ENCLOSED)
    shape = _wet_side(surface, octree, inside)
    features = features_of(_with_lids(shape, frame), wish.angle)
    fitted = fit_skin(frame, features, tell)
    made = _triangles(fitted.points, frame, features.patch[fitted.label], features.surface.patches)
    if abs(made.volume) < THIN * wish.size * made.areas.sum():
        raise MeshError(NOTHING_ENCLOSED)
    tell("looking for what crosses and what is lost")
    made, crossing = uncrossed(made)
    if drawn is not surface:  # what is thicker now is told of by what was drawn
        narrow = Narrow.of_surface(
            drawn, Nearest.of(drawn.points[drawn.triangles], np.zeros(drawn.count, np.int64)), wish.wet, 2 * wish.size
        )
        wanted = by_patch[drawn.patch[narrow.of]]
    lost = away(drawn, narrow, wanted, made)
    return Wrapped(made if wish.wet else made.flipped(np.ones(made.count, bool)), lost, crossing)


def _sizes(surface: Surface, wish: Wish) -> np.ndarray:
    """The size of boxes (patches,) at each patch."""
    return np.array([min(wish.size, wish.patches.get(name, wish.size)) for name in surface.patches])


def _skin(octree: Octree, inside: np.ndarray) -> Frame:
    """The skin of boxes inside, without where the grid ends, as a frame of nothing else."""
    leaf, direction, owner, outward = outer_sides(octree, inside)
    real = octree.beside[leaf, direction] != -1
    leaf, direction, owner, outward = leaf[real], direction[real], owner[real], outward[real]
    key = grids.quads(leaf, direction, octree.at, octree.side, ~outward)
    nodes = distinct(key)
    polygon, corners = grids.polygons(key, nodes)
    one = (1 << grids.WIDE) - 1
    at = np.stack([nodes & one, nodes >> grids.WIDE & one, nodes >> (2 * grids.WIDE)], axis=1)
    points = octree.grid.start + octree.grid.unit * at
    return Frame(points, polygon, corners, owner, np.full(len(owner), -1), octree.size)


def _wet_side(surface: Surface, octree: Octree, inside: np.ndarray) -> Surface:
    """The triangles that water touches, each looking away from it; those that are wet on both sides twice."""
    leaf, _, other = octree.pairs
    known = other >= 0
    one, two = leaf[known], other[known]
    total, count = np.zeros((octree.count, 3)), np.zeros(octree.count)
    for here, there in ((one, two), (two, one)):
        wet = inside[there]
        np.add.at(total, here[wet], octree.centre[there[wet]])
        np.add.at(count, here[wet], 1)
    total[inside] += octree.centre[inside]
    count[inside] += 1
    box, triangle = octree.meets.T
    box, triangle = box[count[box] > 0], triangle[count[box] > 0]
    water = total[box] / count[box][:, None]
    middle = surface.points[surface.triangles].mean(axis=1)
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    height = np.einsum("ij,ij->i", water - middle[triangle], normal[triangle])
    clear = np.abs(height) > CLEAR * octree.size[box]
    clear |= np.bincount(triangle, clear, surface.count)[triangle] == 0
    ahead = np.bincount(triangle, clear & (height > 0), surface.count)
    votes = np.bincount(triangle, clear, surface.count)
    share = ahead / np.maximum(votes, 1)
    away, toward = (votes > 0) & (share < 1 - BOTH), (votes > 0) & (share > BOTH)
    corners = surface.points[surface.triangles]
    every = np.concatenate([corners[away], corners[toward][:, ::-1]])
    return welded(every, np.concatenate([surface.patch[away], surface.patch[toward]]), list(surface.patches))


def _with_lids(shape: Surface, frame: Frame) -> Surface:
    """The shape with triangles over holes: where the skin is far from everything it is evened out as it is."""
    size = np.zeros(len(frame.points))
    flat = frame.polygon[frame.polygon >= 0]
    np.maximum.at(size, flat, np.repeat(frame.size[frame.owner], frame.corners))
    tree = Nearest.of(shape.points[shape.triangles], np.zeros(shape.count, np.int64))
    place, triangle = tree.find(frame.points)
    away = np.linalg.norm(place - frame.points, axis=1) / size
    start, end, _ = polygon_edges(frame.polygon, frame.corners)
    count = len(frame.points)
    links = csr_matrix((np.ones(2 * len(start)), (np.r_[start, end], np.r_[end, start])), shape=(count, count))
    lost = away > FAR
    for _ in range(3):  # from the middle of a hole to near its rim
        lost |= (away > REACH) & (links @ lost > 0)
    if not lost.any():
        return shape
    at = np.where(lost[:, None], frame.points, place)
    links = links[np.nonzero(lost)[0]]
    total = np.asarray(links.sum(axis=1)).ravel()[:, None]
    for _ in range(EVENING):
        at[lost] = (links @ at) / total
    patch = np.zeros(len(frame.polygon), np.int64)
    on = np.zeros(len(frame.polygon), bool)
    for k in range(frame.polygon.shape[1]):
        there = frame.polygon[:, k] >= 0
        on[there] |= lost[frame.polygon[there, k]]
        patch[there] = shape.patch[triangle[frame.polygon[there, k]]]
    lids = Frame(at, frame.polygon[on], frame.corners[on], frame.owner[on], frame.neighbour[on], frame.size)
    made = _triangles(at, lids, patch[on], shape.patches)
    corners = np.concatenate([shape.points[shape.triangles], made.points[made.triangles]])
    return welded(corners, np.concatenate([shape.patch, made.patch]), list(shape.patches))


def _triangles(points: np.ndarray, frame: Frame, patch: np.ndarray, names: tuple[str, ...]) -> Surface:
    """Polygons as triangles: four corners over the shorter diagonal, more round their middle. Edges that have shrunk to
    nothing are taken out with the triangles at them."""
    quad = frame.corners == 4
    a, b, c, d = (frame.polygon[quad, k] for k in range(4))
    length = [np.linalg.norm(points[p] - points[q], axis=1) for p, q in ((a, c), (b, d))]
    first = length[0] <= length[1]
    one = np.stack([a, b, np.where(first, c, d)], axis=1)
    two = np.stack([np.where(first, a, b), c, d], axis=1)
    many = np.nonzero(~quad)[0]
    start, end, face = polygon_edges(frame.polygon[many], frame.corners[many])
    middle = np.zeros((len(many), 3))
    np.add.at(middle, face, points[start])
    middle /= np.maximum(frame.corners[many], 1)[:, None]
    triangles = np.concatenate([one, two, np.stack([start, end, len(points) + face], axis=1)])
    number = np.concatenate([patch[quad], patch[quad], patch[many][face]])
    every = np.concatenate([points, middle])
    size = np.zeros(len(every))
    np.maximum.at(size, frame.polygon[frame.polygon >= 0], np.repeat(frame.size[frame.owner], frame.corners))
    size[len(points) :] = frame.size[frame.owner[many]]
    return _without_nothing(every, triangles, number, names, size)


def _without_nothing(
    points: np.ndarray, triangles: np.ndarray, patch: np.ndarray, names: tuple[str, ...], size: np.ndarray
) -> Surface:
    """The surface with the ends of edges much shorter than a size (P,) made one, and without what folds onto itself."""
    edges = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    short = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1) < SHORT * size[edges[:, 0]]
    one, two = edges[short].T
    graph = coo_matrix((np.ones(len(one)), (one, two)), shape=(len(points), len(points)))
    _, part = connected_components(graph, directed=False)
    _, first = np.unique(part, return_index=True)
    triangles = first[part][triangles]
    real = (triangles != np.roll(triangles, 1, axis=1)).all(axis=1)
    triangles, patch = triangles[real], patch[real]
    while True:  # two triangles on the same corners face each other: nothing is between
        key = np.sort(triangles, axis=1)
        _, same, count = np.unique(key, axis=0, return_inverse=True, return_counts=True)
        folded = count[same.ravel()] > 1
        if not folded.any():
            break
        triangles, patch = triangles[~folded], patch[~folded]
    used, compact = np.unique(triangles, return_inverse=True)
    return Surface(points[used], compact.reshape(-1, 3), patch, names)
