"""The stages of a variant in their order, and the keys that decide what is out of date.

geometry -> mesh -> set-up -> run -> readings: each key is a hash of just the numbers that stage
depends on, so that a formula rewritten to the same value changes nothing.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.formulas import FormulaError, names_in, parse
from brook.core.geometry.bodies import bodies_of
from brook.core.geometry.surface import Surface
from brook.core.limits import resolved_limit
from brook.core.materials import ConstantFluid
from brook.core.materials.solid import Solid
from brook.core.mesh import Mesh, boxes, lines
from brook.core.mesh.opening import opened
from brook.core.mesh.pairs import FLAT, Motion, bent, match
from brook.core.numerics import Stencil
from brook.core.numerics.operators import Convection
from brook.core.physics.plate import friction_speed
from brook.core.results.course import course_of
from brook.core.results.quantities import OF_AVERAGES
from brook.core.results.readings import Judgement, judge, read_value, reading_dimension
from brook.core.solve import (
    Checkpoint,
    Fields,
    FlowModel,
    FlowSolver,
    History,
    Outcome,
    Rules,
    Settings,
    Timing,
    Watch,
    boundary_conditions,
    run_in_time,
    run_steady,
)  # fmt: skip
from brook.core.solve.energy import EnergyEquation, FlowPart, Fluids
from brook.core.solve.heat import Heat
from brook.core.solve.heating import INFLOWS, contacts_of, fillings_of, heat_conditions, sources_of, substance_of
from brook.core.solve.medium import Medium, ShearLaws
from brook.core.solve.run import UNWATCHED, Monitor
from brook.core.solve.scalars import TransportedScalar, scalar_of
from brook.core.solve.setup import BoundaryConditions
from brook.core.solve.still import SolidSolver
from brook.core.study import Problem, Requirement, Study, Value, Variant, named_scope, resolve
from brook.core.study.resolve import Resolved, plain
from brook.core.study.space import has_own_mesh
from brook.core.units import DIMENSIONS, Dimension, show

RATE = DIMENSIONS["rate"]
COURSES = {"mean": "mean", "largest": "largest value", "smallest": "smallest value", "fluctuation": "fluctuation (root mean square)",
           "frequency": "frequency"}  # fmt: skip
# Kinds of walls that fluid sticks to: layers stand along these.
STICKING = ("wall", "sliding", "turning")
# Raised when a stage would compute something else from the same inputs.
MESH_VERSION = 2
SPACE_MESH_VERSION = 5
OWN_MESH_VERSION = 3
SOLVER_VERSION = 8


@dataclass(frozen=True)
class Keys:
    """The key of each stage of a variant; `readings` by requirement name."""

    geometry: str
    mesh: str
    set_up: str
    run: str
    readings: dict[str, str]


def _hash(*parts: Any) -> str:
    text = json.dumps(parts, sort_keys=True, separators=(",", ":"), default=str)
    return hashlib.sha256(text.encode()).hexdigest()[:20]


def stage_keys(study: Study, prepared: Prepared) -> Keys | None:
    """The keys of a variant, or None while something is wrong with it."""
    shape, space, plan = prepared.shape, prepared.space, prepared.plan
    if prepared.fluid is None or any(p.kind == "wrong" for p in prepared.problems):
        return None
    if shape is not None:
        geometry = _hash(shape.key)
        mesh = _hash(geometry, plain([plan.bulk, plan.wall, plan.growth]), MESH_VERSION)
        if plan.way == "boxes":
            sizes, layers = asdict(space_sizes(prepared, shape.patches)), space_layers(prepared, shape.patches)
            mesh = _hash(
                geometry,
                plain(sizes),
                plain(asdict(layers)) if layers else None,
                SPACE_MESH_VERSION,
                _checks_of(prepared),
            )
    elif space is not None and space.patches is not None:
        geometry = _hash(space.bodies_key)
        if has_own_mesh(prepared.geometry):
            made_of = sorted(study.set_up.materials)
            mesh = _hash(geometry, OWN_MESH_VERSION, _checks_of(prepared), *([made_of] if made_of else []))
            return _later_keys(study, prepared, prepared.fluid, geometry, mesh)
        layers = space_layers(prepared, space.patches)
        sizes = asdict(space_sizes(prepared, space.patches))
        mesh = _hash(
            geometry, plain(sizes), plain(asdict(layers)) if layers else None, SPACE_MESH_VERSION, _checks_of(prepared)
        )
    else:
        return None
    return _later_keys(study, prepared, prepared.fluid, geometry, mesh)


def _checks_of(prepared: Prepared) -> list[Any]:
    """What a mesh is checked for besides; nothing of it for most, whose keys it leaves as they are."""
    flat = sorted(b.patch for b in prepared.boundaries if b.kind == "symmetry")
    return [plain(prepared.plan.pairs), flat] if prepared.plan.pairs or flat else []


def _later_keys(study: Study, prepared: Prepared, fluid: ConstantFluid, geometry: str, mesh: str) -> Keys:
    properties = {"density": fluid.density, "viscosity": fluid.viscosity}
    boundaries = sorted((plain(b) for b in prepared.boundaries), key=lambda b: b["patch"])
    set_up = _hash(
        plain(list(properties.values())),
        boundaries,
        study.set_up.convection,
        plain(prepared.rules),
        *([plain(asdict(fluid.law))] if fluid.law else []),
        *_timing_inputs(study, prepared),
        *_heat_inputs(prepared),
        *([plain(prepared.scalars)] if prepared.scalars else []),
    )
    run = _hash(mesh, set_up, SOLVER_VERSION)
    readings = {r.name: _hash(run, *_reading_inputs(r, prepared)) for r in study.requirements}
    return Keys(geometry, mesh, set_up, run, readings)


def _timing_inputs(study: Study, prepared: Prepared) -> list[Any]:
    """What a flow in time depends on besides; nothing for a steady one, whose keys it leaves as they are."""
    if prepared.timing.kind == "steady":
        return []
    texts = [b.model_dump() for b in study.set_up.boundaries if _changes(study, prepared.variant, b)]
    return [
        plain(prepared.timing),
        texts,
        study.named_values if texts else {},
        prepared.variant.named_values if texts else {},
    ]


def _heat_inputs(prepared: Prepared) -> list[Any]:
    """What a run with heat depends on besides; nothing for others, whose keys it leaves as they are."""
    if prepared.heat is None:
        return []
    made = {**prepared.materials, "": prepared.fluid}
    varied = {
        f"{name}.{of}": value.samples() for name, m in made.items() if m is not None for of, value in m.varied.items()
    }
    constant = {name: asdict(replace(m, varied={})) for name, m in sorted(prepared.materials.items())}
    return [plain(prepared.heat), plain(constant), *([varied] if varied else [])]


def _changes(study: Study, variant: Variant, boundary: Any) -> bool:
    """Whether a value of a boundary depends on the time, by itself or by a named value."""
    named = {**study.named_values, **variant.named_values}
    waiting = [
        getattr(boundary, name)
        for name, info in type(boundary).model_fields.items()
        if any(isinstance(mark, Value) for mark in info.metadata)
    ]
    seen: set[str] = set()
    while waiting:
        try:
            names = {n.text for n in names_in(parse(waiting.pop()))} - seen
        except FormulaError:
            continue  # told at its place
        if "t" in names:
            return True
        seen |= names
        waiting += [named[name] for name in names if name in named]
    return False


def _reading_inputs(requirement: Requirement, prepared: Prepared) -> list[Any]:
    try:
        tree = parse(requirement.reading)
    except FormulaError:
        return [requirement.reading]
    used: list[Any] = [requirement.reading, *([requirement.course] if requirement.course else [])]
    for name in names_in(tree):
        used += _own_inputs(name.parts[1] if len(name.parts) == 3 else "", prepared)
        if name.parts[0] in prepared.places.boxes:
            used.append(plain(prepared.places.boxes[name.parts[0]]))
        elif len(name.parts) == 1:
            try:
                used.append(plain(float(prepared.scope(name).value)))
            except FormulaError:
                used.append(None)
    return used


def _own_inputs(quantity: str, prepared: Prepared) -> list[Any]:
    """What a quantity depends on besides the fields: formulas, named values in them, reference values."""
    places = prepared.places
    if quantity == "pressure_coefficient":
        return [places.references.speed, places.references.pressure]
    if quantity not in places.own or not places.own[quantity].text:
        return []
    found: list[Any] = [places.own[quantity].text]
    for name in names_in(parse(places.own[quantity].text)):
        if name.text in places.quantities():
            found += _own_inputs(name.text, prepared)
        elif name.text not in ("x", "y", "z"):
            found.append(plain(float(prepared.scope(name).value)))
    return found


# -- the stages -------------------------------------------------------------------------------


def make_mesh(prepared: Prepared, tell: Callable[[str], None] = lambda _: None) -> Mesh:
    """The mesh of a plane variant without problems."""
    shape = prepared.shape
    assert shape is not None
    if prepared.plan.way == "boxes":
        layers = space_layers(prepared, shape.patches)
        return checked(boxes.build_plane(shape, space_sizes(prepared, shape.patches), tell, layers), prepared)
    return lines.build(shape, prepared.plan)


def space_sizes(prepared: Prepared, patches: tuple[str, ...]) -> boxes.Sizes:
    """Sizes of boxes for a shape in space: each is twice the next smaller one, after as many as the growth needs."""
    plan = prepared.plan
    own = {name: size for name, size in plan.patches.items() if name in patches}
    sizes = {name: min(plan.bulk, own.get(name, plan.wall)) for name in sorted(patches)}
    before_next = np.log(2.0) / np.log(plan.growth)
    buffer = int(np.clip(round(before_next / 2), 1, 6))
    zones = tuple((min(plan.bulk, zone.size), _region(zone)) for zone in plan.zones)
    stretch = (plan.stretch.x, plan.stretch.y, plan.stretch.z)
    return boxes.Sizes(plan.bulk, sizes, plan.smallest, buffer, zones, plan.per_turn, plan.per_gap, stretch)


def _region(zone: Resolved) -> boxes.Box | boxes.Rod | boxes.Near:
    if zone.kind == "near":
        return boxes.Near(zone.patch, zone.distance)
    at = (zone.x, zone.y, zone.z)
    if zone.kind == "box":
        return boxes.Box(at, (zone.x + zone.width, zone.y + zone.depth, zone.z + zone.height))
    end = at if zone.kind == "ball" else (zone.end_x, zone.end_y, zone.end_z)
    return boxes.Rod(at, end, zone.diameter / 2)


def space_layers(prepared: Prepared, patches: tuple[str, ...]) -> boxes.Layers | None:
    """The layers along walls, None for none; where no patch is named they stand along all walls."""
    plan = prepared.plan.layers
    if plan is None:
        return None
    others = {b.patch for b in prepared.boundaries if b.kind not in STICKING}
    along = tuple(sorted(p for p in patches if (p in plan.patches if plan.patches else p not in others)))
    first = plan.height
    if plan.height_of == "all":
        first = plan.height / float((plan.growth ** np.arange(plan.number)).sum())
    elif plan.height_of == "y_plus":
        assert prepared.fluid is not None
        first = (
            2
            * plan.y_plus
            * prepared.fluid.kinematic_viscosity
            / friction_speed(prepared.plan.layers, prepared.fluid)[1]
        )
    return boxes.Layers(along, plan.number, first, plan.growth)


def make_space_mesh(prepared: Prepared, surface: Surface, tell: Callable[[str], None]) -> Mesh:
    """The mesh of the body of a shape in space; `surface` is what it stands on. Raises `ValueError`."""
    bodies = bodies_of(surface, prepared.geometry.bodies)[0]
    solids, fluids = [], []
    for body, point in zip(bodies, prepared.geometry.bodies, strict=True):
        if body.surface is None:
            raise boxes.MeshError(f"{body.name}: {body.problem}")
        solids.append(
            boxes.Solid(body.name, _with_own_patches(body.surface), np.array([point.x, point.y, point.z], float))
        )
        if body.holds == "fluid":
            fluids.append(solids[-1])
    wetted = {name for fluid in fluids for name in fluid.surface.patches}
    for boundary in prepared.boundaries:
        if boundary.patch not in wetted:
            words = " or ".join(fluid.name for fluid in fluids)
            raise boxes.MeshError(f"{boundary.patch} does not touch {words}; say something of another patch")
    names = tuple(sorted({name for solid in solids for name in solid.surface.patches}))
    sizes = space_sizes(prepared, names)
    if len(solids) == 1:
        one = solids[0]
        layers = space_layers(prepared, one.surface.patches)
        return checked(boxes.build(one.surface, sizes, one.name, tell, one.wet, layers), prepared)
    plan = prepared.plan.layers
    layered = [
        replace(solid, layers=space_layers(prepared, tuple(wetted & set(solid.surface.patches))))
        if solid in fluids or (plan is not None and plan.sides == "both") else solid
        for solid in solids
    ]  # fmt: skip
    return checked(boxes.build_bodies(layered, sizes, tell), prepared)


def _with_own_patches(surface: Surface) -> Surface:
    """The same with only those patches that have a triangle."""
    used = np.unique(surface.patch)
    names = tuple(surface.patches[k] for k in used)
    return Surface(surface.points, surface.triangles, np.searchsorted(used, surface.patch), names)


def told_pairs(prepared: Prepared, mesh: Mesh) -> list[dict[str, Any]]:
    """Of every periodic pair that the plan wants of patches in this mesh: what it is found to be."""
    found = []
    names = {p.name for p in mesh.patches}
    for pair in prepared.plan.pairs:
        if pair.patch not in names:
            continue
        at = (pair.x, pair.y, pair.z)
        motion = Motion.shifted(at) if pair.kind == "shift" else Motion.turned(pair.axis, pair.angle, at)
        matched = match(mesh, pair.patch, motion)
        words = f"{len(matched.faces)} sides match those of {matched.other}, {matched.off:.1e} m off at most"
        found.append({"patch": pair.patch, "other": matched.other, "problem": bool(matched.problem),
                      "words": matched.problem or words})  # fmt: skip
    return found


def bent_symmetries(prepared: Prepared, mesh: Mesh) -> list[str]:
    """Patches that are said to be planes of symmetry but are not flat."""
    names = {p.name for p in mesh.patches}
    wanted = [b.patch for b in prepared.boundaries if b.kind == "symmetry" and b.patch in names]
    return [name for name in wanted if bent(mesh, name) > np.arccos(FLAT)]


def flow_mesh(prepared: Prepared, mesh: Mesh) -> Mesh:
    """That part of a mesh in which something flows, walls between its bodies opened."""
    fluids = _fluid_names(prepared, mesh)
    if fluids != set(mesh.bodies):
        mesh = mesh.part([k for k, name in enumerate(mesh.bodies) if name in fluids])
    return opened(mesh, fluids).mesh


def checked(mesh: Mesh, prepared: Prepared) -> Mesh:
    """A mesh that has every patch of which something is said. Raises `ValueError`."""
    found = {p.name for p in mesh.patches} | {mesh.walls[k] for k in np.unique(mesh.wall) if k >= 0}
    for boundary in prepared.boundaries:
        if boundary.patch not in found:
            raise ValueError(
                f"the cells are too large for {boundary.patch}: none has a side there; choose smaller ones"
            )
    return mesh


def rules_of(prepared: Prepared) -> Rules:
    rules = prepared.rules
    return Rules(rules.residual, rules.monitor_change, rules.monitor_window, rules.iterations)


def solve(
    study: Study,
    prepared: Prepared,
    mesh: Mesh,
    watch: Watch = UNWATCHED,
    start: Checkpoint | None = None,
) -> Outcome:
    """Runs the flow of a variant; every requirement is a monitor. `start` is a state on the same mesh."""
    assert prepared.fluid is not None
    flow, stencil = flow_of(study, prepared, mesh)
    flow.reference_speed = max(flow.reference_speed, _fastest(study, prepared, stencil))
    monitors: dict[str, Monitor] = {
        r.name: partial(_monitor, r, prepared) for r in study.requirements if _readable(r, prepared)
    }
    if prepared.timing.kind == "steady":
        return run_steady(flow, rules_of(prepared), monitors, watch, start)
    return run_in_time(flow, timing_of(prepared), monitors, watch, start, _conditions_in_time(study, prepared, stencil))


def run_mesh(prepared: Prepared, mesh: Mesh) -> Mesh:
    """The mesh on which the fields of a run stand: with heat all bodies, walls between them opened; else what flows."""
    if prepared.heat is None:
        return flow_mesh(prepared, mesh)
    return opened(mesh, _fluid_names(prepared, mesh)).mesh


def _fluid_names(prepared: Prepared, mesh: Mesh) -> set[str]:
    geometry = prepared.geometry
    solid = {b.name for b in geometry.bodies if b.holds == "solid"} if geometry.kind == "space" else set()
    return {n for n in mesh.bodies if n not in solid and not isinstance(prepared.materials.get(n), Solid)}


def flow_of(study: Study, prepared: Prepared, mesh: Mesh) -> tuple[FlowSolver | SolidSolver, Stencil]:
    """The flow of a variant at its start, with the heat it carries, and the stencil it is computed on.

    Raises `ValueError` where the set-up does not fit the mesh.
    """
    assert prepared.fluid is not None
    scheme, said = study.set_up.convection, prepared.heat
    if said is None:
        stencil = Stencil(flow_mesh(prepared, mesh))
        fluids = _fluids(stencil.mesh, prepared)
        conditions = boundary_conditions(stencil, prepared.boundaries)
        model = FlowModel.of(_laws(fluids), *_scalars(prepared, stencil, fluids, scheme))
        return FlowSolver(stencil, _medium(stencil, fluids), conditions, model, Settings(scheme)), stencil
    whole = Stencil(run_mesh(prepared, mesh))
    materials = {name: prepared.materials.get(name, prepared.fluid) for name in whole.mesh.bodies}
    flowing = [k for k, name in enumerate(whole.mesh.bodies) if not isinstance(materials[name], Solid)]
    inflows = [b for b in prepared.boundaries if flowing]
    heat = Heat(
        whole, substance_of(whole, materials), heat_conditions(whole, said, inflows), np.full(whole.cells, said.start),
        sources_of(whole, said), contacts_of(whole, said), scheme, fillings_of(whole, materials, said.varying),
    )  # fmt: skip
    if not flowing:
        if prepared.scalars:
            raise ValueError(
                f"nothing flows here that could carry {prepared.scalars[0].name}; take it out of the set-up"
            )
        return SolidSolver(heat), whole
    stencil = whole if len(flowing) == len(whole.mesh.bodies) else Stencil(whole.mesh.part(flowing))
    fluids = _fluids(stencil.mesh, prepared)
    gravity = np.array([said.gravity_x, said.gravity_y, said.gravity_z])
    energy = EnergyEquation(
        heat, FlowPart.of(whole, flowing), fluids, gravity, said.start, said.buoyancy, said.varying, said.friction
    )
    conditions = boundary_conditions(stencil, prepared.boundaries)
    model = FlowModel.of(energy, _laws(fluids), *_scalars(prepared, stencil, fluids, scheme))
    return FlowSolver(stencil, _medium(stencil, fluids), conditions, model, Settings(scheme)), stencil


def _scalars(prepared: Prepared, stencil: Stencil, fluids: Fluids, scheme: Convection) -> list[TransportedScalar]:
    """What the flow carries besides, never over what lies around it."""
    entering = {b.patch for b in prepared.boundaries if b.kind in INFLOWS}
    density, kind = fluids.constant("density"), "upwind" if scheme == "upwind" else "bounded"
    return [scalar_of(said, stencil, density, entering, kind) for said in prepared.scalars]


def _fluids(mesh: Mesh, prepared: Prepared) -> Fluids:
    assert prepared.fluid is not None
    made = [prepared.materials.get(name, prepared.fluid) for name in mesh.bodies]
    return Fluids(tuple(m if isinstance(m, ConstantFluid) else prepared.fluid for m in made), mesh.body)


def _laws(fluids: Fluids) -> ShearLaws | None:
    return ShearLaws(fluids.fluids, fluids.of) if any(f.law is not None for f in fluids.fluids) else None


def _medium(stencil: Stencil, fluids: Fluids) -> Medium:
    density = fluids.constant("density")
    return Medium(stencil, density, fluids.constant("viscosity"), density[stencil.face_cell])


def timing_of(prepared: Prepared) -> Timing:
    """How a flow is followed through time."""
    t = prepared.timing
    return Timing(
        t.duration, t.steps, t.step, t.courant, 2 if t.order == "second" else 1, t.repeats, t.residual, t.keep_every,
        t.average_from if t.averages else None,
    )  # fmt: skip


def boundaries_at(study: Study, prepared: Prepared, time: float) -> list[Resolved]:
    """What is said of the boundaries of a variant at a time in s. Raises `ValueError` where it has no value then."""
    problems: list[Problem] = []
    scope = named_scope(study, prepared.variant, time)
    known = {b.patch for b in prepared.boundaries}
    found = [resolve(b, scope, f"/set_up/boundaries/{k}", problems) for k, b in enumerate(study.set_up.boundaries)
             if b.patch in known]  # fmt: skip
    if problems:
        raise ValueError(f"at {time:.4g} s: {problems[0]}")
    return found


def _conditions_in_time(
    study: Study, prepared: Prepared, stencil: Stencil
) -> Callable[[float], BoundaryConditions] | None:
    """Boundary values by time, None where none changes."""
    if not any(_changes(study, prepared.variant, b) for b in study.set_up.boundaries):
        return None
    developed: dict[str, np.ndarray] = {}
    return lambda time: boundary_conditions(stencil, boundaries_at(study, prepared, time), developed)


def _fastest(study: Study, prepared: Prepared, stencil: Stencil) -> float:
    """The largest speed in m/s that boundary values have at some of a hundred moments of a flow in time."""
    in_time = _conditions_in_time(study, prepared, stencil) if prepared.timing.kind == "in_time" else None
    if in_time is None:
        return 0.0
    times = np.linspace(0.0, prepared.timing.duration, 101)
    return max(float(np.linalg.norm(in_time(t).velocity, axis=1).max(initial=0.0)) for t in times)


def _readable(requirement: Requirement, prepared: Prepared) -> bool:
    try:
        reading_dimension(requirement.reading, prepared.places, prepared.scope)
    except FormulaError:
        return False
    return True


def _monitor(requirement: Requirement, prepared: Prepared, fields: Fields) -> float:
    return read_value(requirement.reading, prepared.places, prepared.scope, fields)


@dataclass(frozen=True)
class ReadingResult:
    """The value of a requirement in SI units, or why it has none."""

    name: str
    value: float | None
    problem: str = ""

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def read_all(study: Study, prepared: Prepared, fields: Fields, history: History) -> list[ReadingResult]:
    """The readings of every requirement: of a flow in time over its history where it is to be read so."""
    results = []
    for requirement in study.requirements:
        try:
            value = _monitor(requirement, prepared, fields)
            results.append(ReadingResult(requirement.name, float(_over_time(requirement, prepared, history, value))))
        except FormulaError as error:
            results.append(ReadingResult(requirement.name, None, error.message))
        except ValueError as error:
            results.append(ReadingResult(requirement.name, None, str(error)))
    return results


def course_words(requirement: Requirement, prepared: Prepared) -> str:
    """What of a flow in time a requirement reads, in words; '' for a steady one."""
    timing = prepared.timing
    if timing.kind == "steady" or timing.duration is None or timing.average_from is None:
        return ""
    try:
        averaged = _reads_averages(requirement, prepared)
    except FormulaError:
        averaged = False
    since = (
        f"from {show(timing.average_from, DIMENSIONS['time'], given=True)} on"
        if timing.average_from
        else "of the whole run"
    )
    course = requirement.course or ("end" if averaged else timing.reads)
    if course == "end":
        told = f"at the end, {show(timing.duration, DIMENSIONS['time'], given=True)}"
        return f"{told}, of averages {since}" if averaged else told
    return f"{COURSES[course]} {since}"


def _over_time(requirement: Requirement, prepared: Prepared, history: History, at_end: float) -> float:
    """What of the course of a monitor is asked for. Raises `ValueError` where that is not known."""
    timing = prepared.timing
    if timing.kind == "steady":
        return at_end
    course = requirement.course or ("end" if _reads_averages(requirement, prepared) else timing.reads)
    values = np.array(history.monitors.get(requirement.name, []))
    if course == "end" or len(values) != len(history.time) or not len(values):
        return at_end
    return course_of(np.array(history.time), values, course, timing.average_from)


def _reads_averages(requirement: Requirement, prepared: Prepared) -> bool:
    """Whether something of a reading is a mean over time already."""
    waiting = [n.parts[1] for n in names_in(parse(requirement.reading)) if len(n.parts) == 3]
    while waiting:
        quantity = waiting.pop()
        if quantity in OF_AVERAGES:
            return True
        if quantity in prepared.places.own and prepared.places.own[quantity].text:
            waiting += [n.text for n in names_in(parse(prepared.places.own[quantity].text))]
    return False


def dimension_of_monitor(requirement: Requirement, prepared: Prepared) -> Dimension | None:
    """What a reading is at one moment."""
    try:
        return reading_dimension(requirement.reading, prepared.places, prepared.scope)
    except FormulaError:
        return None


def dimension_of_reading(requirement: Requirement, prepared: Prepared) -> Dimension | None:
    """What is read in the end."""
    dimension = dimension_of_monitor(requirement, prepared)
    return RATE if dimension is not None and requirement.course == "frequency" else dimension


def judgement_of(requirement: Requirement, prepared: Prepared, value: float) -> Judgement | None:
    """How a value stands against the requirement's limit as it is now."""
    dimension = dimension_of_reading(requirement, prepared)
    if dimension is None:
        return None
    try:
        limit = resolved_limit(requirement, dimension, prepared.scope)
    except ValueError:
        return None
    return judge(value, limit, dimension, requirement.shown_in)
