"""What checkers look at: a variant with its formulas evaluated, as far as they could be."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brook.core.geometry.plane import PlaneShape
from brook.core.geometry.shape_cache import SpaceShape
from brook.core.materials import ConstantFluid
from brook.core.materials.solid import Solid
from brook.core.study import Resolved, Study, Variant


def layer_groups(plan: Resolved) -> list[tuple[str, Resolved]]:
    """The layers of a mesh plan and the groups of walls with their own, each with where it is said; none where there are no layers."""
    if plan.layers is None:
        return []
    own = [(f"/mesh_plan/layers/groups/{k}", group) for k, group in enumerate(plan.layers.groups)]
    return [("/mesh_plan/layers", plan.layers), *own]


@dataclass(frozen=True, eq=False)
class Context:
    """`patches` are those of the shape, None while it cannot be built or has not been made; `declared` are those of all
    variants."""

    study: Study
    variant: Variant
    path: str
    geometry: Resolved
    shape: PlaneShape | None
    sound: bool  # whether all values of the geometry could be made out
    space: SpaceShape | None
    plan: Resolved
    set_up: Resolved
    fluid: ConstantFluid | None
    materials: dict[str, ConstantFluid | Solid]
    patches: tuple[str, ...] | None
    declared: set[str]
    said: list[tuple[int, Any]]  # of each patch that boundaries are said of, with the number of the statement
