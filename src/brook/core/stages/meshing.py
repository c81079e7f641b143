"""The mesh of a variant, from what its plan says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.checks.pairs import pairs_in
from brook.core.geometry.bodies import bodies_of
from brook.core.geometry.shaping import looks_for_contacts
from brook.core.geometry.surface import Surface
from brook.core.mesh import Mesh, boxes, lines
from brook.core.mesh.pairs import FLAT, Pair, bent, match
from brook.core.physics.plate import friction_speed
from brook.core.stages.following import FAR_OFF, far_off, follow_of
from brook.core.study.resolve import Resolved

# Kinds of walls that fluid sticks to: layers stand along these.
STICKING = ("wall", "sliding", "turning")


def make_mesh(
    prepared: Prepared, tell: Callable[[str], None] = lambda _: None, following: boxes.Following | None = None
) -> Mesh:
    """The mesh of a plane variant without problems; `following` are the sizes that a run asks for."""
    shape = prepared.shape
    assert shape is not None
    if prepared.plan.way == "boxes":
        layers = space_layers(prepared, shape.patches)
        sizes = with_following(space_sizes(prepared, shape.patches), prepared, following)
        return checked(told_count(boxes.build_plane(shape, sizes, tell, layers), following, tell), prepared)
    return lines.build(shape, prepared.plan)


def space_sizes(prepared: Prepared, patches: tuple[str, ...]) -> boxes.Sizes:
    """Sizes of boxes for a shape in space: each is twice the next smaller one, after as many as the growth needs."""
    plan = prepared.plan
    own = {name: size for name, size in plan.patches.items() if name in patches}
    sizes = {name: min(plan.bulk, own.get(name, plan.wall)) for name in sorted(patches)}
    before_next = np.log(2.0) / np.log(plan.growth)
    buffer = int(np.clip(round(before_next / 2), 1, 6))
    zones = tuple((min(plan.bulk, zone.size), _region(zone)) for zone in plan.zones)
    stretch = (plan.stretch.x, plan.stretch.y, plan.stretch.z)
    bulk = plan.bulk
    if follow_of(prepared) is not None:  # what the run needs finer is finer still
        bulk, sizes = 2 * bulk, {name: 2 * size for name, size in sizes.items()}
    return boxes.Sizes(bulk, sizes, plan.smallest, buffer, zones, plan.per_turn, plan.per_gap, stretch)


def with_following(sizes: boxes.Sizes, prepared: Prepared, following: boxes.Following | None) -> boxes.Sizes:
    """The same sizes with those that a run asks for, where the statement of the plan lets it."""
    follow = follow_of(prepared)
    if following is None or follow is None:
        return sizes
    return replace(sizes, following=replace(following, where=follow.where))


def told_count(mesh: Mesh, following: boxes.Following | None, tell: Callable[[str], None]) -> Mesh:
    """The mesh; says where it has other cells than were wished of one that follows a run."""
    if following is not None and far_off(mesh.cell_count, following.cells):
        tell(f"{mesh.cell_count} cells come of {following.cells} wished: {FAR_OFF}")
    return mesh


def _region(zone: Resolved) -> boxes.Box | boxes.Rod | boxes.Near:
    if zone.kind == "near":
        return boxes.Near(zone.patch, zone.distance)
    at = (zone.x, zone.y, zone.z)
    if zone.kind == "box":
        return boxes.Box(at, (zone.x + zone.width, zone.y + zone.depth, zone.z + zone.height))
    end = at if zone.kind == "ball" else (zone.end_x, zone.end_y, zone.end_z)
    return boxes.Rod(at, end, zone.diameter / 2)


def space_layers(prepared: Prepared, patches: tuple[str, ...]) -> tuple[boxes.Layers, ...]:
    """The layers along walls, group by group; where no patch is named they stand along all walls."""
    plan = prepared.plan.layers
    if plan is None:
        return ()
    own = {name for group in plan.groups for name in group.patches}
    others = {b.patch for b in prepared.said if b.kind not in STICKING}
    rest = [p for p in patches if p not in own and (p in plan.patches if plan.patches else p not in others)]
    found = [_layers_of(plan, rest, prepared)]
    found += [_layers_of(group, [p for p in patches if p in group.patches], prepared) for group in plan.groups]
    return tuple(group for group in found if group.patches)


def _layers_of(plan: Any, patches: list[str], prepared: Prepared) -> boxes.Layers:
    """The layers that a group of the plan wants along patches."""
    first = plan.height
    if plan.height_of == "all":
        first = plan.height / float((plan.growth ** np.arange(plan.number)).sum())
    elif plan.height_of == "y_plus":
        assert prepared.fluid is not None
        first = 2 * plan.y_plus * prepared.fluid.kinematic_viscosity / friction_speed(plan, prepared.fluid)[1]
    return boxes.Layers(tuple(sorted(patches)), plan.number, first, plan.growth)


def make_space_mesh(
    prepared: Prepared, surface: Surface, tell: Callable[[str], None], following: boxes.Following | None = None,
    keep: boxes.Keep = lambda make: make(),
) -> Mesh:  # fmt: skip
    """The mesh of the body of a shape in space; `surface` is what it stands on, `following` are the sizes that a run asks for, and `keep`
    may have the boxes without layers. Raises `ValueError`."""
    bodies = bodies_of(surface, prepared.geometry.bodies, prepared.geometry.sheets)[0]
    solids, fluids = [], []
    for body, point in zip(bodies, prepared.geometry.bodies, strict=True):
        if body.surface is None:
            raise boxes.MeshError(f"{body.name}: {body.problem}")
        wet = np.array([point.x, point.y, point.z], float)
        solids.append(boxes.Solid(body.name, _with_own_patches(body.surface), wet, fluid=body.holds == "fluid"))
        if body.holds == "fluid":
            fluids.append(solids[-1])
    wetted = {name for fluid in fluids for name in fluid.surface.patches}
    for boundary in prepared.boundaries:
        if boundary.patch not in wetted:
            words = " or ".join(fluid.name for fluid in fluids)
            raise boxes.MeshError(f"{boundary.patch} does not touch {words}; say something of another patch")
    names = tuple(sorted({name for solid in solids for name in solid.surface.patches}))
    sizes = with_following(space_sizes(prepared, names), prepared, following)
    if len(solids) == 1 and not boxes.doubled(solids[0].surface).any():
        one = solids[0]
        layers = space_layers(prepared, one.surface.patches)
        made = boxes.build(one.surface, sizes, one.name, tell, one.wet, layers, keep)
        return checked(told_count(made, following, tell), prepared)
    plan = prepared.plan.layers
    layered = [
        replace(solid, layers=space_layers(prepared, tuple(wetted & set(solid.surface.patches))))
        if solid in fluids or (plan is not None and plan.sides == "both") else solid
        for solid in solids
    ]  # fmt: skip
    together = boxes.build_bodies(layered, sizes, tell, touching_of(prepared), keep)
    return checked(told_count(together, following, tell), prepared)


def touching_of(prepared: Prepared) -> float:
    """Within how many m of each other walls of two solids are one in the mesh too; 0 where none are looked for."""
    return prepared.geometry.touching if looks_for_contacts(prepared.geometry) else 0.0


def _with_own_patches(surface: Surface) -> Surface:
    """The same with only those patches that have a triangle."""
    used = np.unique(surface.patch)
    names = tuple(surface.patches[k] for k in used)
    return Surface(surface.points, surface.triangles, np.searchsorted(used, surface.patch), names)


def pairs_of(prepared: Prepared, mesh: Mesh) -> list[Pair]:
    """The periodic pairs that the plan wants of patches in a mesh."""
    return pairs_in(prepared.plan, tuple(p.name for p in mesh.patches))


def told_pairs(prepared: Prepared, mesh: Mesh) -> list[dict[str, Any]]:
    """Of every periodic pair that the plan wants of patches in this mesh: what it is found to be."""
    found = []
    for pair in pairs_of(prepared, mesh):
        matched = match(mesh, pair.patch, pair.motion)
        words = f"{len(matched.faces)} sides match those of {matched.other}, {matched.off:.1e} m off at most"
        found.append({"patch": pair.patch, "other": matched.other, "problem": bool(matched.problem),
                      "words": matched.problem or words})  # fmt: skip
    return found


def bent_symmetries(prepared: Prepared, mesh: Mesh) -> list[str]:
    """Patches that are said to be planes of symmetry but are not flat."""
    names = {p.name for p in mesh.patches}
    wanted = [b.patch for b in prepared.boundaries if b.kind == "symmetry" and b.patch in names]
    return [name for name in wanted if bent(mesh, name) > np.arccos(FLAT)]


def checked(mesh: Mesh, prepared: Prepared) -> Mesh:
    """A mesh that has every patch of which something is said. Raises `ValueError`."""
    found = {p.name for p in mesh.patches} | {mesh.walls[k] for k in np.unique(mesh.wall) if k >= 0}
    for boundary in prepared.boundaries:
        if boundary.patch not in found:
            raise ValueError(
                f"the cells are too large for {boundary.patch}: none has a side there; choose smaller ones"
            )
    return mesh
