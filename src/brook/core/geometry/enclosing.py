"""The spaces that a surface encloses, and the one that a wet point lies in.

Each triangle has two sides. Round every edge the side of one triangle looks at the side of the next one in turn;
sides that look at each other bound one space. So spaces come apart also where three or more triangles share an
edge, as the inside and the outside of a tube do at the rim of a cap.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.geometry.findings import kernels
from brook.core.geometry.findings.edges import free_loops, measures
from brook.core.geometry.mending.fill import fill_holes
from brook.core.geometry.surface import Surface
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
TRIES = 40
JUST_IN = 0.02  # of the way to the next wall
ALIKE = 1e-4  # rad: triangles round an edge that differ by less lie on each other


class EncloseError(ValueError):
    """Why no space can be taken out, in one line; `place` (3,) in m is where to look."""

    def __init__(self, message: str, place: np.ndarray | None = None):
        super().__init__(message)
        self.place = place


@dataclass(frozen=True, eq=False)
class Spaces:
    """Spaces beside a surface: `of` (T, 2) is that on the front and on the back of each triangle. `sheet` (T,) marks triangles of sheets,
    which may end in free edges."""

    surface: Surface
    of: np.ndarray
    sheet: np.ndarray

    @property
    def count(self) -> int:
        """How many spaces there are."""
        return int(self.of.max()) + 1

    def boundary(self, space: int) -> Surface:
        """All that bounds a space, looking out of it; a triangle that it has on both sides is there twice."""
        front, back = (np.nonzero(self.of[:, side] == space)[0] for side in (0, 1))
        triangles = np.concatenate([self.surface.triangles[front][:, ::-1], self.surface.triangles[back]])
        patch = np.concatenate([self.surface.patch[front], self.surface.patch[back]])
        whole = Surface(self.surface.points, triangles, patch, self.surface.patches)
        return whole.only(np.arange(whole.count))

    @cached_property
    def volumes(self) -> np.ndarray:
        """Volume within each space's own boundary in m³; negative for what lies outside of a shell."""
        s = self.surface
        middle = (s.box[0] + s.box[1]) / 2
        part = np.einsum("ij,ij->i", s.points[s.triangles].mean(axis=1) - middle, s.vectors) / 3
        return np.bincount(self.of[:, 1], part, self.count) - np.bincount(self.of[:, 0], part, self.count)

    @cached_property
    def open(self) -> np.ndarray:
        """Which spaces (n,) reach a free edge: they are not closed."""
        s = self.surface
        loose = (s.edges.uses == 1)[s.edges.of].any(axis=1) & ~self.sheet
        found = np.zeros(self.count, bool)
        found[self.of[loose].ravel()] = True
        return found


def spaces_of(surface: Surface, sheets: Iterable[str] = ()) -> Spaces:
    """The spaces beside a surface; shells that lie apart have their own, even inside each other. Patches named in `sheets` may end
    within a space."""
    edges = surface.edges
    flat = edges.of.ravel()
    triangle = np.repeat(np.arange(surface.count), 3)
    corner = np.tile(np.arange(3), surface.count)
    start = surface.triangles[triangle, corner]
    third = surface.points[surface.triangles[triangle, (corner + 2) % 3]]
    low, high = edges.ends[flat, 0], edges.ends[flat, 1]
    along = surface.points[high] - surface.points[low]
    forward = start == low
    # angle of each triangle round its edge, from a direction that only the edge decides
    reference = np.cross(along, np.eye(3)[np.argmin(np.abs(along), axis=1)])
    across = np.cross(along, reference) / np.maximum(np.linalg.norm(along, axis=1), 1e-300)[:, None]
    away = third - surface.points[low]
    angle = np.arctan2(np.einsum("ij,ij->i", away, across), np.einsum("ij,ij->i", away, reference))
    # of triangles at one place each lies a little to its own back, so that bodies that touch keep their own walls
    inward = np.where(forward, -1, 1)
    sorted_corners = np.sort(surface.triangles, axis=1)
    first_two = [np.argmax(surface.triangles == sorted_corners[:, [k]], axis=1) for k in (0, 1)]
    same_way = ((first_two[1] - first_two[0]) % 3 == 1)[triangle]
    rank = np.where(forward == same_way, triangle, -triangle)
    order = np.lexsort((rank, inward, _alike(angle, flat), flat))
    position = np.empty(len(flat), np.int64)
    position[order] = np.arange(len(flat))
    first = np.concatenate([[0], np.cumsum(edges.uses)])
    begin, end = first[flat], first[flat + 1]
    after = order[np.where(position + 1 < end, position + 1, begin)]
    # turning on from a triangle leads from the side that looks there to the side of the next that looks back
    mine = np.where(forward, 0, 1)
    theirs = np.where(forward[after], 1, 0)
    count = 2 * surface.count
    graph = coo_matrix((np.ones(len(flat)), (2 * triangle + mine, 2 * triangle[after] + theirs)), shape=(count, count))
    _, label = connected_components(graph, directed=False)
    return Spaces(surface, label.reshape(-1, 2), on_patches(surface, sheets))


