"""What a mesh is expected to cost before it is made."""

from __future__ import annotations

from dataclasses import replace
from math import hypot
from typing import Any

from brook.core.checks import Prepared
from brook.core.mesh import boxes
from brook.core.mesh.boxes import SpaceEstimate
from brook.core.mesh.lines import estimate
from brook.core.stages.following import follow_of
from brook.core.stages.meshing import space_layers, space_sizes
from brook.core.study.space import has_own_mesh


def in_space(prepared: Prepared, bodies: list[dict[str, Any]]) -> SpaceEstimate | None:
    """For a shape in space with these bodies; None while they are not known or its plan is not sound."""
    bodies = [b for b in bodies if not b["problem"]]
    if prepared.space is None or prepared.space.patches is None or not bodies or not _is_sound(prepared):
        return None
    areas = {p["name"]: p["area"] for body in bodies for p in body["patches"]}
    layers = space_layers(prepared, tuple(areas))
    found = boxes.estimate(sum(b["volume"] for b in bodies), areas, space_sizes(prepared, tuple(areas)), layers)
    return _followed(found, prepared)


def in_plane(prepared: Prepared) -> SpaceEstimate | None:
    """The same for a plane shape that is meshed in boxes."""
    shape = prepared.shape
    if shape is None or not _is_sound(prepared):
        return None
    lengths: dict[str, float] = dict.fromkeys(shape.patches, 0.0)
    for e in shape.edges():
        lengths[e.patch] += hypot(e.x1 - e.x0, e.y1 - e.y0)
    layers = space_layers(prepared, shape.patches)
    found = boxes.estimate_plane(shape.area, lengths, space_sizes(prepared, shape.patches), layers)
    return _followed(found, prepared)


def _followed(found: SpaceEstimate, prepared: Prepared) -> SpaceEstimate:
    """As many cells as are wished of those that follow a run."""
    follow = follow_of(prepared)
    return found if follow is None else replace(found, cells=follow.cells)


def cells_of(prepared: Prepared, bodies: list[dict[str, Any]]) -> int | None:
    """How many cells a variant is expected to get, None where that is not known."""
    if has_own_mesh(prepared.geometry):
        return None
    if prepared.space is not None:
        found = in_space(prepared, bodies)
    elif prepared.plan.way == "boxes":
        found = in_plane(prepared)
    else:
        return estimate(prepared.shape, prepared.plan).cells if prepared.shape is not None else None
    return None if found is None else found.cells


def _is_sound(prepared: Prepared) -> bool:
    return prepared.fluid is not None and not any(p.path.startswith("/mesh_plan") for p in prepared.problems)
