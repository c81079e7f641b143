"""A mesh of refined boxes for the space within a closed surface."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

import numpy as np

from brook.core.geometry.nearest import Sides
from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.core import Core, Keep
from brook.core.mesh.boxes.faces import Frame, frame_of
from brook.core.mesh.boxes.following import Following
from brook.core.mesh.boxes.keeping import Tell, kept, pruned
from brook.core.mesh.boxes.layers import Layers, grow
from brook.core.mesh.boxes.octree import MeshError, Octree, Zone, grid_for, refine
from brook.core.mesh.boxes.skin import LEAST, Features, Fitted, features_of, fit, kernels
from brook.core.mesh.boxes.wishes import by_bend, gaps_measured
from brook.core.mesh.kernels import used_points
from brook.core.mesh.ordering import order_by
from brook.core.mesh.polyhedral import Mesh

PLATE = 1  # boxes at most that are wanted across what is not meshed
MERGE_ANGLE = 40.0  # degrees from the mean that sides of one cell may have to be joined


class Region(Protocol):
    """Where cells are to be finer."""

    def test(self, surface: Surface) -> Zone:
        """What tells which boxes reach into the region."""


@dataclass(frozen=True)
class Sizes:
    """Sides of boxes in m: in the bulk, where patches are (by name), and in zones; `smallest` is a lower bound.

    Boxes are `stretch` times as long along each axis. `per_turn` boxes stand round a full turn of a bent wall and `per_gap` across a gap, 0 for no such wish. Twice
    `buffer` boxes of each size stand at least before the next larger ones. `following` are the sizes that a run asks for besides.
    """

    bulk: float
    patches: dict[str, float] = field(default_factory=dict)
    smallest: float = 0.0
    buffer: int = 1
    zones: tuple[tuple[float, Region], ...] = ()
    per_turn: float = 0
    per_gap: float = 0
    stretch: tuple[float, float, float] = (1.0, 1.0, 1.0)
    following: Following | None = None


def _wished(surface: Surface, sizes: Sizes, both: bool = False) -> tuple[np.ndarray, np.ndarray]:
    """Triangles (n, 3, 3), cut up where gaps are to be measured, and the size (n,) in m that each asks for; before
    them, where there are no bodies on `both` sides, plates of nothing are measured."""
    by_patch = np.array([sizes.patches.get(name, sizes.bulk) for name in surface.patches])
    wanted = by_patch[surface.patch]
    if not (sizes.bulk > 0 and (wanted > 0).all() and all(size > 0 for size, _ in sizes.zones)):
        raise MeshError("a size must be larger than nothing")
    least = sizes.smallest or min(sizes.bulk, by_patch.min(initial=np.inf)) / 8
    corners = surface.points[surface.triangles]
    if sizes.per_turn:
        wanted = np.minimum(wanted, by_bend(surface, sizes.per_turn))
    if sizes.per_gap:
        # what lies behind the walls: another body, or a plate that must not fall between boxes
        behind = sizes.per_gap if both else min(sizes.per_gap, PLATE)
        corners, wanted = gaps_measured(surface, wanted, sizes.per_gap, behind, 2 * sizes.bulk, least)
    return corners, np.maximum(wanted, least)


def build(
    surface: Surface,
    sizes: Sizes,
    body: str = "fluid",
    tell: Tell = lambda _: None,
    wet: np.ndarray | None = None,
    layers: Sequence[Layers] = (),
    keep: Keep = lambda make: make(),
) -> Mesh:
    """The mesh within a closed surface whose triangles look out of it. Raises `MeshError`.

    `tell` hears what is done next, often; what it raises ends the work. Where cells are too large for a neck the part
    with the wet point (3,) is kept, or else the largest. `keep` may have the boxes as they were fitted for these sizes before.
    """
    if sizes.stretch != (1.0, 1.0, 1.0):
        by = np.array(sizes.stretch)
        pressed = surface.placed(surface.points / by)
        made = build(pressed, pressed_in(sizes, surface), body, tell, None if wet is None else wet / by, layers, keep)
        return replace(made, points=made.points * by)
    features = features_of(surface)
    core = Core.of(keep(lambda: _fitted(surface, sizes, features, tell, wet).arrays()))
    if layers:
        core = grow(core, features, layers, tell)
    return core.mesh(features, body)


def _fitted(surface: Surface, sizes: Sizes, features: Features, tell: Tell, wet: np.ndarray | None) -> Core:
    """Boxes within a closed surface, fitted to it, without layers."""
    octree = grid_of(surface, sizes, tell)
    tell("telling inside from outside")
    sides = Sides.of(surface)
    octree = pruned(octree, [sides])
    inside = kept(octree, sides, wet, tell)
    del sides
    if not inside.any():
        raise MeshError("no box lies inside the shape; choose a smaller size")
    tell("making faces")
    frame = frame_of(octree, inside)
    del octree, inside  # they are as large as the mesh
    tell("fitting the skin")
    fitted = fit(frame, features, tell)
    tell("joining sides")
    return core_of(frame, fitted)


@dataclass(frozen=True)
class _Pressed:
    """A zone of a shape that is pressed together to be meshed."""

    zone: Region
    surface: Surface
    by: tuple[float, float, float]

    def test(self, _: Surface) -> Zone:
        reached, by = self.zone.test(self.surface), np.array(self.by)
        return lambda middle, half: reached(middle * by, half * float(by.max()))


def pressed_in(sizes: Sizes, surface: Surface) -> Sizes:
    """Sizes for a surface that is pressed together along the axes by as much as boxes are to be stretched later."""
    zones = tuple((size, _Pressed(zone, surface, sizes.stretch)) for size, zone in sizes.zones)
    following = sizes.following and sizes.following.pressed(np.array(sizes.stretch))
    return replace(sizes, stretch=(1.0, 1.0, 1.0), zones=zones, following=following)


def grid_of(
    surface: Surface, sizes: Sizes, tell: Tell, names: dict[int, str] | None = None, floor: bool = False
) -> Octree:
    """Boxes as fine as all wishes want them. `names` are those that zones know patches by, where they have others here.
    Raises `MeshError`."""
    tell("looking at sizes")
    corners, wanted = _wished(surface, sizes, names is not None)
    known = surface if names is None else replace(surface, patches=tuple(names[k] for k in range(len(surface.patches))))
    zones = [(max(sizes.smallest, size), region.test(known)) for size, region in sizes.zones]

    def made(more: tuple[tuple[float, Region], ...]) -> Octree:
        own = [(max(sizes.smallest, size), region.test(known)) for size, region in more]
        return _boxes(surface, sizes, corners, wanted, [*zones, *own], floor)

    if sizes.following is None:
        tell("halving boxes")
        return made(())
    tell("halving and joining boxes as the run asks for")
    return made(sizes.following.bound([test for _, test in zones]).fitted(made))


def _boxes(
    surface: Surface, sizes: Sizes, corners: np.ndarray, wanted: np.ndarray, zones: list[tuple[float, Zone]],
    floor: bool = False,
) -> Octree:  # fmt: skip
    """Boxes as fine as triangles (n, 3, 3) and zones want them."""
    finest = min([sizes.bulk, float(wanted.min()), *(size for size, _ in zones)])
    grid = grid_for(surface.box, sizes.bulk, finest, floor)

    def halvings(size: np.ndarray | float) -> np.ndarray:
        return np.ceil(np.log2(sizes.bulk / np.asarray(size)) - 1e-9).clip(0).astype(np.int64)

    return refine(
        grid, corners, halvings(wanted), [(int(halvings(size)), test) for size, test in zones], buffer=sizes.buffer
    )


def core_of(frame: Frame, fitted: Fitted, between: np.ndarray | None = None) -> Core:
    """The fitted frame with sides of one cell on one region joined, but for those `between` (skin faces,) bodies."""
    inner = frame.within
    offsets = frame.offsets[: inner + 1]
    flat = frame.flat[: offsets[-1]]
    skin_flat, skin_offsets, skin_owner, skin_label = _joined(frame, fitted, between)
    face_points = np.concatenate([flat, skin_flat])
    used = used_points(face_points, len(fitted.points))
    return Core(
        fitted.points[used], face_points, np.concatenate([offsets, offsets[-1] + skin_offsets[1:]]),
        np.concatenate([frame.owner[:inner], skin_owner]),
        np.concatenate([frame.neighbour[:inner], np.full(len(skin_owner), -1)]), skin_label, frame.size,
        np.zeros(len(frame.size), np.int64),
    )  # fmt: skip


def _joined(
    frame: Frame, fitted: Fitted, between: np.ndarray | None
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Skin polygons as CSR with owner and label; those of a cell that joining would make unsound stay apart."""
    inner = frame.within
    polygon, corners, owner = frame.polygon[inner:], frame.corners[inner:], frame.owner[inner:]
    order = order_by(owner, fitted.label)
    polygon, owner, label = polygon[order], owner[order], fitted.label[order]
    alone = np.zeros(len(label), bool) if between is None else between[order]
    flat, offsets = polygon[polygon >= 0], np.concatenate([[0], np.cumsum(corners[order])])
    skinned = np.bincount(owner, minlength=len(frame.size)) > 0
    near = kernels.faces_near(frame.owner[:inner], frame.neighbour[:inner], skinned)
    near_polygon, near_owner, near_neighbour = frame.polygon[near], frame.owner[near], frame.neighbour[near]
    near_flat, near_offsets = near_polygon[near_polygon >= 0], np.concatenate([[0], np.cumsum(frame.corners[near])])
    apart = np.zeros(len(frame.size), bool)
    while True:
        # sides of such a cell are of no region but their own
        key = np.where(apart[owner] | alone, np.arange(len(label)), -1 - label)
        made = kernels.merged(fitted.points, flat, offsets, owner, key, np.cos(np.radians(MERGE_ANGLE)))
        points, joined_offsets, first = made
        bad = kernels.unsound(
            fitted.points, np.concatenate([near_flat, points]), np.concatenate([near_offsets, near_offsets[-1] + joined_offsets[1:]]),
            np.concatenate([near_owner, owner[first]]),
            np.concatenate([near_neighbour, np.full(len(first), -1)]), frame.size, LEAST / 4,
        )  # fmt: skip
        joined = np.bincount(owner, minlength=len(frame.size)) > np.bincount(owner[first], minlength=len(frame.size))
        worse = bad & joined & ~apart
        if not worse.any():
            return points, joined_offsets, owner[first], label[first]
        apart |= worse
