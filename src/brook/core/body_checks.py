"""What the set-up says of bodies that are not there."""

from __future__ import annotations

from brook.core.formulas import nearest
from brook.core.study import Problem, Study
from brook.core.study.space import SpaceGeometry, has_own_mesh


def declared_bodies(study: Study) -> set[str] | None:
    """The bodies of all variants, or None where a part of one brings its own cells: then only the mesh knows them."""
    found: set[str] = set()
    for variant in study.variants:
        geometry = variant.geometry
        if has_own_mesh(geometry):
            return None
        bodies = geometry.bodies if isinstance(geometry, SpaceGeometry) else ()
        found |= {b.name for b in bodies} or {geometry.body}
    return found


def body_problems(study: Study) -> list[Problem]:
    """Heat sources and materials of bodies that no variant has."""
    known = declared_bodies(study)
    if known is None:
        return []
    heat = study.set_up.heat
    said = [(f"/set_up/materials/{name}", name) for name in study.set_up.materials]
    said += [(f"/set_up/heat/sources/{k}/body", s.body) for k, s in enumerate(heat.sources if heat is not None else ())]
    return [
        Problem(path, f"there is no body '{name}': {nearest(name, sorted(known))}")
        for path, name in said
        if name not in known
    ]
