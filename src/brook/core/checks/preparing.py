"""Everything that would keep a study from running, each thing at its place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import lru_cache

from brook.core.checks.bodies import body_problems
from brook.core.checks.context import Context
from brook.core.checks.in_time import time_problems
from brook.core.checks.limits import reaching_problems, requirement_problems
from brook.core.checks.looking import Looked, looking_problems
from brook.core.checks.pairs import pair_problems, pairs_in, partner_in
from brook.core.checks.patches import brings_more, declared_patches, name_problems, unknown_patches
from brook.core.checks.points import point_problems
from brook.core.checks.references import references_of
from brook.core.checks.scalars import scalar_problems
from brook.core.checks.set_up import (
    boundary_problems,
    follow_problems,
    heat_problems,
    size_problems,
    stretch_problems,
    timing_problems,
)
from brook.core.checks.sized import sized_plan, sized_timing
from brook.core.checks.space import space_problems
from brook.core.checks.sweeps import sweep_problems
from brook.core.checks.turbulence import turbulence_problems
from brook.core.checks.within import within_problems
from brook.core.formulas import FormulaError, Scope
from brook.core.geometry import shape_cache
from brook.core.geometry.plane import PlaneShape, build_plane
from brook.core.geometry.shape_cache import SpaceShape
from brook.core.materials import ConstantFluid, fluid_of
from brook.core.materials.solid import Solid
from brook.core.materials.solids import solid_of
from brook.core.mesh import lines
from brook.core.mesh.pairs import Pair
from brook.core.results.particles.said import Statement, quantities_of
from brook.core.results.quantities import (
    QUANTITIES,
    OwnQuantity,
    QuantityKind,
    References,
    known_of,
    own_quantity,
    scalar_quantity,
)
from brook.core.results.readings import Places
from brook.core.study import (
    Case,
    Problem,
    Resolved,
    Study,
    Value,
    Variant,
    named_scope,
    resolve,
    told_size,
    value_at,
)
from brook.core.study.patterns import each
from brook.core.study.resolve import RESERVED, named_value_problems, start_time, table_problems
from brook.core.study.space import SpaceGeometry, has_own_mesh
from brook.core.units import SYMBOLS

SOLID_KINDS = ("solid", "own_solid")


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
    turbulence: Resolved | None
    scalars: list[Resolved]
    within: list[Resolved]
    frame: Resolved | None
    start: Resolved
    materials: dict[str, ConstantFluid | Solid]
    places: Places
    problems: tuple[Problem, ...]

    @property
    def ready(self) -> bool:
        """Whether nothing keeps the variant from running."""
        return not self.problems

    @property
    def patches(self) -> tuple[str, ...] | None:
        """The patches of the shape, None while it cannot be built or has not been made."""
        if self.space is not None:
            return self.space.patches
        return self.shape.patches if self.shape is not None else None

    @property
    def partners(self) -> dict[str, str]:
        """The patches of periodic pairs with those they lie on when moved; nothing where only the mesh will tell."""
        pairs = pairs_in(self.plan, self.patches or ())
        return {p.patch: partner_in(self.shape, p) if self.shape is not None else "" for p in pairs}

    @property
    def said(self) -> list[Resolved]:
        """What is said of patches by boundaries, and by periodic pairs where that is all."""
        named, partners = {b.patch for b in self.boundaries}, self.partners
        paired = [name for pair in partners.items() for name in pair if name and name not in named]
        return [
            *self.boundaries,
            *(Resolved(kind="periodic", patch=name, words="is one of a periodic pair") for name in paired),
        ]


def check(study: Study) -> list[Problem]:
    """Every problem of a study, without repeats; empty when all of its variants can run."""
    return list(_checked(_Asked(study.canonical, "", shape_cache.count(), study)))


@lru_cache(maxsize=64)
def _checked(asked: _Asked) -> tuple[Problem, ...]:
    study = asked.study
    problems = named_value_problems(study, None, "") + table_problems(study)
    if not study.variants:
        problems.append(Problem("/variants", "there is no variant yet; add one", "missing"))
    for variant in study.cases:
        problems += prepare(study, variant).problems
    problems += point_problems(study) + sweep_problems(study)
    problems += unknown_patches(study)
    if study.variants and (study.plates or study.plots or study.courses or study.particles):
        first = prepare(study, study.variants[0])
        declared = None if brings_more(study) else frozenset(declared_patches(study))
        in_space = isinstance(study.variants[0].geometry, SpaceGeometry)
        problems += looking_problems(study, Looked(first.places, first.scope, declared, in_space))
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


@lru_cache(maxsize=2048)
def _prepared(asked: _Asked) -> Prepared:
    return _prepare(asked.study, asked.study.variant(asked.name))


def prepare(study: Study, variant: Variant) -> Prepared:
    """A variant ready to mesh and run, or with its problems."""
    return _prepared(_Asked(study.canonical, variant.name, shape_cache.count(), study))


def _prepare(study: Study, variant: Variant) -> Prepared:
    return _sized(study, variant) if isinstance(variant, Case) and variant.coarser else _as_planned(study, variant)


def _sized(study: Study, case: Case) -> Prepared:
    """A case on other cells than planned: what the plan says is evaluated as ever, then cells and steps in time are made larger or smaller."""
    found = prepare(study, study.variant(told_size(case.name)[0]))
    if any(p.kind == "wrong" for p in found.problems):
        return replace(found, variant=case)
    if has_own_mesh(found.geometry):
        problem = Problem("/mesh_plan", f"{case.of} brings its own cells, of which there is no coarser or finer mesh")
        return replace(found, variant=case, problems=(*found.problems, problem))
    across = 2 if found.geometry.kind == "plane" else 3
    return replace(
        found,
        variant=case,
        plan=sized_plan(found.plan, case.times, across),
        timing=sized_timing(found.timing, case.times),
    )


def _as_planned(study: Study, variant: Variant) -> Prepared:
    path = f"/variants/{study.index_of(variant)}"
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
        space = shape_cache.space_shape(geometry, variant.geometry.body)
    plan = resolve(study.mesh_plan, scope, "/mesh_plan", problems)
    in_time = named_scope(study, variant, start_time(study))
    set_up = resolve(study.set_up, in_time, "/set_up", problems, _start_temperature(study, in_time))
    fluid = fluid_of(set_up.fluid, "/set_up/fluid", problems)
    materials = _materials(set_up, variant, space, fluid, problems)
    rules = resolve(study.run_rules, scope, "/run_rules", problems)
    boxes = {name: resolve(box, scope, f"/places/{name}", problems) for name, box in study.places.items()}
    patches = shape.patches if shape is not None else space.patches if space is not None else None
    boundaries = [b for _, b in each(set_up.boundaries, patches or ()) if patches is None or b.patch in patches]
    declared = declared_patches(study)
    context = Context(
        study,
        variant,
        path,
        geometry,
        shape,
        sound,
        space,
        plan,
        set_up,
        fluid,
        materials,
        patches,
        declared,
        each(study.set_up.boundaries, declared | set(patches or ())),
    )
    problems += [problem for checker in CHECKERS for problem in checker(context)]
    named = (_body_names(variant, space), patches or (), boxes)
    pairs = tuple(pairs_in(plan, patches or ()))
    places = _places(study, scope, set_up, named, pairs, references_of(study, scope, problems, fluid), problems)
    problems += _box_problems(boxes)
    if patches is not None:
        problems += requirement_problems(study, replace_places(places, study), scope)
        problems += reaching_problems(study, variant, places, scope)
    if broken:  # said once, at the named value itself: what follows from it is not
        problems = [p for p in problems if not any(f"'{name}'" in p.message for name in broken)]
        problems += named_value_problems(study, None, "")
    return Prepared(
        variant, scope, geometry, shape, space, plan, fluid, boundaries, rules, set_up.timing, set_up.heat, set_up.turbulence, set_up.scalars, set_up.within, set_up.frame, set_up.start, materials, places, tuple(problems)
    )  # fmt: skip


def _places(
    study: Study,
    scope: Scope,
    set_up: Resolved,
    named: tuple[tuple[str, ...], tuple[str, ...], dict[str, Resolved]],
    pairs: tuple[Pair, ...],
    references: References,
    problems: list[Problem],
) -> Places:
    """What readings may name: of bodies, patches and boxes whatever the run computes, own fields, and what particles do to walls."""
    warm, averaged = set_up.heat is not None, set_up.timing.kind == "in_time" and set_up.timing.averages
    eddies = set_up.turbulence is not None
    scalars = {said.name: scalar_quantity(said) for said in study.set_up.scalars}
    known_fields = known_of(warm, averaged, eddies) | {name: made.kind for name, made in scalars.items()}
    mirrors = tuple(b.patch for _, b in each(set_up.boundaries, named[1]) if b.kind == "symmetry")
    flights = quantities_of([Statement(said, scope, mirrors, pairs) for said in study.particles])
    own = scalars | {name: made for name, (made, _) in flights.items()}
    own |= _own_fields(study, scope, problems, known_fields, {*scalars, *flights})
    said = {name: statement for name, (_, statement) in flights.items()}
    return Places(*named, own, references, warm, averaged, eddies, said)


def _own_fields(
    study: Study, scope: Scope, problems: list[Problem], read: dict[str, QuantityKind], taken: set[str]
) -> dict[str, OwnQuantity]:
    """The study's own fields; one may be made from another, in any order."""
    found: dict[str, OwnQuantity] = {}
    waiting = dict(study.fields)
    for name in study.fields:
        if name in QUANTITIES or name in RESERVED or name in SYMBOLS or name in taken:
            problems.append(Problem(f"/fields/{name}", f"'{name}' already has a meaning; choose another name"))
            waiting.pop(name)
    errors: dict[str, str] = {}
    for _ in range(len(waiting)):
        known = {**read, **{n: o.kind for n, o in found.items()}}
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


