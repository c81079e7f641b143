"""Everything that would keep a study from running, each thing at its place."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache

from brook.core.body_checks import body_problems
from brook.core.formulas import FormulaError, Scope, nearest
from brook.core.geometry import PlaneShape, build_plane, known
from brook.core.geometry.known import SpaceShape
from brook.core.limits import requirement_problems
from brook.core.materials import ConstantFluid, fluid_of
from brook.core.materials.solid import Solid, solid_of
from brook.core.mesh import lines
from brook.core.physics.plate import friction_speed
from brook.core.results.quantities import QUANTITIES, OwnQuantity, References, own_quantity
from brook.core.results.readings import Places
from brook.core.study import (
    Problem,
    Resolved,
    Study,
    Value,
    Variant,
    named_scope,
    patch_names,
    resolve,
    value_at,
)
from brook.core.study.resolve import RESERVED, named_value_problems, start_time
from brook.core.study.space import SpaceGeometry, brings_mesh, has_own_mesh, named_patches
from brook.core.study.views import CurvePlot, Plate
from brook.core.units import DIMENSIONS, SYMBOLS, show

LAYERS_DEEPEST = 3.0  # cells at the wall
SOLID_KINDS = ("solid", "own_solid")
MOST_STEPS, MOST_KEPT = 1_000_000, 500


@dataclass(frozen=True, eq=False)
class Prepared:
    """A variant with all its formulas evaluated; parts that could not be are None."""

    variant: Variant
    scope: Scope
    geometry: Resolved
    shape: PlaneShape | None
    space: SpaceShape | None
    plan: Resolved
    fluid: ConstantFluid | None
    boundaries: list[Resolved]
    rules: Resolved
    timing: Resolved
    heat: Resolved | None
    materials: dict[str, ConstantFluid | Solid]
    places: Places
    problems: tuple[Problem, ...]

    @property
    def ready(self) -> bool:
        return not self.problems

    @property
    def patches(self) -> tuple[str, ...] | None:
        """The patches of the shape, None while it cannot be built or has not been made."""
        if self.space is not None:
            return self.space.patches
        return self.shape.patches if self.shape is not None else None


def check(study: Study) -> list[Problem]:
    """Every problem of a study, without repeats; empty when all of its variants can run."""
    return list(_checked(_Asked(study.canonical, "", known.count(), study)))


@lru_cache(maxsize=64)
def _checked(asked: _Asked) -> tuple[Problem, ...]:
    study = asked.study
    problems = named_value_problems(study, None, "")
    if not study.variants:
        problems.append(Problem("/variants", "there is no variant yet; add one", "missing"))
    for variant in study.variants:
        problems += prepare(study, variant).problems
    problems += _unknown_patches(study)
    if study.variants and (study.plates or study.plots):
        problems += plot_problems(study, study.variants[0])
    found: dict[tuple[str, str], Problem] = {}
    for problem in problems:
        found.setdefault((problem.path, problem.message), problem)
    return tuple(found.values())


@dataclass(frozen=True)
class _Asked:
    """A variant of a study, known by the study's text, and how much was known of shapes then."""

    text: str
    name: str
    known_shapes: int
    study: Study = field(compare=False)


@lru_cache(maxsize=512)
def _prepared(asked: _Asked) -> Prepared:
    return _prepare(asked.study, asked.study.variant(asked.name))


def prepare(study: Study, variant: Variant) -> Prepared:
    """A variant ready to mesh and run, or with its problems."""
    return _prepared(_Asked(study.canonical, variant.name, known.count(), study))


