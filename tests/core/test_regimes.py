"""Each fluid with its own regime: what stirs in one body, and does not in the next."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from brook.core.bench.flows import cube_flow
from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.results.forces import face_forces
from brook.core.results.quantities import View
from brook.core.results.wall_notes import wall_notes
from brook.core.solve.apart import Apart
from brook.core.stages.assembly import flow_of
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from

LONG, WIDE, HIGH, PLATE, SIZE = 0.15, 0.002, 0.008, 0.002, 0.001
SLOW = 0.02


def streams(fast: float, **turbulence: Any) -> Study:
    """A fast stream of gas over a plate, a slow one of water under it, which takes its heat."""

    def box(name: str, floor: float, high: float, action: str) -> dict[str, Any]:
        sides = {side: f"{name}_{side}" for side in ("west", "east", "south", "north", "floor", "lid")}
        return {"kind": "box", "name": name, "action": action, "patches": sides, "x": "0 m", "y": "0 m", "z": f"{floor} m",
                "width": f"{LONG} m", "depth": f"{WIDE} m", "height": f"{high} m"}  # fmt: skip

    parts = [box("gas", HIGH + PLATE, HIGH, "add"), box("plate", HIGH, PLATE, "apart"), box("water", 0, HIGH, "apart")]
    bodies = [{"name": n, "holds": holds, "x": "50 mm", "y": "1 mm", "z": f"{z} m"}
              for n, holds, z in (("gas", "fluid", 0.014), ("plate", "solid", 0.009), ("water", "fluid", 0.004))]  # fmt: skip
    boundaries = [{"kind": "slip", "patch": f"{n}_{side}"} for n in ("gas", "water") for side in ("south", "north")]
    boundaries += [
        {"kind": "velocity", "patch": f"{n}_west", "speed": f"{v} m/s"} for n, v in (("gas", fast), ("water", SLOW))
    ]
    boundaries += [{"kind": "pressure", "patch": f"{n}_east"} for n in ("gas", "water")]
    warm = [
        {"kind": "temperature", "patch": f"{n}_west", "temperature": f"{t} degC"}
        for n, t in (("gas", 80), ("water", 20))
    ]
    return study_from({
        "format": "brook-study", "version": 1, "title": "streams",
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": parts, "bodies": bodies}}],
        "mesh_plan": {"bulk": f"{SIZE} m", "wall": f"{SIZE} m", "way": "boxes"},
        "set_up": {
            "convection": "upwind",  # the same steps with eddies and without
            "fluid": {"kind": "library", "substance": "water"}, "materials": {"gas": {"kind": "library", "substance": "air"}, "plate": {"kind": "own_solid", "conductivity": "16 W/(m K)"}},
            "boundaries": boundaries, "heat": {"start": "20 degC", "patches": warm},
            **({"turbulence": {"kind": "sst", **turbulence}} if turbulence else {})},
        "run_rules": {"residual": "1e-4", "iterations": 400},
    })  # fmt: skip


def run(study: Study):
    prepared, surface = ready(study, "a")
    assert not prepared.problems
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def test_a_fluid_that_is_said_to_be_laminar_stays_so_beside_one_that_is_not():
    fast = run(streams(15.0, still=["water"]))
    slow = run(streams(0.2))
    fields = fast.fields
    assert fast.state == "converged", fast.message
    mesh = fields.mesh
    water, gas = (mesh.body == mesh.bodies.index(n) for n in ("water", "gas"))
    eddy = fields.more["eddy_viscosity"][0]
    assert not eddy[water].any()
    assert np.median(eddy[gas]) > 5 * 1.8e-5
    # the water flows as if the gas were laminar too
    assert fields.velocity[water] == pytest.approx(slow.fields.velocity[water], abs=5e-3 * SLOW)
    assert {n.patch for n in wall_notes(View(fields))} == {"gas_lid", "plate_lid"}
    wall = mesh.patch("water_floor")
    drag = [face_forces(f, f.mesh.patch("water_floor"))[1][:, 0].sum() for f in (fields, slow.fields)]
    assert drag[0] == pytest.approx(drag[1], rel=5e-3)
    assert wall.count
    # the heat that the gas gives up is what the water takes
    heat = {p.name: fields.more["heat"][1][fields.stencil.boundary_faces(p)].sum() for p in fields.stencil.patches}
    given, taken = (heat[f"{n}_west"] + heat[f"{n}_east"] for n in ("gas", "water"))
    assert abs(given) > 0.01
    assert given + taken == pytest.approx(0.0, abs=2e-3 * abs(heat["gas_west"]))


def test_what_comes_in_developed_is_as_the_flow_of_its_body():
    raw = streams(15.0, still=["water"]).model_dump(mode="json")
    for boundary in raw["set_up"]["boundaries"]:
        if boundary["kind"] == "velocity":
            boundary["profile"] = "developed"
    study = study_from(raw)
    prepared, surface = ready(study, "a")
    flow, stencil = flow_of(study, prepared, meshed(study, prepared, surface, lambda _: None))
    peak = {}
    for name in ("gas", "water"):
        speed = flow.conditions.velocity[stencil.boundary_faces(stencil.mesh.patch(f"{name}_west")), 0]
        peak[name] = float(speed.max() / speed.mean())
    assert peak["water"] > 1.35
    assert peak["gas"] < 1.25


def problems(study: Study) -> list[tuple[str, str]]:
    return [(p.path, p.message) for p in prepare(study, study.variants[0]).problems]


def test_what_cannot_be_is_told_where_it_stands():
    ready(streams(15.0), "a")  # its patches are known from then on
    assert not problems(streams(15.0, still=["water"]))
    every = problems(streams(15.0, still=["water", "gas"]))
    assert any(path == "/set_up/turbulence/still" and "every flow here" in words for path, words in every)
    solid = problems(streams(15.0, still=["plate"]))
    assert any(path == "/set_up/turbulence/still/0" and "solid" in words for path, words in solid)
    nobody = problems(streams(15.0, still=["oil"]))
    assert any(path.startswith("/set_up/turbulence/still") and "oil" in words for path, words in nobody)


def test_a_shape_that_brings_its_cells_has_a_regime_too():
    part = {"kind": "tube", "name": "pipe", "diameter": "1 m", "across": 4, "along": {"cells": 4}, "outward": {"cells": 4},
            "path": [{"x": "0 m", "y": "0 m", "z": "0 m"}, {"x": "1 m", "y": "0 m", "z": "0 m"}],
            "patches": {"start": "begin", "end": "end", "side": "wall"}}  # fmt: skip

    def pipe(**turbulence: Any) -> Study:
        return study_from({
            "format": "brook-study", "version": 1, "title": "pipe",
            "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [part]}}],
            "set_up": {
                "fluid": {"kind": "library", "substance": "water"},
                "turbulence": {"incoming": {"kind": "duct", "diameter": "1 m"}, **turbulence},
                "boundaries": [{"kind": "velocity", "patch": "begin", "speed": "1 m/s"}, {"kind": "pressure", "patch": "end"}],
            },
        })  # fmt: skip

    prepared, _ = ready(pipe(), "a")  # makes its shape, whose patches are known from then on
    assert not prepared.problems


def test_it_is_said_and_taken_back():
    study = act(streams(15.0, prandtl="0.85"), "set_regime", body="water", regime="laminar")
    assert study.set_up.turbulence is not None
    assert study.set_up.turbulence.still == ("water",)
    back = act(study, "set_regime", body="water", regime="turbulent")
    assert back.set_up.turbulence is not None
    assert back.set_up.turbulence.still == ()
    with pytest.raises(KeyError, match="laminar or turbulent"):
        act(study, "set_regime", body="water", regime="both")


def test_each_fluid_is_judged_by_its_own_size():
    study = streams(15.0)
    prepared, surface = ready(study, "a")
    flow, stencil = flow_of(study, prepared, meshed(study, prepared, surface, lambda _: None))
    for _ in range(60):
        calm = flow.iterate().of["momentum"]
    water = stencil.mesh.body == stencil.mesh.bodies.index("water")
    flow.velocity[water] *= 1 + 0.2 * np.sin(1e3 * stencil.mesh.centre[water, :1])
    on_boundary, left = flow.assemble_momentum()
    assert left > 20 * calm
    assert (
        flow.momentum.assemble(flow, on_boundary) < 0.1 * left
    )  # by the size of what the gas moves it is next to nothing


def test_of_one_fluid_its_residuals_are_those_of_all():
    flow = cube_flow(8)
    apart = Apart(flow)
    for _ in range(3):
        on_boundary, left = flow.assemble_momentum()
        assert apart.moving(flow, on_boundary) == pytest.approx(left, rel=1e-4)
        flow.momentum.move(flow)
        flow.mass.predict(flow, flow.momentum)
        unkept = flow.mass.balance(flow)
        kept = apart.kept(flow)
        assert kept == pytest.approx(
            unkept / (flow.momentum.stretched + unkept), rel=1e-4
        )  # nothing flows through the lid
        flow.mass.correct(flow, flow.momentum)