def replace_places(places: Places, study: Study) -> Places:
    """The same places with the patches of all variants: what is missing in one is no misspelling."""
    return replace(places, patches=tuple(sorted({*places.patches, *declared_patches(study)})))


def line_problems(c: Context) -> list[Problem]:
    """What keeps cells from being laid along lines."""
    return lines.plan_problems(c.plan, [c.shape] if c.shape and c.plan.way == "lines" else [], "/mesh_plan")


def _body_names(variant: Variant, space: SpaceShape | None) -> tuple[str, ...]:
    geometry = variant.geometry
    if space is not None and space.bodies:
        return space.bodies
    if isinstance(geometry, SpaceGeometry) and geometry.bodies:
        return tuple(b.name for b in geometry.bodies)
    return (geometry.body,)


def _start_temperature(study: Study, scope: Scope) -> float | None:
    """Where temperatures begin in K, None where none are computed or that cannot be told."""
    heat = study.set_up.heat
    try:
        return None if heat is None else value_at(heat.start, Value("temperature", "positive"), scope)
    except FormulaError:
        return None


def _materials(
    set_up: Resolved,
    variant: Variant,
    space: SpaceShape | None,
    fluid: ConstantFluid | None,
    problems: list[Problem],
) -> dict[str, ConstantFluid | Solid]:
    """What each body is made of: what is said of it, or the fluid of the set-up."""
    found: dict[str, ConstantFluid | Solid] = {}
    for name, said in set_up.materials.items():
        of = solid_of if said.kind in SOLID_KINDS else fluid_of
        made = of(said, f"/set_up/materials/{name}", problems)
        if made is not None:
            found[name] = made
    for name in solid_bodies(variant):
        if name not in found and set_up.heat is not None:
            message = f"say what {name} is made of"
            problems.append(Problem("/set_up/materials", message, "missing", variant.name))
    for name in _body_names(variant, space):
        if name not in found and fluid is not None and name not in solid_bodies(variant):
            found[name] = fluid
    return found


def solid_bodies(variant: Variant) -> list[str]:
    """Bodies that the geometry says to be solid."""
    geometry = variant.geometry
    return [b.name for b in geometry.bodies if b.holds == "solid"] if isinstance(geometry, SpaceGeometry) else []


def _box_problems(boxes: dict[str, Resolved]) -> list[Problem]:
    problems = []
    for name, box in boxes.items():
        if hasattr(box, "kind"):
            continue  # a point or a line
        pairs = [(box, "", "left", "right"), (box, "", "bottom", "top")]
        pairs += [(box.deep, "deep/", "back", "front")] if box.deep is not None else []
        for part, at, low, high in pairs:
            a, b = getattr(part, low), getattr(part, high)
            if a is not None and b is not None and b < a:
                problems.append(Problem(f"/places/{name}/{at}{high}", f"the {high} of '{name}' lies before its {low}"))
    return problems


# What looks at a variant; one more is a line here.
CHECKERS: tuple[Callable[[Context], list[Problem]], ...] = (
    space_problems, stretch_problems, line_problems, timing_problems, size_problems, follow_problems, body_problems, boundary_problems, heat_problems,
    turbulence_problems, scalar_problems, within_problems, time_problems, pair_problems, name_problems,
)  # fmt: skip
