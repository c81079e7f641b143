"""What a mesh kept of the shape it was made from: areas of patches, volumes of bodies, and the places of the largest losses."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brook.core.geometry.nearest import Nearest
from brook.core.geometry.plane import PlaneShape
from brook.core.geometry.surface import Surface, welded
from brook.core.mesh.boxes.plane import drawn_out
from brook.core.mesh.boxes.wishes import Facing
from brook.core.mesh.polyhedral import PLANE_SIDES, Mesh

FAR = 0.5  # of the longest side of the nearest cell, beyond which a place of the shape counts as lost
SAMPLES, LEAST = 40_000, 400  # places on a body, and on each of its patches at least, that stand for its surface
AGAINST = -0.7  # cosine between walls with a film between them
PLACES = 3  # of the largest losses of a patch that are told
THIN = 2.0  # cells, under which the width of a gap or a part explains a loss
WEDGE = 0.1  # of the widest gap where places are lost: narrower ones than this make it a wedge
Sampled = tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]


@dataclass(frozen=True)
class Loss:
    """A place (3,) in m on a shape that the mesh keeps away from by so many m, where its cells are so long; `what` lies there, a gap or
    a part, of a width in m, or nothing that is thin."""

    at: tuple[float, float, float]
    away: float
    size: float
    what: str
    width: float


@dataclass(frozen=True)
class KeptPatch:
    """Areas in m² of a patch of a body as drawn and in the mesh, the share of what is drawn that is lost, and that which lies in gaps
    that the plan closes."""

    body: str
    patch: str
    drawn: float
    meshed: float
    lost: float
    places: tuple[Loss, ...] = ()
    closed: float = 0.0
    wedge: bool = False
    depth: float = 0.0  # in m, of a plane shape

    @property
    def wish(self) -> float:
        """The size in m of cells that would keep it: two across what is thin, or half of those that stand there; of a wedge, which ends in
        nothing, most."""
        first = self.places[0]
        if self.wedge:
            return first.size / 4
        return first.width / 2 if first.what else first.size / 2

    @property
    def more_cells(self) -> float:
        """About how many cells more that would be: of this size, two deep along what is lost."""
        return 2.0 * self.lost * self.drawn / (self.wish * (self.depth or self.wish))


@dataclass(frozen=True)
class KeptBody:
    """Volumes of a body in m³ as drawn and in the mesh."""

    body: str
    drawn: float
    meshed: float


@dataclass(frozen=True)
class KeptWall:
    """Areas in m² over which two bodies touch as drawn and in the mesh."""

    one: str
    other: str
    drawn: float
    meshed: float


@dataclass(frozen=True)
class Account:
    patches: tuple[KeptPatch, ...]
    bodies: tuple[KeptBody, ...]
    walls: tuple[KeptWall, ...] = ()

    def over(self, limit: float) -> list[KeptPatch]:
        """Patches of which more than a share is lost, the largest loss first."""
        return sorted((p for p in self.patches if p.lost > limit), key=lambda p: -p.lost)

    def shrunk(self, limit: float) -> list[KeptBody]:
        """Bodies whose volume differs by more than a share."""
        return [b for b in self.bodies if abs(b.meshed - b.drawn) > limit * b.drawn]


def account(solids: list[tuple[str, Surface]], mesh: Mesh, touching: float = 0.0, closes: float = 0.0) -> Account:
    """What a mesh kept of the closed surfaces of its bodies, by their names. A film between two walls that are to be one, as they lie within
    `touching` m of each other, is no part of the shape; gaps narrower than `closes` m are closed on purpose."""
    patches: list[KeptPatch] = []
    bodies = []
    beyond = _beyond([s for _, s in solids])
    drawn: dict[tuple[int, int], list[float]] = {}
    for k, (name, surface) in enumerate(solids):
        number = mesh.bodies.index(name) if name in mesh.bodies else -1
        bodies.append(KeptBody(name, abs(surface.volume), float(mesh.volume[mesh.body == number].sum())))
        places, of, area = samples(surface)
        film, over = _over_film(surface, beyond[k], places, of, touching)
        ends = np.sort(np.stack([beyond[k][of], over], axis=1)[film], axis=1)
        for one, other in np.unique(ends[ends[:, 0] >= 0], axis=0):
            at = (ends == (one, other)).all(axis=1)
            drawn.setdefault((int(one), int(other)), [0.0, 0.0, 0.0])[2] += float(area[film][at].sum()) / 2
        for other in np.unique(beyond[k][beyond[k] >= 0]):
            pair = (min(k, int(other)), max(k, int(other)))
            exact = float(surface.areas[beyond[k] == other].sum())
            filled = float(area[film & (beyond[k][of] == other)].sum())
            drawn.setdefault(pair, [0.0, 0.0, 0.0])[int(other < k)] = exact - filled
        patches += _patches(name, surface, mesh, number, (places, of, area, film), closes)
    return Account(tuple(patches), tuple(bodies), _walls(solids, mesh, drawn) if len(solids) > 1 else ())


def plane_account(shape: PlaneShape, mesh: Mesh, closes: float = 0.0) -> Account:
    """The same of a plane shape, drawn out over its depth. Places lie half way up; neither end of the slice is part of the shape."""
    whole = drawn_out(shape, shape.depth)
    walls = whole.only(whole.patch < len(shape.patches))
    places, of, area = samples(walls)
    places[:, 2] = shape.depth / 2
    patches = _patches(shape.body, walls, mesh, 0, (places, of, area, np.zeros(len(places), bool)), closes)
    body = KeptBody(shape.body, shape.area * shape.depth, float(mesh.volume.sum()))
    return Account(tuple(replace(p, depth=shape.depth) for p in patches), (body,))


def _beyond(surfaces: list[Surface]) -> list[np.ndarray]:
    """Of each triangle of some surfaces which of them has one with the same corners, -1 for none."""
    corners = np.concatenate([s.points[s.triangles] for s in surfaces])
    every = welded(corners, np.zeros(len(corners), np.int64), ["wall"])
    body = np.repeat(np.arange(len(surfaces)), [s.count for s in surfaces])
    key = np.sort(every.triangles, axis=1)
    order = np.lexsort((body, *key.T[::-1]))
    twice = np.nonzero((np.diff(key[order], axis=0) == 0).all(axis=1))[0]
    one, other = order[twice], order[twice + 1]
    found = np.full(len(body), -1)
    found[one], found[other] = body[other], body[one]
    found[found == body] = -1  # a sheet within one body
    return np.split(found, np.cumsum([s.count for s in surfaces])[:-1])


def _over_film(
    surface: Surface, beyond: np.ndarray, places: np.ndarray, of: np.ndarray, touching: float
) -> tuple[np.ndarray, np.ndarray]:
    """Which places (n,) on the surface of a body have the wall of another one (-1: the outside) within `touching` over there, and whose."""
    film, found = np.zeros(len(places), bool), np.full(len(places), -1)
    if touching <= 0 or len(np.unique(beyond)) < 2:
        return film, found
    tree = Nearest.of(surface.points[surface.triangles], beyond + 1)
    label, _, triangle = tree.labels_near(places, np.full(len(places), touching), 4)
    unit = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    for k in range(label.shape[1] - 1, -1, -1):
        facing = np.einsum("ij,ij->i", unit[of], unit[np.maximum(triangle[:, k], 0)]) < AGAINST
        there = (label[:, k] >= 0) & (label[:, k] != beyond[of] + 1) & facing
        film |= there
        found[there] = label[there, k] - 1
    return film, found


def _walls(
    solids: list[tuple[str, Surface]], mesh: Mesh, drawn: dict[tuple[int, int], list[float]]
) -> tuple[KeptWall, ...]:  # fmt: skip
    """What every two bodies that touch have in common, as drawn (seen from both, the less counts, and films) and in faces of cells."""
    number = {name: k for k, (name, _) in enumerate(solids)}
    of = np.array([number.get(name, -1) for name in mesh.bodies])
    inner = np.arange(mesh.inner_count)
    here, there = of[mesh.body[mesh.owner[inner]]], of[mesh.body[mesh.neighbour[inner]]]
    apart = here != there
    faces = np.sort(np.stack([here, there], axis=1)[apart], axis=1)
    area = np.linalg.norm(mesh.face_vector[inner[apart]], axis=1)
    pairs = sorted(set(drawn) | {(int(a), int(b)) for a, b in np.unique(faces, axis=0)})
    found = []
    for a, b in pairs:
        one, other, film = drawn.get((a, b), (0.0, 0.0, 0.0))
        meshed = float(area[(faces == (a, b)).all(axis=1)].sum())
        found.append(KeptWall(solids[a][0], solids[b][0], min(one, other) + film, meshed))
    return tuple(found)


def _patches(
    name: str, surface: Surface, mesh: Mesh, number: int, sampled: Sampled, closes: float
) -> list[KeptPatch]:  # fmt: skip
    faces, cell, called = _skin(mesh, number)
    meshed = {n: 0.0 for n in surface.patches}
    area = np.linalg.norm(mesh.face_vector[faces], axis=1)
    for n in surface.patches:
        meshed[n] = float(area[called == n].sum())
    places, of, stands_for, film = sampled
    if len(faces):
        corners, face = _triangles(mesh, faces)
        found, triangle = Nearest.of(corners, np.zeros(len(corners), np.int64)).find(places)
        away = np.linalg.norm(found - places, axis=1)
        low, high = mesh.cell_box
        size = (high - low)[:, : 2 if mesh.is_plane else 3].max(axis=1)[cell[face[triangle]]]
    else:
        away, size = np.full(len(places), np.inf), np.full(len(places), np.cbrt(abs(surface.volume)))
    far = (away > FAR * size) & ~film
    facing = (Facing.of(surface, False), Facing.of(surface, True)) if far.any() else None
    closed = np.zeros(len(far), bool)
    if facing and closes > 0:
        closed[far] = facing[0].seen(places[far], of[far])[0] <= closes
        far &= ~closed
    told = []
    for k, patch in enumerate(surface.patches):
        here = surface.patch[of] == k
        filled = float(stands_for[here & film].sum())
        drawn = float(surface.areas[surface.patch == k].sum())
        if drawn <= filled:
            continue
        lost = float(stands_for[here & far].sum() / stands_for[here & ~film].sum())
        worst: tuple[Loss, ...] = ()
        wedge = False
        if lost > 0.0 and facing:
            gone = np.nonzero(here & far)[0]
            worst = _worst(gone, (places, of, away, size), facing)
            width = facing[0].seen(places[gone], of[gone])[0]
            narrow = width < THIN * size[gone]
            wedge = narrow.mean() > 0.5 and width[narrow].min() < WEDGE * width[narrow].max()
        shut = float(stands_for[here & closed].sum() / stands_for[here & ~film].sum())
        told.append(KeptPatch(name, patch, drawn - filled, meshed[patch], lost, worst, shut, bool(wedge)))
    return told


def _skin(mesh: Mesh, number: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Faces (n,) round a body, its cell at each, and what patch or wall each belongs to; without those of a slice."""
    outer = np.arange(mesh.inner_count, mesh.face_count)
    names = np.empty(len(outer), object)
    for patch in mesh.patches:
        names[patch.start - mesh.inner_count : patch.end - mesh.inner_count] = patch.name
    mine = (mesh.body[mesh.owner[outer]] == number) & (names != PLANE_SIDES)
    faces, cells, called = [outer[mine]], [mesh.owner[outer[mine]]], [names[mine]]
    between, walls, which = (
        mesh.between_bodies if len(mesh.wall) else (np.empty(0, np.int64), (), np.empty(0, np.int64))
    )
    for side in (mesh.owner, mesh.neighbour):
        here = mesh.body[side[between]] == number
        faces.append(between[here])
        cells.append(side[between[here]])
        called.append(np.array(walls, object)[which[here]] if len(walls) else np.empty(0, object))
    return np.concatenate(faces), np.concatenate(cells), np.concatenate(called)


