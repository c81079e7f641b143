"""Several bodies in one mesh, their faces matching where they touch.

Boxes are given to bodies, the walls between are fitted once, and each body then has its sides joined and its layers
grown for itself; nothing of that moves a point on a wall, so that both sides of it fit each other.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brook.core.geometry.nearest import Sides
from brook.core.geometry.surface import Surface, welded
from brook.core.mesh.assembling import Polygons, assembled
from brook.core.mesh.boxes.build import Sizes, core_of, grid_of
from brook.core.mesh.boxes.core import Arrays, Core, Keep
from brook.core.mesh.boxes.faces import Frame, frame_of
from brook.core.mesh.boxes.keeping import Tell, kept_by_bodies, pruned
from brook.core.mesh.boxes.layers import Layers, grow
from brook.core.mesh.boxes.octree import MeshError
from brook.core.mesh.boxes.sheets import parted, split, without_sheets
from brook.core.mesh.boxes.skin import Features, Fitted, features_of, fit
from brook.core.mesh.polyhedral import Mesh

SAG = 0.1  # of the side of a cell: how far its sides may lie from a bent wall between bodies


@dataclass(frozen=True, eq=False)
class Solid:
    """A body that is to be meshed: its closed surface, looking out, a point (3,) in it, and its layers. A fluid gives way to what
    touches it."""

    name: str
    surface: Surface
    wet: np.ndarray
    layers: tuple[Layers, ...] = ()
    fluid: bool = False


@dataclass(frozen=True, eq=False)
class _Walls:
    """All walls once, looking out of the body with the lower number. Patches of the surface are told apart by the
    bodies (patches, 2) on their two sides too, -1 for nothing; a sheet has the same body on both. `names` are what they are called."""

    surface: Surface
    bodies: np.ndarray
    names: tuple[str, ...]

    @property
    def between(self) -> np.ndarray:
        return (self.bodies[:, 1] >= 0) & ~self.sheet

    @property
    def sheet(self) -> np.ndarray:
        found: np.ndarray = self.bodies[:, 0] == self.bodies[:, 1]
        return found

    def with_more(self, bodies: np.ndarray, like: np.ndarray) -> _Walls:
        """The same with walls between such `bodies` (n, 2), called like those numbers (n,)."""
        surface = replace(self.surface, patches=tuple(str(k) for k in range(len(like))))
        return _Walls(surface, bodies, tuple(self.names[k] for k in like))

    def along(self, layers: Layers, body: int) -> Layers:
        """Layers along the same walls, by what these are told apart by, where a body has them."""
        kinds = [k for k, name in enumerate(self.names) if name in layers.patches and body in self.bodies[k]]
        return replace(layers, patches=tuple(map(str, kinds)))


def _walls_of(solids: list[Solid]) -> _Walls:
    names = sorted({name for s in solids for name in s.surface.patches})
    corners = np.concatenate([s.surface.points[s.surface.triangles] for s in solids])
    patch = np.concatenate([np.array([names.index(n) for n in s.surface.patches])[s.surface.patch] for s in solids])
    body = np.repeat(np.arange(len(solids)), [s.surface.count for s in solids])
    all_ = welded(corners, patch, names)
    key = np.sort(all_.triangles, axis=1)
    _, first, inverse = np.unique(key, axis=0, return_index=True, return_inverse=True)
    inverse = inverse.ravel()
    other = np.full(len(first), -1)
    later = np.arange(len(key)) != first[inverse]
    other[inverse[later]] = body[later]
    sides = np.stack([patch[first], body[first], other], axis=1)
    kinds, number = np.unique(sides, axis=0, return_inverse=True)
    surface = Surface(all_.points, all_.triangles[first], number.ravel(), tuple(str(k) for k in range(len(kinds))))
    return _Walls(surface, kinds[:, 1:], tuple(names[k] for k in kinds[:, 0]))


def build_bodies(
    solids: list[Solid], sizes: Sizes, tell: Tell = lambda _: None, touching: float = 0.0, keep: Keep = lambda make: make()
) -> Mesh:  # fmt: skip
    """The mesh of bodies that may touch: faces between two of them are inner faces, also where each has a wall of its own and
    these lie within `touching` m of each other. `keep` may have the boxes as they were fitted for these sizes before. Raises `MeshError`."""
    walls = _walls_of(solids)
    features = features_of(walls.surface, rims=bool(walls.sheet.any()))
    known = keep(lambda: _fitted(solids, sizes, walls, features, tell, touching))
    walls, patch_of = walls.with_more(known["bodies"], known["like"]), known["patch"]
    features = replace(features, surface=walls.surface, patch=patch_of)
    cores = [Core.of(known, f"{k}.") for k in range(len(solids))]
    del known  # each body's boxes go when its layers stand
    for k, one in enumerate(solids):
        if one.layers:
            still = walls.between[patch_of[cores[k].label]]
            cores[k] = grow(cores[k], features, [walls.along(g, k) for g in one.layers], tell, still)
    tell("putting bodies together")
    return _united(solids, cores, walls, patch_of)


def _fitted(
    solids: list[Solid], sizes: Sizes, walls: _Walls, features: Features, tell: Tell, touching: float
) -> Arrays:  # fmt: skip
    """Boxes of all bodies, fitted to their walls, without layers: the arrays of each body's, the `patch` (regions,) of each region,
    the `bodies` (patches, 2) on both sides of each patch, and `like` which other (patches,) each is called."""
    by_kind = {str(k): sizes.patches.get(name, sizes.bulk) for k, name in enumerate(walls.names)}
    octree = grid_of(walls.surface, replace(sizes, patches=by_kind), tell, dict(enumerate(walls.names)))
    tell("telling bodies apart")
    sides = [Sides.of(without_sheets(s.surface)) for s in solids]
    octree = pruned(octree, sides)
    gives_way = np.array([s.fluid and touching > 0 for s in solids])
    body = kept_by_bodies(octree, sides, [s.wet for s in solids], tell, gives_way)
    for k, one in enumerate(solids):
        if not (body == k).any():
            raise MeshError(f"no box lies inside {one.name}; choose a smaller size there")
    tell("making faces")
    cut = None
    if walls.sheet.any():
        sheet = walls.surface.triangles[walls.sheet[walls.surface.patch]]
        cut = parted(octree, body, walls.surface.points[sheet])
    frame = frame_of(octree, body >= 0, body, cut)
    tell("fitting the skin")
    fitted = fit(frame, features, tell, walls.bodies)
    found: Arrays = {"bodies": walls.bodies, "like": np.arange(len(walls.names)), "patch": features.patch}
    if touching > 0:
        fitted = _met(frame, sides, walls, fitted, touching, found)
    for k, one in enumerate(solids):
        tell(f"joining sides of {one.name}")
        part, mine, shared = _part(frame, fitted, k)
        core = core_of(part, mine, shared)
        found |= split(core, _of_sheets(walls.sheet, found["patch"][core.label])).arrays(f"{k}.")
    return found


def _of_sheets(sheet: np.ndarray, patch: np.ndarray) -> np.ndarray:
    """Which faces of patches (n,) are sides of sheets; patches behind those known are walls between bodies that met."""
    return np.append(sheet, False)[np.minimum(patch, len(sheet))]


def _met(
    frame: Frame, sides: list[Sides], walls: _Walls, fitted: Fitted, touching: float, found: Arrays
) -> Fitted:  # fmt: skip
    """The same where sides of cells between two bodies that have walls of their own there, within `touching` of each other, are of a
    wall between them, called as the wall that they were fitted to; such walls come to those in `found`."""
    kind = found["patch"][fitted.label]
    other = frame.neighbour[frame.within :]
    alone = np.nonzero((other >= 0) & ~walls.between[kind] & ~walls.sheet[kind])[0]
    if not len(alone):
        return fitted
    polygon, corners = frame.polygon[frame.within :][alone], frame.corners[frame.within :][alone]
    middle = np.where((polygon >= 0)[:, :, None], fitted.points[polygon], 0.0).sum(axis=1) / corners[:, None]
    pair = np.sort(np.stack([frame.body[frame.owner[frame.within :][alone]], frame.body[other[alone]]], axis=1), axis=1)
    far = np.zeros(len(alone))
    for k, one in enumerate(sides):
        here = (pair == k).any(axis=1)
        far[here] = np.maximum(far[here], np.abs(one.distance(middle[here])))
    # a flat side of cells leaves a bent wall by its own sagitta too
    near = far <= touching + SAG * frame.size[frame.owner[frame.within :][alone]]
    new, number = np.unique(np.column_stack([kind[alone][near], pair[near]]), axis=0, return_inverse=True)
    label = fitted.label.copy()
    label[alone[near]] = len(found["patch"]) + number.ravel()
    found["patch"] = np.concatenate([found["patch"], len(walls.names) + np.arange(len(new))])
    found["bodies"] = np.concatenate([walls.bodies, new[:, 1:]])
    found["like"] = np.concatenate([found["like"], new[:, 0]])
    return replace(fitted, label=label)


def _part(frame: Frame, fitted: Fitted, k: int) -> tuple[Frame, Fitted, np.ndarray]:
    """What belongs to one body, cells numbered from 0, and which of its skin another body has too; it has both sides of sheets."""
    mine = frame.body == k
    number = np.cumsum(mine) - 1
    other = np.maximum(frame.neighbour, 0)
    here, there = mine[frame.owner], (frame.neighbour >= 0) & mine[other]
    every = np.arange(len(frame.owner))
    within = every[(every < frame.within) & here]
    wall = every[(every >= frame.within) & (here | there)]
    twice = every[(every >= frame.within) & here & there]
    turn = np.concatenate([~here[wall], np.ones(len(twice), bool)])
    wall = np.concatenate([wall, twice])
    polygon = frame.polygon[wall].copy()
    for row in np.nonzero(turn)[0]:
        count = frame.corners[wall[row]]
        polygon[row, :count] = polygon[row, :count][::-1]
    part = Frame(
        frame.points, np.concatenate([frame.polygon[within], polygon]),
        np.concatenate([frame.corners[within], frame.corners[wall]]),
        number[np.concatenate([frame.owner[within], np.where(turn, other[wall], frame.owner[wall])])],
        np.concatenate([number[other[within]], np.full(len(wall), -1)]), frame.size[mine],
        np.zeros(int(mine.sum()), np.int64), len(within), np.ones(len(wall)),
    )  # fmt: skip
    at = wall - frame.within
    return (
        part,
        Fitted(fitted.points, fitted.label[at], fitted.held_back),
        (frame.neighbour[wall] >= 0) & ~(here & there)[wall],
    )


def _united(solids: list[Solid], cores: list[Core], walls: _Walls, patch_of: np.ndarray) -> Mesh:
    """One mesh of the meshes of all bodies; points at exactly the same place on walls between them are one."""
    points = np.concatenate([c.points for c in cores])
    first_point = np.concatenate([[0], np.cumsum([len(c.points) for c in cores])])
    first_cell = np.concatenate([[0], np.cumsum([len(c.size) for c in cores])])
    shared = np.zeros(len(points), bool)
    skins, labels, apart = [], [], []
    for k, core in enumerate(cores):
        flat, offsets, _ = core.skin
        skins.append(Polygons(flat + first_point[k], offsets))
        labels.append(patch_of[core.label])
        shared[skins[-1].flat[np.repeat(walls.between[labels[-1]], np.diff(offsets))]] = True
    same = np.arange(len(points))
    at = np.nonzero(shared)[0]
    _, first, inverse = np.unique(points[at], axis=0, return_index=True, return_inverse=True)
    same[at] = at[first[inverse.ravel()]]
    sides, cell = None, []
    for k, core in enumerate(cores):
        every = Polygons(same[core.flat + first_point[k]], core.offsets)
        inner = core.inner_count
        turned = every.part(np.arange(inner)).turned()
        both = every.and_(turned)
        sides = both if sides is None else sides.and_(both)
        apart += [np.zeros(inner, bool), walls.sheet[labels[k]], np.zeros(inner, bool)]
        cell += [core.owner + first_cell[k], core.neighbour[:inner] + first_cell[k]]
    assert sides is not None
    patches = []
    for name in dict.fromkeys(walls.names):
        kinds = [n for n, other in enumerate(walls.names) if other == name]
        for skin, label in zip(skins, labels, strict=True):
            chosen = np.nonzero(np.isin(label, kinds))[0]
            if len(chosen):
                faces = skin.part(chosen)
                patches.append((name, Polygons(same[faces.flat], faces.offsets)))
    bodies = tuple(s.name for s in solids)
    body = np.repeat(np.arange(len(solids)), np.diff(first_cell))
    mesh = assembled(
        points, sides, np.concatenate(cell), _by_name(patches), "rest", bodies, body, np.concatenate(apart)
    )
    return replace(mesh, layer=np.concatenate([c.layer for c in cores]))


def _by_name(patches: list[tuple[str, Polygons]]) -> list[tuple[str, Polygons]]:
    found: dict[str, Polygons] = {}
    for name, faces in patches:
        found[name] = found[name].and_(faces) if name in found else faces
    return list(found.items())
