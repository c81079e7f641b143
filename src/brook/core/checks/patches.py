"""Which patches a study has, and what is said of patches that are not there."""

from __future__ import annotations

from brook.core.checks.bodies import made_shape
from brook.core.checks.context import Context
from brook.core.formulas import nearest
from brook.core.study import Problem, Study, Variant, patch_names
from brook.core.study.names import names_of
from brook.core.study.patterns import is_pattern, matching
from brook.core.study.space import SpaceGeometry, named_patches

BETWEEN_BODIES = "/set_up/heat/contacts/"  # walls that only the mesh knows


def declared_patches(study: Study) -> set[str]:
    """Every patch that some variant's geometry names."""
    names: set[str] = set()
    for variant in study.variants:
        geometry = variant.geometry
        if isinstance(geometry, SpaceGeometry):
            names |= {*named_patches(geometry), *(made_patches(study, variant) or ())}
            continue
        for shape in (geometry.outer, *geometry.shapes):
            names |= set(patch_names(shape))
        names |= {o.patch for o in geometry.openings}
    return names


def made_patches(study: Study, variant: Variant) -> tuple[str, ...] | None:
    """The patches of a shape in space, None while nobody has made it."""
    shape = made_shape(study, variant)
    return shape.patches if shape is not None else ()


def unknown_patches(study: Study) -> list[Problem]:
    names = declared_patches(study)
    return [] if not names or brings_more(study) else _unknown_names(study, names)


def brings_more(study: Study) -> bool:
    """Whether some variant may have patches that nobody knows yet, as those that a file brings."""
    return any(made_patches(study, v) is None for v in study.variants if v.geometry.kind == "space")


def _unknown_names(study: Study, known: set[str]) -> list[Problem]:
    """What the set-up and the mesh plan say of patches that are none of the known ones."""
    said = [*names_of(study.set_up, "patch", "/set_up"), *names_of(study.mesh_plan, "patch", "/mesh_plan")]
    return [
        Problem(place.path, f"'{place.name}' is not a patch: {nearest(place.name, known)}")
        for place in said
        if place.name not in known and not place.path.startswith(BETWEEN_BODIES) and not _is_of_some(place.name, known)
    ]


def _is_of_some(name: str, known: set[str]) -> bool:
    """Whether a pattern is of a known patch."""
    return is_pattern(name) and bool(matching(name, known))


def name_problems(c: Context) -> list[Problem]:
    """What is said of patches that are not there; nothing while what some variant brings is not known yet."""
    return [] if c.patches is None or brings_more(c.study) else _unknown_names(c.study, {*c.declared, *c.patches})