def _prepare(study: Study, variant: Variant) -> Prepared:
    path = f"/variants/{study.variants.index(variant)}"
    scope = named_scope(study, variant)
    problems = named_value_problems(study, variant, path)
    broken = {p.path.rsplit("/", 1)[1] for p in named_value_problems(study, None, "")}
    before = len(problems)
    geometry = resolve(variant.geometry, scope, f"{path}/geometry", problems)
    sound = len(problems) == before
    shape, space = None, None
    if geometry.kind == "plane":
        shape = build_plane(geometry, f"{path}/geometry", problems)
    elif sound:
        space = known.space_shape(geometry, variant.geometry.body)
        problems += space_problems(geometry, space, f"{path}/geometry", variant, study.set_up.heat is not None)
    plan = resolve(study.mesh_plan, scope, "/mesh_plan", problems)
    problems += _stretch_problems(plan, geometry, variant)
    problems += lines.plan_problems(plan, [shape] if shape and plan.way == "lines" else [], "/mesh_plan")
    in_time = named_scope(study, variant, start_time(study))
    set_up = resolve(study.set_up, in_time, "/set_up", problems, _start_temperature(study, in_time))
    problems += _timing_problems(set_up.timing)
    fluid = fluid_of(set_up.fluid, "/set_up/fluid", problems)
    materials = _materials(set_up, variant, fluid, problems)
    problems += _size_problems(plan, fluid) + body_problems(study)
    rules = resolve(study.run_rules, scope, "/run_rules", problems)
    boxes = {name: resolve(box, scope, f"/places/{name}", problems) for name, box in study.places.items()}
    patches = shape.patches if shape is not None else space.patches if space is not None else None
    boundaries = [b for b in set_up.boundaries if patches is None or b.patch in patches]
    if patches is not None:
        problems += _boundary_problems(study, patches, variant, materials)
        if set_up.heat is not None:
            problems += _heat_problems(study, patches, variant)
    own = _own_fields(study, scope, problems)
    references = _references(study, scope, problems)
    places = Places(_body_names(variant), patches or (), boxes, own, references, set_up.heat is not None)
    problems += _box_problems(boxes)
    if patches is not None:
        problems += requirement_problems(study, replace_places(places, study), scope)
    if broken:  # said once, at the named value itself
        problems = [p for p in problems if not any(f"'{name}'" in p.message for name in broken)] or problems
    return Prepared(
        variant, scope, geometry, shape, space, plan, fluid, boundaries, rules, set_up.timing, set_up.heat, materials, places, tuple(problems)
    )  # fmt: skip


def _own_fields(study: Study, scope: Scope, problems: list[Problem]) -> dict[str, OwnQuantity]:
    """The study's own fields; one may be made from another, in any order."""
    found: dict[str, OwnQuantity] = {}
    waiting = dict(study.fields)
    for name in study.fields:
        if name in QUANTITIES or name in RESERVED or name in SYMBOLS:
            problems.append(Problem(f"/fields/{name}", f"'{name}' already has a meaning; choose another name"))
            waiting.pop(name)
    errors: dict[str, str] = {}
    for _ in range(len(waiting)):
        known = {**QUANTITIES, **{n: o.kind for n, o in found.items()}}
        for name, text in list(waiting.items()):
            try:
                found[name] = own_quantity(name, text, known, scope)
                waiting.pop(name)
            except FormulaError as error:
                errors[name] = error.message
    for name in waiting:
        circle = any(f"'{other}'" in errors[name] for other in waiting)
        message = f"'{name}' is made from itself, or from a field that cannot be made" if circle else errors[name]
        problems.append(Problem(f"/fields/{name}", message))
    return found


def _references(study: Study, scope: Scope, problems: list[Problem]) -> References:
    """Reference values of coefficients; an empty speed leaves it to the inflow."""
    reference = study.set_up.reference
    found: dict[str, float | None] = {"speed": None, "pressure": 0.0}
    for name, value in (("speed", Value("speed", "positive")), ("pressure", Value("pressure"))):
        text = getattr(reference, name)
        if not text.strip():
            continue
        try:
            found[name] = value_at(text, value, scope)
        except FormulaError as error:
            problems.append(Problem(f"/set_up/reference/{name}", error.message))
    return References(found["speed"], found["pressure"] or 0.0)


def plot_problems(study: Study, variant: Variant) -> list[Problem]:
    """What is wrong with plates and plots; nothing of it keeps a variant from running."""
    prepared = prepare(study, variant)
    problems: list[Problem] = []
    known = [n for n, k in prepared.places.quantities().items() if k.drawn]
    kept: list[tuple[str, tuple[Plate | CurvePlot, ...]]] = [("plates", study.plates), ("plots", study.plots)]
    for kind, entries in kept:
        for k, entry in enumerate(entries):
            if entry.quantity not in known:
                message = f"'{entry.quantity}' cannot be drawn: {nearest(entry.quantity, known)}"
                problems.append(Problem(f"/{kind}/{k}/quantity", message))
            for name in ("range", "position_range", "value_range"):
                low_high = getattr(entry, name, None)
                if low_high is not None and low_high[0] >= low_high[1]:
                    problems.append(Problem(f"/{kind}/{k}/{name}", "a range goes from a smaller to a larger value"))
    for k, plot in enumerate(study.plots):
        for n, line in enumerate(plot.lines):
            path = f"/plots/{k}/lines/{n}"
            found = resolve(line, prepared.scope, path, problems)
            ends = (found.start_x, found.start_y, found.end_x, found.end_y)
            if None not in ends and ends[:2] == ends[2:]:
                problems.append(Problem(f"{path}/end_x", f"'{line.title}' ends where it begins; give it some length"))
    return problems


def replace_places(places: Places, study: Study) -> Places:
    """The same places with the patches of all variants: what is missing in one is no misspelling."""
    return replace(places, patches=tuple(sorted({*places.patches, *declared_patches(study)})))


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
    problems: list[Problem] = []
    geometry = resolve(variant.geometry, named_scope(study, variant), "", problems)
    shape = None if problems else known.space_shape(geometry, variant.geometry.body)
    return shape.patches if shape is not None else ()


