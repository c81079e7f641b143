"""What of the set-up and of the mesh plan would keep a study from running, at its place."""

from __future__ import annotations

from typing import Any

from brook.core.checks.context import Context, layer_groups
from brook.core.formulas import nearest
from brook.core.materials import ConstantFluid
from brook.core.materials.solid import Solid
from brook.core.physics.plate import friction_speed
from brook.core.study import Problem, is_about
from brook.core.study.boundaries import Turning
from brook.core.study.geometry import PlaneGeometry
from brook.core.study.space import has_own_mesh
from brook.core.units import DIMENSIONS, show

LAYERS_DEEPEST = 3.0  # cells at the wall
MOST_STEPS, MOST_KEPT = 1_000_000, 500
ROUNDED = 1e-6


def heat_problems(c: Context) -> list[Problem]:
    """What of heat is said twice, and what enters without a temperature."""
    study, variant, patches = c.study, c.variant, c.patches
    heat, problems, seen = study.set_up.heat, [], set()
    if heat is None or patches is None:
        return []
    for k, said in enumerate(heat.patches):
        path = f"/set_up/heat/patches/{k}/patch"
        if said.patch in seen:
            problems.append(Problem(path, f"something else is already said of '{said.patch}'; keep one of the two"))
        seen.add(said.patch)
    problems += _no_way_out(c)
    given = {p.patch for p in heat.patches if p.kind == "temperature"}
    for _, boundary in c.said:
        if boundary.role == "inflow" and boundary.patch in patches and boundary.patch not in given:
            message = f"say the temperature of what enters through {boundary.patch}"
            problems.append(Problem("/set_up/heat/patches", message, "missing", variant.name))
    return problems


def _no_way_out(c: Context) -> list[Problem]:
    """Heat that is put into a steady flow, or solids, and cannot leave: it would get hotter for ever."""
    heat = c.study.set_up.heat
    if heat is None or c.set_up.timing.kind != "steady" or c.patches is None:
        return []
    through = any(b.patch in c.patches and b.role in ("inflow", "outflow", "periodic") for _, b in c.said)
    holds = any(p.patch in c.patches and p.kind in ("temperature", "film", "returning") for p in heat.patches)
    holds = holds or any(said.kind == "exchanger" for said in c.study.set_up.within)
    put_in = heat.sources or any(p.kind in ("flux", "power") and p.patch in c.patches for p in heat.patches)
    put_in = put_in or any(said.kind == "heating" for said in c.study.set_up.within)
    if through or holds or not put_in or c.plan.pairs:
        return []
    message = "heat comes in and has no way out: say of a patch that it is at a temperature or loses heat to surroundings, or follow it in time"
    return [Problem("/set_up/heat/patches", message, "missing", c.variant.name)]


