"""What a shape in space still needs."""

from __future__ import annotations

from brook.core.checks.context import Context
from brook.core.study import Problem, Resolved, Variant
from brook.core.study.space import brings_mesh, has_own_mesh


def space_problems(c: Context) -> list[Problem]:
    """What a shape in space still needs before it can be meshed, and what of its document does not fit it."""
    if c.geometry.kind != "space" or not c.sound:
        return []
    geometry, space, path, variant = c.geometry, c.space, f"{c.path}/geometry", c.variant
    if space is None:
        message = "there is no shape yet: bring in a file, or add a solid"
        return [Problem(f"{path}/parts", message, "missing", variant.name)]
    problems = [
        Problem(f"{path}/parts/{k}/unit", f"say the unit of {part.file}", "missing", variant.name)
        for k, part in enumerate(geometry.parts)
        if part.kind == "file" and not part.unit
    ]
    if has_own_mesh(geometry):
        problems += [Problem(f"{path}{pointer}", words, "missing", variant.name) for pointer, words in space.problems]
        return problems + _own_mesh_problems(geometry, path, variant)
    names = [b.name for b in geometry.bodies]
    twice = sorted({n for n in names if names.count(n) > 1})
    if twice:
        problems.append(Problem(f"{path}/bodies", f"two bodies are called '{twice[0]}'; give each a name of its own"))
    problems += [Problem(f"{path}{pointer}", words, "missing", variant.name) for pointer, words in space.problems]
    if not geometry.bodies:
        message = "set the wet point: say where the fluid is"
        problems.append(Problem(f"{path}/bodies", message, "missing", variant.name))
    solids = geometry.bodies and all(b.holds == "solid" for b in geometry.bodies)
    if solids and c.study.set_up.heat is None:
        message = "nothing flows in solids; make one of the bodies a fluid"
        problems.append(Problem(f"{path}/bodies/0/holds", message, "missing", variant.name))
    return problems


BESIDE_CELLS = {
    "closings": "closed openings",
    "wrap": "a wrap",
    "tunnel": "a tunnel",
    "bodies": "wet points",
    "sheets": "sheets",
}


def _own_mesh_problems(geometry: Resolved, path: str, variant: Variant) -> list[Problem]:
    """What cannot be done beside a part that brings its own cells."""
    first = next(k for k, p in enumerate(geometry.parts) if brings_mesh(p))
    brings = geometry.parts[first].name
    too_much = [(f"/parts/{k}", "other parts") for k in range(len(geometry.parts)) if k != first]
    too_much += [
        (f"/steps/{k}", "steps other than new names") for k, s in enumerate(geometry.steps) if s.kind != "rename"
    ]
    for part in ("closings", "wrap", "tunnel", "bodies", "sheets"):
        if getattr(geometry, part):
            too_much.append((f"/{part}", BESIDE_CELLS[part]))
    return [
        Problem(f"{path}{pointer}", f"{brings} brings its own cells, so {what} cannot change it; take this out", "missing", variant.name)
        for pointer, what in too_much
    ]  # fmt: skip