def _unknown_patches(study: Study) -> list[Problem]:
    names = declared_patches(study)
    if not names or any(made_patches(study, v) is None for v in study.variants if v.geometry.kind == "space"):
        return []  # what a file brings is not known yet
    return [
        Problem(f"/set_up/boundaries/{k}/patch", f"'{b.patch}' is not a patch: {nearest(b.patch, names)}")
        for k, b in enumerate(study.set_up.boundaries)
        if b.patch not in names
    ]


def _body_names(variant: Variant) -> tuple[str, ...]:
    geometry = variant.geometry
    if isinstance(geometry, SpaceGeometry) and geometry.bodies:
        return tuple(b.name for b in geometry.bodies)
    return (geometry.body,)


def space_problems(
    geometry: Resolved, space: SpaceShape | None, path: str, variant: Variant, with_heat: bool = False
) -> list[Problem]:
    """What a shape in space still needs before it can be meshed, and what of its document does not fit it."""
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
    if solids and not with_heat:
        message = "nothing flows in solids; make one of the bodies a fluid"
        problems.append(Problem(f"{path}/bodies/0/holds", message, "missing", variant.name))
    return problems


BESIDE_CELLS = {"closings": "closed openings", "wrap": "a wrap", "tunnel": "a tunnel", "bodies": "wet points"}


def _own_mesh_problems(geometry: Resolved, path: str, variant: Variant) -> list[Problem]:
    """What cannot be done beside a part that brings its own cells."""
    first = next(k for k, p in enumerate(geometry.parts) if brings_mesh(p))
    brings = geometry.parts[first].name
    too_much = [(f"/parts/{k}", "other parts") for k in range(len(geometry.parts)) if k != first]
    too_much += [
        (f"/steps/{k}", "steps other than new names") for k, s in enumerate(geometry.steps) if s.kind != "rename"
    ]
    for part in ("closings", "wrap", "tunnel", "bodies"):
        if getattr(geometry, part):
            too_much.append((f"/{part}", BESIDE_CELLS[part]))
    return [
        Problem(f"{path}{pointer}", f"{brings} brings its own cells, so {what} cannot change it; take this out", "missing", variant.name)
        for pointer, what in too_much
    ]  # fmt: skip


def _start_temperature(study: Study, scope: Scope) -> float | None:
    """Where temperatures begin in K, None where none are computed or that cannot be told."""
    heat = study.set_up.heat
    try:
        return None if heat is None else value_at(heat.start, Value("temperature", "positive"), scope)
    except FormulaError:
        return None


def _materials(
    set_up: Resolved, variant: Variant, fluid: ConstantFluid | None, problems: list[Problem]
) -> dict[str, ConstantFluid | Solid]:
    """What each body is made of: what is said of it, or the fluid of the set-up."""
    found: dict[str, ConstantFluid | Solid] = {}
    for name, said in set_up.materials.items():
        made = solid_of(said) if said.kind in SOLID_KINDS else fluid_of(said, f"/set_up/materials/{name}", problems)
        if made is not None:
            found[name] = made
    for name in solid_bodies(variant):
        if name not in found and set_up.heat is not None:
            message = f"say what {name} is made of"
            problems.append(Problem("/set_up/materials", message, "missing", variant.name))
    for name in _body_names(variant):
        if name not in found and fluid is not None and name not in solid_bodies(variant):
            found[name] = fluid
    return found


def solid_bodies(variant: Variant) -> list[str]:
    """Bodies that the geometry says to be solid."""
    geometry = variant.geometry
    return [b.name for b in geometry.bodies if b.holds == "solid"] if isinstance(geometry, SpaceGeometry) else []


def _heat_problems(study: Study, patches: tuple[str, ...], variant: Variant) -> list[Problem]:
    """What of heat does not fit the patches, and what enters without a temperature."""
    heat, problems, seen = study.set_up.heat, [], set()
    assert heat is not None
    known = declared_patches(study)
    for k, said in enumerate(heat.patches):
        path = f"/set_up/heat/patches/{k}/patch"
        if said.patch in seen:
            problems.append(Problem(path, f"something else is already said of '{said.patch}'; keep one of the two"))
        elif known and said.patch not in {*known, *patches}:
            problems.append(Problem(path, f"'{said.patch}' is not a patch: {nearest(said.patch, known)}"))
        seen.add(said.patch)
    given = {p.patch for p in heat.patches if p.kind == "temperature"}
    for boundary in study.set_up.boundaries:
        if boundary.role == "inflow" and boundary.patch in patches and boundary.patch not in given:
            message = f"say the temperature of what enters through {boundary.patch}"
            problems.append(Problem("/set_up/heat/patches", message, "missing", variant.name))
    return problems