def boundary_problems(c: Context) -> list[Problem]:
    """What of boundaries cannot stand, and what is missing for anything to flow."""
    study, variant, patches, materials = c.study, c.variant, c.patches, c.materials
    if patches is None:
        return []
    problems = []
    seen: set[str] = set()
    roles, kinds = set(), set()
    for k, boundary in c.said:
        if boundary.patch in seen:
            message = f"something else is already said of '{boundary.patch}'; keep one of the two"
            problems.append(Problem(f"/set_up/boundaries/{k}/patch", message))
        seen.add(boundary.patch)
        if isinstance(boundary, Turning) and boundary.axis != "z" and isinstance(variant.geometry, PlaneGeometry):
            message = (
                f"a drawing turns about an axis along z only; '{boundary.patch}' cannot turn about {boundary.axis} here"
            )
            problems.append(Problem(f"/set_up/boundaries/{k}/axis", message))
        if boundary.role != "wall" and boundary.patch in getattr(c.geometry, "sheets", ()):
            message = f"'{boundary.patch}' is a sheet with fluid on both sides; only walls are"
            problems.append(Problem(f"/set_up/boundaries/{k}/patch", message))
        if boundary.patch in patches:
            roles.add(boundary.role)
            if boundary.role == "inflow":
                kinds.add(boundary.kind)
    # a stream on all sides carries out what it carries in
    if "inflow" in roles and "outflow" not in roles and kinds != {"stream"} and not _leaves_to_rest(c, patches):
        message = f"'{variant.title}' has an inlet but no outlet: say of one patch that fluid leaves through it"
        problems.append(Problem("/set_up/boundaries", message, "missing", variant.name))
    problems += share_problems(c)
    start = study.set_up.start
    if start.kind == "variant" and start.variant not in {v.name for v in study.variants}:
        message = f"'{start.variant}' is no variant: {nearest(start.variant, [v.name for v in study.variants])}"
        problems.append(Problem("/set_up/start/variant", message))
    frame = study.set_up.frame
    if frame is not None and frame.axis != "z" and isinstance(variant.geometry, PlaneGeometry):
        problems.append(
            Problem("/set_up/frame/axis", f"a drawing turns about an axis along z only, not along {frame.axis}")
        )
    heat = study.set_up.heat
    still = heat is not None and materials and all(isinstance(m, Solid) for m in materials.values())
    if still or (heat is not None and heat.buoyancy != "none"):
        return problems
    driven = roles & {"inflow", "outflow"} or any(b.kind in ("sliding", "turning") for _, b in c.said)
    driven = driven or any(said.kind in ("push", "blower") for said in study.set_up.within)
    if not driven and not any(b.kind == "periodic" and b.drive != "none" for _, b in c.said):
        message = (
            f"nothing moves the fluid of '{variant.title}': name an inlet and an outlet, a sliding or turning wall, or what "
            "drives a periodic pair"
        )
        problems.append(Problem("/set_up/boundaries", message, "missing", variant.name))
    return problems


def _leaves_to_rest(c: Context, patches: tuple[str, ...]) -> bool:
    """Whether fluid may leave through a patch that it enters through from rest: there are other patches to enter through."""
    entering = [b.kind for _, b in c.said if b.patch in patches and b.role == "inflow"]
    return "rest" in entering and len(entering) > 1


def share_problems(c: Context) -> list[Problem]:
    """Shares of what enters that do not add up to all of it, where nothing else lets the rest out."""
    here = [(k, b) for k, b in c.said if c.patches is None or b.patch in c.patches]
    shares = [(k, c.set_up.boundaries[k].share) for k, b in here if b.kind == "share"]
    if not shares or any(share is None for _, share in shares):
        return []
    total = sum(share for _, share in shares)
    lets_out = any(b.role == "outflow" and b.kind != "share" for _, b in here)
    if total > 1 + ROUNDED or (total < 1 - ROUNDED and not lets_out):
        rest = "more than enters" if total > 1 else "and nothing else lets the rest out"
        message = f"the shares of what enters add up to {100 * total:.6g} %, {rest}; make them add up to all of it"
        return [Problem(f"/set_up/boundaries/{shares[-1][0]}/share", message, "wrong", c.variant.name)]
    return []


def timing_problems(c: Context) -> list[Problem]:
    """What of a flow in time cannot stand."""
    timing = c.set_up.timing
    if timing.kind == "steady" or None in (timing.duration, timing.step, timing.average_from, timing.keep_every):
        return []
    problems = []
    if timing.average_from >= timing.duration:
        message = "the run ends before; begin sooner, or run longer"
        problems.append(Problem("/set_up/timing/average_from", message))
    if timing.steps == "fixed" and timing.duration / timing.step > MOST_STEPS:
        message = f"this would be {timing.duration / timing.step:.0f} steps, at most {MOST_STEPS} are done"
        problems.append(Problem("/set_up/timing/step", f"{message}; choose longer ones"))
    if timing.duration / timing.keep_every > MOST_KEPT:
        message = f"this would be kept {timing.duration / timing.keep_every:.0f} times, at most {MOST_KEPT} are"
        problems.append(Problem("/set_up/timing/keep_every", f"{message}; choose a longer time"))
    return problems