def on_patches(surface: Surface, names: Iterable[str]) -> np.ndarray:
    """Which triangles (T,) are of patches with some names."""
    wanted = set(names)
    return np.array([name in wanted for name in surface.patches], bool)[surface.patch]


def _alike(angle: np.ndarray, edge: np.ndarray) -> np.ndarray:
    """Angles (n,) in rad round edges, those that differ by rounding alone made the same; nearly a whole turn is none."""
    order = np.lexsort((angle, edge))
    sorted_angle, sorted_edge = angle[order], edge[order]
    begins = np.ones(len(order), bool)
    begins[1:] = (sorted_edge[1:] != sorted_edge[:-1]) | (np.diff(sorted_angle) > ALIKE)
    first = np.nonzero(begins)[0]
    cluster = sorted_angle[first][np.cumsum(begins) - 1]
    lowest = sorted_angle[np.searchsorted(sorted_edge, sorted_edge)]
    cluster = np.where(lowest + 2 * np.pi - cluster <= ALIKE, lowest, cluster)
    found = np.empty(len(angle))
    found[order] = cluster
    return found


def space_at(spaces: Spaces, place: np.ndarray) -> int:
    """The space in whose boundary a place (3,) looks first. Raises `EncloseError` for a place on the surface."""
    surface, place = spaces.surface, np.asarray(place, float)
    corners = surface.points[surface.triangles]
    order = np.random.default_rng(0).permutation(surface.count)[:TRIES]
    for target in order:
        found = _first_hit(corners, place, corners[target].mean(axis=0) - place)
        if found is None:
            continue
        triangle, height = found
        if height == 0.0:
            raise EncloseError("the wet point lies on a wall; move it into the fluid", place)
        return int(spaces.of[triangle, 0 if height > 0 else 1])
    raise EncloseError("no wall can be seen from the wet point; move it a little", place)


def _first_hit(corners: np.ndarray, place: np.ndarray, way: np.ndarray) -> tuple[int, float] | None:
    """The triangle that a ray meets first and the height of its start over it; None when an edge may be meant."""
    a, u, v = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    across = np.cross(way, v)
    determinant = np.einsum("ij,ij->i", u, across)
    size = np.linalg.norm(way) * np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
    hit = np.abs(determinant) > 1e-10 * size
    over = np.where(hit, determinant, 1.0)
    offset = place - a
    p = np.einsum("ij,ij->i", offset, across) / over
    normal = np.cross(offset, u)
    q = normal @ way / over
    t = np.einsum("ij,ij->i", v, normal) / over
    inside = hit & (p > -1e-9) & (q > -1e-9) & (p + q < 1 + 1e-9) & (t > -1e-9)
    if not inside.any():
        return None
    k = int(np.nonzero(inside)[0][np.argmin(t[inside])])
    if min(p[k], q[k], 1 - p[k] - q[k]) < 1e-7:
        return None  # through an edge: another ray tells better
    return k, 0.0 if abs(t[k]) < 1e-9 else float(determinant[k])


def first_seen(surface: Surface, place: np.ndarray, way: np.ndarray) -> float | None:
    """How far from a place (3,) in a direction the surface is first met, in lengths of it; None when it is not."""
    reach = float(kernels.first_seen(surface.points, surface.triangles, place, way))
    return reach if np.isfinite(reach) else None


def enclosed(surface: Surface, wet_point: np.ndarray) -> Surface:
    """The closed surface of the space that a wet point lies in, looking out of it, with what stands within.

    Raises `EncloseError` when the space is not closed, or is all that lies outside.
    """
    spaces = spaces_of(surface)
    return boundary_of(spaces, spaces_around(spaces, wet_point))


def spaces_around(spaces: Spaces, wet_point: np.ndarray) -> list[int]:
    """The space that a wet point lies in, and the outsides of what stands free in it. Raises as `enclosed`."""
    space = space_at(spaces, np.asarray(wet_point, float))
    if spaces.open[space]:
        raise _leak(spaces, space)
    if spaces.volumes[space] > 0:
        # the wall seen first may be another's that cuts into the body which the point lies in
        inner = _around(spaces, np.asarray(wet_point, float))
        space = inner if inner is not None and spaces.volumes[inner] < spaces.volumes[space] else space
    if spaces.volumes[space] <= 0:
        # what the point sees first may stand free within a larger space
        outer = _around(spaces, np.asarray(wet_point, float))
        if outer is None:
            raise EncloseError(
                "the wet point lies outside of everything; move it into the fluid", np.asarray(wet_point)
            )
        space = outer
        if spaces.open[space]:
            raise _leak(spaces, space)
    return [space, *_standing_in(spaces, space)]