def _boundary_problems(
    study: Study, patches: tuple[str, ...], variant: Variant, materials: dict[str, ConstantFluid | Solid]
) -> list[Problem]:
    problems = []
    seen: set[str] = set()
    roles = set()
    for k, boundary in enumerate(study.set_up.boundaries):
        if boundary.patch in seen:
            message = f"something else is already said of '{boundary.patch}'; keep one of the two"
            problems.append(Problem(f"/set_up/boundaries/{k}/patch", message))
        seen.add(boundary.patch)
        if boundary.patch in patches:
            roles.add(boundary.role)
    if "inflow" in roles and "outflow" not in roles:
        message = f"'{variant.title}' has an inlet but no outlet: say of one patch that fluid leaves through it"
        problems.append(Problem("/set_up/boundaries", message, "missing", variant.name))
    heat = study.set_up.heat
    still = heat is not None and materials and all(isinstance(m, Solid) for m in materials.values())
    if still or (heat is not None and heat.buoyancy != "none"):
        return problems
    driven = roles & {"inflow", "outflow"} or any(b.kind in ("sliding", "turning") for b in study.set_up.boundaries)
    if not driven:
        message = (
            f"nothing moves the fluid of '{variant.title}': name an inlet and an outlet, or a sliding or turning wall"
        )
        problems.append(Problem("/set_up/boundaries", message, "missing", variant.name))
    return problems


def _timing_problems(timing: Resolved) -> list[Problem]:
    """What of a flow in time cannot stand."""
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


def _stretch_problems(plan: Resolved, geometry: Resolved, variant: Variant) -> list[Problem]:
    """Stretches that cannot stand, and those that would do nothing for a shape."""
    factors = vars(plan.stretch)
    problems = [
        Problem(f"/mesh_plan/stretch/{axis}", "cells may be a tenth to ten times as long; write for example 2")
        for axis, factor in factors.items()
        if factor is not None and not 0.1 <= factor <= 10
    ]
    several = geometry.kind == "space" and len(geometry.bodies) > 1
    flat = geometry.kind == "plane" and plan.way == "boxes"
    stretched = next((axis for axis, factor in factors.items() if factor != 1), None)
    if not problems and stretched is not None and (several or flat):
        what = "several bodies" if several else "plane shapes"
        message = f"cells of {what} are not stretched yet; write 1"
        problems.append(Problem(f"/mesh_plan/stretch/{stretched}", message, "missing", variant.name))
    return problems


def _size_problems(plan: Resolved, fluid: ConstantFluid | None) -> list[Problem]:
    """What of sizes, zones and layers cannot stand."""
    sizes = {f"/mesh_plan/patches/{name}": (f"at {name}", size) for name, size in plan.patches.items()}
    sizes |= {f"/mesh_plan/zones/{k}/size": ("in a zone", zone.size) for k, zone in enumerate(plan.zones)}
    problems = [
        Problem(path, f"cells {where} may not be larger than in the bulk")
        for path, (where, size) in sizes.items()
        if size is not None and plan.bulk is not None and size > plan.bulk
    ]
    layers = plan.layers
    if layers is None or None in (layers.height, layers.growth):
        return problems
    if not 1.0 <= layers.growth <= 2.0:
        message = "each layer may be 1 to 2 times as high as the one before; write for example 1.2"
        problems.append(Problem("/mesh_plan/layers/growth", message))
    total, where = layers.height, "height"
    if layers.height_of == "y_plus":
        if fluid is None or None in (layers.y_plus, layers.speed, layers.long):
            return problems
        total, where = 2 * layers.y_plus * fluid.kinematic_viscosity / friction_speed(layers, fluid)[1], "y_plus"
    if layers.height_of != "all":
        total *= sum(layers.growth**k for k in range(layers.number))
    if plan.wall is not None and total > LAYERS_DEEPEST * plan.wall:
        words = f"all layers together would be {show(total, DIMENSIONS['length'])} thick, over {LAYERS_DEEPEST:g} cells at the wall"
        problems.append(
            Problem(f"/mesh_plan/layers/{where}", f"{words}; choose fewer or thinner ones, or larger cells")
        )
    return problems


def _box_problems(boxes: dict[str, Resolved]) -> list[Problem]:
    problems = []
    for name, box in boxes.items():
        for low, high in (("left", "right"), ("bottom", "top")):
            a, b = getattr(box, low), getattr(box, high)
            if a is not None and b is not None and b < a:
                problems.append(Problem(f"/places/{name}/{high}", f"the {high} of '{name}' lies before its {low}"))
    return problems