def _triangles(mesh: Mesh, faces: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Triangles (t, 3, 3) of faces, each a fan about its centroid, and the place of its face among them (t,)."""
    offsets = mesh.face_offsets
    counts = offsets[faces + 1] - offsets[faces]
    face = np.repeat(np.arange(len(faces)), counts)
    within = np.arange(len(face)) - np.repeat(np.cumsum(counts) - counts, counts)
    first = np.repeat(offsets[faces], counts)
    one = mesh.points[mesh.face_points[first + within]]
    two = mesh.points[mesh.face_points[first + (within + 1) % np.repeat(counts, counts)]]
    return np.stack([mesh.face_centres()[faces][face], one, two], axis=1), face


def samples(surface: Surface) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Places (n, 3) that lie evenly on a surface, the triangle of each (n,), and the area (n,) it stands for."""
    areas = surface.areas
    of_patch = np.bincount(surface.patch, areas, len(surface.patches))
    step = np.minimum(areas.sum() / SAMPLES, of_patch / LEAST)[surface.patch]
    counts = np.maximum(1, np.ceil(areas / np.maximum(step, 1e-300))).astype(np.int64)
    of = np.repeat(np.arange(surface.count), counts)
    within = np.arange(len(of)) - np.repeat(np.cumsum(counts) - counts, counts)
    u = (within + 0.5) / counts[of]
    v = (0.5 + within * 0.6180339887498949) % 1.0
    root = np.sqrt(u)  # evenly over a triangle: Turk (1990)
    a, b, c = np.swapaxes(surface.points[surface.triangles[of]], 0, 1)
    places = (1 - root)[:, None] * a + (root * (1 - v))[:, None] * b + (root * v)[:, None] * c
    return places, of, (areas / counts)[of]


def _worst(lost: np.ndarray, sampled: Sampled, facing: tuple[Facing, Facing]) -> tuple[Loss, ...]:
    """The places farthest from the mesh, some cells apart from one another."""
    places, of, away, size = sampled
    left = lost[np.argsort(-away[lost], kind="stable")]
    told: list[Loss] = []
    while len(left) and len(told) < PLACES:
        k = left[0]
        told.append(_loss(places[k], int(of[k]), float(away[k]), float(size[k]), facing))
        left = left[np.linalg.norm(places[left] - places[k], axis=1) > 4 * size[k]]
    return tuple(told)


def _loss(place: np.ndarray, of: int, away: float, size: float, facing: tuple[Facing, Facing]) -> Loss:
    point = np.repeat(place[None, None], 3, axis=1)
    widths = [float(one.gap(point, np.array([of]))[0]) for one in facing]
    k = int(np.argmin(widths))
    thin = widths[k] < THIN * size
    x, y, z = place.tolist()
    return Loss((x, y, z), away, size, ("gap", "part")[k] if thin else "", widths[k] if thin else 0.0)
