"""What the set-up says of bodies that are not there."""

from __future__ import annotations

from brook.core.checks.context import Context
from brook.core.formulas import nearest
from brook.core.geometry import shape_cache
from brook.core.geometry.shape_cache import SpaceShape
from brook.core.study import Problem, Study, Variant, named_scope, resolve
from brook.core.study.names import names_of
from brook.core.study.space import SpaceGeometry, has_own_mesh


def made_shape(study: Study, variant: Variant) -> SpaceShape | None:
    """What is known of a shape in space, None while it has no part or its values cannot be made out."""
    problems: list[Problem] = []
    geometry = resolve(variant.geometry, named_scope(study, variant), "", problems)
    return None if problems else shape_cache.space_shape(geometry, variant.geometry.body)


def declared_bodies(study: Study) -> set[str] | None:
    """The bodies of all variants, or None while a part of one brings its own cells that nobody has read yet."""
    found: set[str] = set()
    for variant in study.variants:
        geometry = variant.geometry
        if has_own_mesh(geometry):
            shape = made_shape(study, variant)
            if shape is None or not shape.bodies:
                return None
            found |= set(shape.bodies)
            continue
        bodies = geometry.bodies if isinstance(geometry, SpaceGeometry) else ()
        found |= {b.name for b in bodies} or {geometry.body}
    return found


def body_problems(c: Context) -> list[Problem]:
    """What the set-up says of bodies that no variant has."""
    study = c.study
    declared = declared_bodies(study)
    if declared is None:
        return []
    return [
        Problem(place.path, f"there is no body '{place.name}': {nearest(place.name, sorted(declared))}")
        for place in names_of(study.set_up, "body", "/set_up")
        if place.name not in declared
    ]