def stretch_problems(c: Context) -> list[Problem]:
    """Stretches that cannot stand, and those that would do nothing for a shape."""
    plan, geometry, variant = c.plan, c.geometry, c.variant
    factors = vars(plan.stretch)
    problems = [
        Problem(f"/mesh_plan/stretch/{axis}", "cells may be a tenth to ten times as long; write for example 2")
        for axis, factor in factors.items()
        if factor is not None and not 0.1 <= factor <= 10
    ]
    several = geometry.kind == "space" and (len(geometry.bodies) > 1 or geometry.sheets)
    flat = geometry.kind == "plane" and plan.way == "boxes"
    stretched = next((axis for axis, factor in factors.items() if factor != 1), None)
    if not problems and stretched is not None and (several or flat):
        what = ("several bodies" if len(geometry.bodies) > 1 else "bodies with sheets") if several else "plane shapes"
        message = f"cells of {what} are not stretched yet; write 1"
        problems.append(Problem(f"/mesh_plan/stretch/{stretched}", message, "missing", variant.name))
    return problems


def follow_problems(c: Context) -> list[Problem]:
    """Runs that the boxes of a variant cannot follow."""
    problems = []
    for k, follow in enumerate(c.plan.follows):
        path = f"/mesh_plan/follows/{k}"
        if not is_about(follow.variant, c.variant):
            continue
        if any(other.variant == follow.variant for other in c.plan.follows[:k]):
            problems.append(Problem(path, f"{follow.variant} follows another run already; take one of both out"))
        what = ""
        lined = c.geometry.kind == "plane" and c.plan.way == "lines"
        if lined or (c.geometry.kind == "space" and has_own_mesh(c.geometry)):
            what = "only boxes follow a run, not cells along lines, in rows or from a file; take this out"
        elif follow.where != "everywhere" and not c.plan.zones:
            path, what = f"{path}/where", "there is no zone; add one, or let boxes change everywhere"
        if what:
            problems.append(Problem(path, what, "missing", c.variant.name))
    return problems


def size_problems(c: Context) -> list[Problem]:
    """What of sizes, zones and layers cannot stand."""
    plan, fluid = c.plan, c.fluid
    sizes = {f"/mesh_plan/patches/{name}": (f"at {name}", size) for name, size in plan.patches.items()}
    sizes |= {f"/mesh_plan/zones/{k}/size": ("in a zone", zone.size) for k, zone in enumerate(plan.zones)}
    problems = [
        Problem(path, f"cells {where} may not be larger than in the bulk")
        for path, (where, size) in sizes.items()
        if size is not None and plan.bulk is not None and size > plan.bulk
    ]
    groups = layer_groups(plan)
    for k, (path, group) in enumerate(groups):
        taken = {name for _, other in groups[:k] for name in other.patches}
        twice = next((name for name in group.patches if name in taken), None)
        if k and not group.patches:
            problems.append(
                Problem(f"{path}/patches", "say along which patches these layers stand, or take them out", "missing")
            )
        elif twice is not None:
            problems.append(Problem(f"{path}/patches", f"{twice} has other layers already; take it out of one of both"))
        problems += _layer_problems(path, group, plan.wall, fluid)
    return problems


def _layer_problems(path: str, layers: Any, wall: float | None, fluid: ConstantFluid | None) -> list[Problem]:
    """What of a group of layers, at a path, cannot stand."""
    problems: list[Problem] = []
    if None in (layers.height, layers.growth):
        return problems
    if not 1.0 <= layers.growth <= 2.0:
        message = "each layer may be 1 to 2 times as high as the one before; write for example 1.2"
        problems.append(Problem(f"{path}/growth", message))
    total, where = layers.height, "height"
    if layers.height_of == "y_plus":
        if fluid is None or None in (layers.y_plus, layers.speed, layers.long):
            return problems
        total, where = 2 * layers.y_plus * fluid.kinematic_viscosity / friction_speed(layers, fluid)[1], "y_plus"
    if layers.height_of != "all":
        total *= sum(layers.growth**k for k in range(layers.number))
    if wall is not None and total > LAYERS_DEEPEST * wall:
        words = f"all layers together would be {show(total, DIMENSIONS['length'])} thick, over {LAYERS_DEEPEST:g} cells at the wall"
        problems.append(Problem(f"{path}/{where}", f"{words}; choose fewer or thinner ones, or larger cells"))
    return problems