def boundary_of(spaces: Spaces, chosen: list[int]) -> Surface:
    """All that bounds some spaces, as one surface looking out of them."""
    parts = [spaces.boundary(k) for k in chosen]
    offsets = np.cumsum([0, *(len(p.points) for p in parts)])
    triangles = np.concatenate([p.triangles + o for p, o in zip(parts, offsets, strict=False)])
    points, patch = np.concatenate([p.points for p in parts]), np.concatenate([p.patch for p in parts])
    return Surface(points, triangles, patch, spaces.surface.patches)


def goes_round(spaces: Spaces, space: int, place: np.ndarray) -> bool:
    """Whether the boundary of a space goes round a place (3,)."""
    part = spaces.boundary(space)
    return bool(abs(kernels.solid_angle(part.points[part.triangles], np.array(place, float))) > 2 * np.pi)


def _around(spaces: Spaces, place: np.ndarray) -> int | None:
    """The smallest closed space round a place."""
    sizes = spaces.volumes
    candidates = [k for k in np.argsort(sizes) if sizes[k] > 0 and not spaces.open[k]]
    return next((int(k) for k in candidates if goes_round(spaces, int(k), place)), None)


def _standing_in(spaces: Spaces, space: int) -> list[int]:
    """Outsides of shells, and sheets, that stand free in a space. A sheet may reach out of it."""
    found = []
    sheets = np.zeros(spaces.count, bool)
    sheets[spaces.of[spaces.sheet].ravel()] = True
    for other in np.nonzero(((spaces.volumes < 0) | (sheets & (spaces.volumes == 0))) & ~spaces.open)[0]:
        shell = spaces.boundary(int(other))
        places = [_just_in(shell)] if spaces.volumes[other] < 0 else _spread_over(shell)
        if any(goes_round(spaces, space, at) and _around_shell(spaces, int(other), at) == space for at in places):
            found.append(int(other))
    return found


def _spread_over(sheet: Surface) -> list[np.ndarray]:
    """Some points (3,) on a sheet, all over it."""
    chosen = np.unique(np.linspace(0, sheet.count - 1, TRIES).round().astype(int))
    return list(sheet.points[sheet.triangles[chosen]].mean(axis=1))


def _just_in(shell: Surface) -> np.ndarray:
    """A point (3,) just inside a shell that is seen from outside, behind the middle of a large triangle: what it touches may go through any
    point on it, what stands within may fill its middle."""
    for k in np.argsort(-shell.areas)[:TRIES]:
        inward = shell.vectors[k] / max(float(np.linalg.norm(shell.vectors[k])), 1e-300)
        start = shell.points[shell.triangles[k]].mean(axis=0) + 1e-7 * shell.size * inward
        reach = first_seen(shell, start, inward)
        if reach is not None:
            return start + JUST_IN * reach * inward
    return shell.points[0]


def _around_shell(spaces: Spaces, shell: int, place: np.ndarray) -> int | None:
    """The smallest space round a shell, its own inside left out."""
    own = set(np.unique(spaces.of[np.any(spaces.of == shell, axis=1)]).tolist())
    sizes = spaces.volumes
    candidates = [k for k in np.argsort(sizes) if sizes[k] > 0 and k not in own and not spaces.open[k]]
    return next((int(k) for k in candidates if goes_round(spaces, int(k), place)), None)


def _leak(spaces: Spaces, space: int) -> EncloseError:
    surface = spaces.surface
    beside = np.any(spaces.of == space, axis=1)
    loops = [loop for loop in free_loops(surface) if beside[loop.triangles].any()]
    loops.sort(key=lambda loop: -measures(surface, loop)[0])
    at = surface.points[loops[0].points].mean(axis=0)
    length = show(measures(surface, loops[0])[0], LENGTH)
    count = f"{len(loops)} holes" if len(loops) > 1 else "a hole"
    where = ", ".join(f"{1000 * float(v):.4g}" for v in at)
    patch = surface.patches[surface.patch[loops[0].triangles[0]]]
    words = f"the fluid gets out through {count}, the largest {length} round at {where} mm; cap it, or say that {patch} is a sheet"
    return EncloseError(words, at)


def capped(surface: Surface, names: list[str], largest: float | None = None) -> Surface:
    """All closed lines of free edges filled flat, each a patch of its own, the longest with the first name.

    Raises `EncloseError` when there are fewer names than openings.
    """
    loops = [loop for loop in free_loops(surface) if loop.is_closed]
    loops.sort(key=lambda loop: -measures(surface, loop)[0])
    loops = [loop for loop in loops if largest is None or measures(surface, loop)[0] <= largest]
    if len(loops) > len(names):
        raise EncloseError(f"there are {len(loops)} openings and only {len(names)} names; name each one")
    for loop, name in zip(loops, names, strict=False):
        surface = fill_holes(surface, [loop], patch=name)
    return surface
