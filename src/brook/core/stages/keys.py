"""The keys that decide what is out of date.

geometry -> mesh -> set-up -> run -> readings: each key is a hash of just the numbers that stage
depends on, so that a formula rewritten to the same value changes nothing. A part that says nothing adds nothing.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from brook.core.checks import Prepared
from brook.core.formulas import FormulaError, names_in, parse
from brook.core.materials import ConstantFluid
from brook.core.mesh.boxes import Layers
from brook.core.stages.following import follow_key, follow_of
from brook.core.stages.meshing import space_layers, space_sizes
from brook.core.study import Requirement, Resolved, Study
from brook.core.study.moving import changes_in_time
from brook.core.study.resolve import plain
from brook.core.study.space import has_own_mesh

# Raised when a stage would compute something else from the same inputs.
MESH_VERSION = 2
SPACE_MESH_VERSION = 6
OWN_MESH_VERSION = 3
BOXES_VERSION = 1
LAYERS_VERSION = 1
SOLVER_VERSION = 8
TURBULENCE_VERSION = 4


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
        pairs = [plain(plan.pairs)] if plan.pairs else []
        mesh = _hash(geometry, plain([plan.bulk, plan.wall, plan.growth]), MESH_VERSION, *pairs)
        if plan.way == "boxes":
            sizes, layers = _sizes_of(prepared, shape.patches), space_layers(prepared, shape.patches)
            checks, followed = _checks_of(prepared), _followed_of(prepared)
            mesh = _hash(geometry, sizes, _said_of(layers), SPACE_MESH_VERSION, checks, *followed)
    elif space is not None and space.patches is not None:
        geometry = _hash(space.bodies_key)
        if has_own_mesh(prepared.geometry):
            made_of = sorted(study.set_up.materials)
            mesh = _hash(geometry, OWN_MESH_VERSION, _checks_of(prepared), *([made_of] if made_of else []))
            return _later_keys(study, prepared, prepared.fluid, geometry, mesh)
        layers = space_layers(prepared, space.patches)
        said = _said_of(layers)
        mesh = _hash(*_sized(prepared, geometry, said, _checks_of(prepared)))
    else:
        return None
    return _later_keys(study, prepared, prepared.fluid, geometry, mesh)


def boxes_key(prepared: Prepared) -> str:
    """The key of the boxes of a space variant without problems, fitted and without layers: whatever is said of these leaves it."""
    assert prepared.space is not None
    return _hash(*_sized(prepared, _hash(prepared.space.bodies_key), "boxes", BOXES_VERSION))


def _said_of(layers: Sequence[Layers]) -> list[Any] | None:
    return [LAYERS_VERSION, *plain([asdict(group) for group in layers])] if layers else None


def _sized(prepared: Prepared, geometry: str, *more: Any) -> list[Any]:
    """What decides on boxes in space, and more that something else depends on."""
    assert prepared.space is not None
    assert prepared.space.patches is not None
    sizes = _sizes_of(prepared, prepared.space.patches)
    return [geometry, sizes, *more[:1], SPACE_MESH_VERSION, *more[1:], *_followed_of(prepared)]


def _sizes_of(prepared: Prepared, patches: tuple[str, ...]) -> Any:
    """What is said of sizes; those that a run asks for have a key of their own."""
    said = asdict(space_sizes(prepared, patches))
    del said["following"]
    return plain(said)


def _followed_of(prepared: Prepared) -> list[str]:
    return [] if follow_of(prepared) is None else [follow_key(prepared)]


def _checks_of(prepared: Prepared) -> list[Any]:
    """What a mesh is checked for besides; nothing of it for most, whose keys it leaves as they are."""
    flat = sorted(b.patch for b in prepared.boundaries if b.kind == "symmetry")
    return [plain(prepared.plan.pairs), flat] if prepared.plan.pairs or flat else []


def _later_keys(study: Study, prepared: Prepared, fluid: ConstantFluid, geometry: str, mesh: str) -> Keys:
    properties = {"density": fluid.density, "viscosity": fluid.viscosity}
    boundaries = sorted((_said_of_patch(b) for b in prepared.boundaries), key=lambda b: b["patch"])
    set_up = _hash(
        plain(list(properties.values())),
        boundaries,
        study.set_up.convection,
        plain(prepared.rules),
        *([plain(asdict(fluid.law))] if fluid.law else []),
        *_timing_inputs(study, prepared),
        *_heat_inputs(prepared),
        *([plain(prepared.turbulence), TURBULENCE_VERSION] if prepared.turbulence else []),
        *([[_scalar_inputs(said) for said in prepared.scalars]] if prepared.scalars else []),
        *([plain(prepared.within)] if prepared.within else []),
        *([["start", plain(prepared.start)]] if prepared.start.kind == "formula" else []),
        *([["frame", plain(prepared.frame)]] if prepared.frame is not None else []),
        *_tables_asked(study, prepared),
    )
    run = _hash(mesh, set_up, SOLVER_VERSION)
    readings = {r.name: _hash(run, *_reading_inputs(r, prepared)) for r in study.requirements}
    return Keys(geometry, mesh, set_up, run, readings)


def _tables_asked(study: Study, prepared: Prepared) -> list[Any]:
    """The tables that a formula of the set-up, or a named value, asks for."""
    named = {**study.named_values, **prepared.variant.named_values}
    words = set(re.findall(r"([a-z][a-z0-9_]*)\s*\(", " ".join([study.set_up.model_dump_json(), *named.values()])))
    words |= {getattr(said, "measured", "") for said in study.set_up.within}
    # straight lines, as ever, add nothing
    asked = {
        name: made.model_dump(mode="json", exclude={"between"} if made.between == "lines" else set())
        for name, made in sorted(study.tables.items())
        if name in words
    }
    return [asked] if asked else []


def _said_of_patch(boundary: Resolved) -> dict[str, Any]:
    found: dict[str, Any] = plain(boundary)
    return {name: value for name, value in found.items() if (name, value) != ("loss", 0.0)}


def _timing_inputs(study: Study, prepared: Prepared) -> list[Any]:
    """What a flow in time depends on besides; nothing for a steady one, whose keys it leaves as they are."""
    if prepared.timing.kind == "steady":
        return []
    said = [*study.set_up.boundaries, *study.set_up.within]
    texts = [b.model_dump() for b in said if changes_in_time(study, prepared.variant, b)]
    return [
        plain(prepared.timing),
        texts,
        study.named_values if texts else {},
        prepared.variant.named_values if texts else {},
    ]


def _scalar_inputs(said: Resolved) -> Any:
    """What a run depends on of something that the flow carries."""
    found = plain(said)
    if not found.get("begins", True):
        del found["begins"]
    return found


def _heat_inputs(prepared: Prepared) -> list[Any]:
    """What a run with heat depends on besides; nothing for others, whose keys it leaves as they are."""
    if prepared.heat is None:
        return []
    made = {**prepared.materials, "": prepared.fluid}
    varied = {
        f"{name}.{of}": value.samples() for name, m in made.items() if m is not None for of, value in m.varied.items()
    }
    constant = {name: asdict(replace(m, varied={})) for name, m in sorted(prepared.materials.items())}
    # what is said of an outlet through which a fan draws is that of what flows back, as of any outlet
    drawn = sorted(
        {b.patch for b in prepared.boundaries if b.kind == "exhaust"} & {p.patch for p in prepared.heat.patches}
    )
    said = plain(prepared.heat)
    if not said["begins"]:
        del said["begins"]
    return [
        said,
        plain(constant),
        *([varied] if varied else []),
        *([["drawn", drawn]] if drawn else []),
    ]


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
    if quantity == "friction_coefficient":
        return [] if places.references.speed is None else [places.references.speed]
    if quantity in ("drag_coefficient", "lift_coefficient", "moment_coefficient"):
        of_heat = ("temperature", "conductivity")
        return [plain([value for name, value in asdict(places.references).items() if name not in of_heat])]
    if quantity == "film_coefficient":
        return [places.references.temperature]
    if quantity == "nusselt":
        said = places.references
        return [said.temperature, said.conductivity, said.length, *said.along]
    if quantity in places.flights:
        try:
            return [plain(places.flights[quantity].resolved())]
        except ValueError:
            return [places.flights[quantity].said.model_dump_json()]
    if quantity not in places.own or not places.own[quantity].text:
        return []
    found: list[Any] = [places.own[quantity].text]
    for name in names_in(parse(places.own[quantity].text)):
        if name.text in places.quantities():
            found += _own_inputs(name.text, prepared)
        elif name.text not in ("x", "y", "z"):
            found.append(plain(float(prepared.scope(name).value)))
    return found
