"""What of a turbulence model would keep a study from running, at its place."""

from __future__ import annotations

from typing import Any

from brook.core.checks.context import Context, layer_groups
from brook.core.materials.solid import Solid
from brook.core.physics.plate import LAW_ENDS
from brook.core.study import Problem
from brook.core.study.boundaries import STICKING
from brook.core.study.space import has_own_mesh
from brook.core.units import DIMENSIONS, show


def turbulence_problems(c: Context) -> list[Problem]:
    """What is said twice, of patches through which nothing flows in or that are no walls, and what has no place beside a model."""
    said, variant = c.study.set_up.turbulence, c.variant
    if said is None or c.patches is None:
        return []
    at, problems = "/set_up/turbulence", []
    through = {b.patch for _, b in c.said if b.role in ("inflow", "outflow")}
    spoken = {b.patch: b.kind for _, b in c.said}
    walls = {p for p in c.patches if spoken.get(p, "wall") in STICKING}
    lists: tuple[tuple[str, tuple[Any, ...]], ...] = (("inflows", said.inflows), ("rough", said.rough))
    for name, entries in lists:
        seen: set[str] = set()
        for k, entry in enumerate(entries):
            path, message = f"{at}/{name}/{k}/patch", ""
            if entry.patch in seen:
                message = f"something else is already said of '{entry.patch}'; keep one of the two"
            elif name == "inflows" and entry.patch not in through:
                message = (
                    f"nothing flows in through '{entry.patch}'; say of it that fluid enters there, or take this out"
                )
            elif name == "rough" and entry.patch in c.patches and entry.patch not in walls:
                message = f"'{entry.patch}' is no wall that could be rough; take this out"
            if message:
                problems.append(Problem(path, message))
            seen.add(entry.patch)
    problems += [*_too_rough(c), *_too_high(c), *_too_still(c)]
    heat = c.study.set_up.heat
    if said.buoyancy and (heat is None or heat.buoyancy == "none"):
        message = "nothing has weight here that could make or still eddies; let temperatures be computed with buoyancy, or leave eddies alone"
        problems.append(Problem(f"{at}/buoyancy", message, "missing", variant.name))
    if said.curvature and said.kind != "sst":
        message = "what curved streamlines make of eddies is known to k-ω SST only; choose that model, or leave it out"
        problems.append(Problem(f"{at}/curvature", message, "missing", variant.name))
    fluids = [m for m in (c.fluid, *c.materials.values()) if m is not None]
    if any(getattr(f, "law", None) is not None for f in fluids):
        message = "the model is made for fluids whose viscosity does not depend on shear; let the flow stay laminar, or take out the shear law"
        problems.append(Problem(f"{at}/kind", message, "missing", variant.name))
    return problems


def _too_rough(c: Context) -> list[Problem]:
    """Grains higher than the cells at their walls may be."""
    if has_own_mesh(c.geometry):
        return []
    problems = []
    for k, entry in enumerate(c.set_up.turbulence.rough):
        size = c.plan.patches.get(entry.patch, c.plan.wall)
        if None not in (entry.height, size) and entry.height > size:
            high, cells = (show(length, DIMENSIONS["length"]) for length in (entry.height, size))
            message = f"grains of {high} are higher than the cells at walls, {cells}: draw what is that rough, or choose larger cells"
            problems.append(Problem(f"/set_up/turbulence/rough/{k}/height", message, "missing", c.variant.name))
    return problems


def _too_still(c: Context) -> list[Problem]:
    """Bodies that no fluid fills, and a model for a flow that is laminar everywhere."""
    said, at = c.study.set_up.turbulence, "/set_up/turbulence/still"
    still = said.still if said is not None else ()
    bodies = c.geometry.bodies if c.geometry.kind == "space" else ()
    solid = {b.name for b in bodies if b.holds == "solid"} | {n for n, m in c.materials.items() if isinstance(m, Solid)}
    problems = [
        Problem(f"{at}/{k}", f"'{name}' is solid, nothing flows there; take this out")
        for k, name in enumerate(still) if name in solid
    ]  # fmt: skip
    fluid = {b.name for b in bodies} - solid if bodies else {c.variant.geometry.body}
    if still and fluid <= set(still):
        message = "every flow here is said to be laminar; choose laminar for the study, or let one of them be turbulent"
        problems.append(Problem(at, message, "missing", c.variant.name))
    return problems


def _too_high(c: Context) -> list[Problem]:
    """Layers that are asked for beyond where the law of the wall ends."""
    message = f"the law of the wall ends at a y⁺ of {LAW_ENDS:g}; ask for 1 to see the layer at the wall, or for 30 to 100 to bridge it"
    return [
        Problem(f"{path}/y_plus", message, "missing", c.variant.name)
        for path, group in layer_groups(c.plan)
        if group.height_of == "y_plus" and group.y_plus is not None and group.y_plus > LAW_ENDS
    ]
