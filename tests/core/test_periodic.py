"""Flows that go round through periodic pairs."""

from __future__ import annotations

import gc
import weakref
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.materials import ConstantFluid
from brook.core.mesh import Mesh
from brook.core.mesh.assembling import Polygons
from brook.core.mesh.ordered.drawn import mesh_of
from brook.core.mesh.pairs import Motion, Pair, paired_first
from brook.core.numerics import Stencil, divergence, gradient, laplacian
from brook.core.numerics.halo import Halo
from brook.core.physics.conditions import Driven
from brook.core.solve import FlowModel, FlowSolver, Rules, boundary_conditions, run_steady
from brook.core.solve.drive import Drive
from brook.core.stages.assembly import flow_of
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Resolved, Study
from brook.core.study.document import study_from
from brook.core.verification import periodic

DROP, LENGTH = periodic.DROP, periodic.LENGTH


def channel_study(across: int = 12, period: float = LENGTH, **set_up: Any) -> Study:
    sides = {"left": "begin", "right": "end", "bottom": "wall", "top": "wall"}
    outer = {
        "name": "channel",
        "left": "0 m",
        "bottom": "0 m",
        "width": f"{period} m",
        "height": "1 m",
        "patches": sides,
    }
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.05 Pa s", "conductivity": "0.1 W/(m K)",
             "heat_capacity": "200 J/(kg K)"}  # fmt: skip
    driven = {"kind": "periodic", "patch": "begin", "drive": "drop", "drop": f"{DROP * period / LENGTH} Pa"}
    return study_from({
        "format": "brook-study", "version": 1, "title": "channel",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": f"{1 / across} m", "wall": f"{1 / across} m",
                      "pairs": [{"kind": "shift", "patch": "begin", "x": f"{period} m"}]},
        "set_up": {"fluid": fluid, "boundaries": [driven], **set_up},
        "run_rules": {"residual": "1e-10", "iterations": 600},
    })  # fmt: skip


def solved(study: Study) -> Any:
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared))


def ring(across: int = 16) -> tuple[Mesh, Pair]:
    """A sixth of the gap between cylinders of 1 m and 2 m, about an axis 0.3 m off the middle of the drawing."""
    outward, around = across, across
    radius = np.linspace(1.0, 2.0, outward + 1)
    angle = np.linspace(0.2, 0.2 + np.pi / 3, around + 1)
    r, a = np.meshgrid(radius, angle, indexing="ij")
    flat = np.stack([0.3 + r * np.cos(a), r * np.sin(a)], axis=-1).reshape(-1, 2)
    count = len(flat)
    points = np.concatenate([np.c_[flat, np.zeros(count)], np.c_[flat, np.full(count, 0.1)]])
    number = np.arange(count).reshape(outward + 1, around + 1)
    corners = np.stack([number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]], axis=-1).reshape(-1, 4)
    hexahedra = np.concatenate([corners, corners + count], axis=1)

    def side(a: np.ndarray, b: np.ndarray) -> Polygons:
        return Polygons.rows(np.stack([a, b, b + count, a + count], axis=1))

    patches = [
        ("inner_wall", side(number[0, :-1], number[0, 1:])), ("outer_wall", side(number[-1, :-1], number[-1, 1:])),
        ("one", side(number[:-1, 0], number[1:, 0])), ("other", side(number[:-1, -1], number[1:, -1])),
        ("plane_sides", Polygons.rows(np.concatenate([corners, corners + count]))),
    ]  # fmt: skip
    return mesh_of(points, hexahedra, patches), Pair("one", Motion.turned("z", np.pi / 3, (0.3, 0.0, 0.0)))


def round_channel(mesh: Mesh, pair: Pair) -> tuple[Stencil, FlowSolver]:
    """Between a cylinder that turns and one that stands."""
    mesh = paired_first(mesh, [pair])
    stencil = Stencil(mesh, Halo.of(mesh, [pair]))
    wall = Resolved(kind="turning", patch="inner_wall", rate=1.0, axis="z", x=0.3, y=0.0, z=0.0)
    conditions = boundary_conditions(stencil, [wall])
    return stencil, FlowSolver(stencil, ConstantFluid("oil", 1.0, 0.05), conditions, FlowModel.of(Drive(stencil, {})))


class TestHalo:
    def test_faces_of_a_pair_know_the_same_from_both_sides(self):
        mesh, pair = ring()
        s, _ = round_channel(mesh, pair)
        first, joint = s.mesh.inner_count, s.halo.joints[0]
        near, far = first + joint.near, first + joint.far
        assert np.allclose(s.weight[near] + s.weight[far], 1.0, atol=1e-15)
        assert np.array_equal(s.geometric_diffusion[near], s.geometric_diffusion[far])
        assert np.allclose(s.area[near] @ pair.motion.turn.T, -s.area[far], atol=1e-15)
        assert np.allclose(s.lines()[near] @ pair.motion.turn.T, -s.lines()[far], atol=1e-12)

    def test_a_field_that_turns_with_the_mesh_has_no_step_over_the_pair(self):
        mesh, pair = ring()
        s, _ = round_channel(mesh, pair)
        at = s.centre - [0.3, 0.0, 0.0]
        swirl = np.stack([-at[:, 1], at[:, 0], 0 * at[:, 0]], axis=1)
        assert np.allclose(s.across(swirl[: s.cells]), swirl, atol=1e-12)
        wall = np.cross([0.0, 0.0, 1.0], s.mesh.face_centres(slice(s.inner, s.active)) - [0.3, 0.0, 0.0])
        slope = gradient(s, s.every_boundary, swirl[: s.cells], wall)
        assert np.allclose(slope[:, 0, 1], -1.0, atol=1e-9)
        assert np.allclose(slope[:, 1, 0], 1.0, atol=1e-9)

    def test_matrices_see_through_it(self):
        study = channel_study()
        prepared = prepare(study, study.variants[0])
        s = flow_of(study, prepared, make_mesh(prepared))[1]
        matrix = laplacian(s, -1.0).csr()
        value = np.random.default_rng(3).random(s.cells)
        flux = np.zeros(s.active)
        flux[: s.inner] = s.geometric_diffusion[: s.inner] * (value[s.owner[: s.inner]] - s.across(value)[s.neighbour])
        assert np.allclose(matrix @ value, divergence(s, flux), atol=1e-12)
        assert abs(matrix - matrix.T).max() == 0.0
        assert np.allclose(matrix.sum(axis=1), 0.0, atol=1e-12)


class TestFlow:
    def test_one_cell_along_says_the_same_as_several(self):
        several, one = solved(channel_study(12)), solved(channel_study(12, 1 / 24))
        assert one.fields.mesh.cell_count == 12
        ratio = one.fields.velocity[:, 0].max() / several.fields.velocity[:, 0].max()
        assert ratio == pytest.approx(1.0, abs=1e-8)

    def test_what_drives_falls_over_the_pair_and_mass_goes_round(self):
        fields = solved(channel_study()).fields
        s = fields.stencil
        begin, end = (fields.boundary_pressure[s.boundary_faces(s.mesh.patch(n))].mean() for n in ("begin", "end"))
        assert begin - end == pytest.approx(DROP, rel=1e-9)
        assert end == pytest.approx(0.0, abs=1e-12)
        assert fields.mass_flow("begin") == pytest.approx(-fields.mass_flow("end"), rel=1e-12)
        # 2-D channel of 1 m: q = g h³ / (12 μ), by so many cells a little more
        assert fields.mass_flow("end") == pytest.approx(DROP / LENGTH / (12 * 0.05), rel=0.01)

    def test_both_ways_to_drive_agree_and_go_on_from_each_other(self):
        given = solved(channel_study())
        flow = -given.fields.mass_flow("begin")
        asked = {"kind": "periodic", "patch": "begin", "drive": "mass_flow", "mass_flow": f"{flow!r} kg/s"}
        study = channel_study(boundaries=[asked])
        prepared = prepare(study, study.variants[0])
        mesh = make_mesh(prepared)
        outcome = solve(study, prepared, mesh)
        assert outcome.history.residuals["drive"][-1] < 1e-10
        again = flow_of(study, prepared, mesh)[0]
        begun = run_steady(again, Rules(residual=1e-9), {}, start=outcome.checkpoint)
        assert begun.iterations == outcome.iterations + 1
        assert again.model.equations[-1].drops[0] == pytest.approx(DROP, rel=1e-8)  # type: ignore[union-attr, attr-defined]

    def test_a_flow_that_is_turned_onto_itself(self):
        """Between cylinders of 1 m and 2 m, the inner one of which turns: u = A r + B / r."""
        errors = []
        for across in (12, 24):
            s, flow = round_channel(*ring(across))
            outcome = run_steady(flow, Rules(residual=1e-9, iterations=600), {})
            assert outcome.state == "converged"
            at = s.mesh.centre - [0.3, 0.0, 0.0]
            radius = np.hypot(at[:, 0], at[:, 1])
            around = (at[:, 0] * outcome.fields.velocity[:, 1] - at[:, 1] * outcome.fields.velocity[:, 0]) / radius
            exact = -radius / 3 + 4 / (3 * radius)
            errors.append(float(np.sqrt(np.mean((around - exact) ** 2))))
        assert errors[1] < 2e-3
        assert np.log2(errors[0] / errors[1]) > 1.7

    def test_two_pairs_on_a_mesh_that_is_swept_in_blocks(self):
        """Between plates 1 m apart, periodic along and across; over 20 000 cells the multigrid is Brook's own."""
        rows = [{"to": "1 m", "cells": 30}]
        sheet = {"kind": "sheet", "name": "gap", "columns": [{"to": "1 m", "cells": 28}], "rows": rows, "becomes": "block",
                 "depth": "1 m", "along": {"cells": 28},
                 "patches": {"left": "begin", "right": "end", "bottom": "wall", "top": "wall"}}  # fmt: skip
        study = study_from({
            "format": "brook-study", "version": 1, "title": "gap",
            "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [sheet]}}],
            "mesh_plan": {"pairs": [{"kind": "shift", "patch": "begin", "x": "1 m"},
                                    {"kind": "shift", "patch": "back", "z": "1 m"}]},
            "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.05 Pa s"},
                       "boundaries": [{"kind": "periodic", "patch": "begin", "drop": "0.6 Pa"}]},
            "run_rules": {"residual": "1e-8"},
        })  # fmt: skip
        prepared, surface = ready(study, "a")
        outcome = solve(study, prepared, meshed(study, prepared, surface, lambda _: None))
        assert outcome.fields.mesh.cell_count > 20_000
        assert outcome.state == "converged"
        y, u = outcome.fields.mesh.centre[:, 1], outcome.fields.velocity
        assert np.abs(u[:, 0] - 6 * y * (1 - y)).max() < 2e-3 * 1.5
        assert np.abs(u[:, 1:]).max() < 1e-6

    def test_a_quarter_of_a_pipe_in_boxes_by_what_a_study_says(self):
        """A turned profile of 90°: one pair is shifted along the axis, one turned about it. f Re = 64, u_max = 2 u_mean."""
        corners = [
            ("0 m", "0 m", "begin"),
            ("0.5 m", "0 m", "wall"),
            ("0.5 m", "0.25 m", "end"),
            ("0 m", "0.25 m", "axis"),
        ]
        part = {"kind": "revolved", "name": "quarter", "axis": "z", "angle": "90 deg", "start": "one", "end": "other",
                "profile": [{"x": x, "y": y, "patch": name} for x, y, name in corners]}  # fmt: skip
        wet = {"name": "water", "x": "0.15 m", "y": "0.15 m", "z": "0.1 m"}
        study = study_from({
            "format": "brook-study", "version": 1, "title": "quarter",
            "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [part], "bodies": [wet]}}],
            "mesh_plan": {"bulk": f"{1 / 16} m", "wall": f"{1 / 16} m",
                          "pairs": [{"kind": "shift", "patch": "begin", "z": "0.25 m"},
                                    {"kind": "turn", "patch": "one", "axis": "z", "angle": "90 deg"}]},
            "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.05 Pa s"},
                       "boundaries": [{"kind": "periodic", "patch": "begin", "drop": "0.06 Pa"}]},
            "run_rules": {"residual": "1e-8"},
        })  # fmt: skip
        prepared, surface = ready(study, "a")
        fields = solve(study, prepared, meshed(study, prepared, surface, lambda _: None)).fields
        mean = -fields.mass_flow("begin") / fields.mesh.face_areas(fields.mesh.patch("begin").faces).sum()
        assert 0.06 / 0.25 * 2 / (0.05 * mean) == pytest.approx(64.0, rel=0.01)
        assert fields.velocity[:, 2].max() / mean == pytest.approx(2.0, rel=0.02)

    def test_it_starts_from_rest_in_time(self):
        """Between plates, from rest: the parabola less a sum of decaying cosines (White, Viscous Fluid Flow)."""
        timing = {"kind": "in_time", "duration": "2 s", "steps": "fixed", "step": "0.02 s", "repeats": 8}
        fields = solved(channel_study(24, timing=timing)).fields
        y = fields.mesh.centre[:, 1] - 0.5
        n = 2 * np.arange(40) + 1
        decay = np.exp(-(n**2) * np.pi**2 * 0.05 * 2.0)
        series = (4 / (np.pi * n)) ** 1 * (-1.0) ** ((n - 1) // 2) / (n * np.pi) ** 2 * decay
        exact = 0.6 / 0.05 * ((0.25 - y**2) / 2 - (np.cos(np.pi * y[:, None] * n) * series).sum(axis=1))
        assert np.abs(fields.velocity[:, 0] - exact).max() < 0.004 * exact.max()

    def test_a_mass_flow_in_time_takes_the_drop_it_needs(self):
        """From an even stream to the parabola: at last the drop is that of the steady flow, and what passes is given all the time."""
        flow = DROP / LENGTH / (12 * 0.05)
        asked = {"kind": "periodic", "patch": "begin", "drive": "mass_flow", "mass_flow": f"{flow!r} kg/s"}
        timing = {
            "kind": "in_time",
            "duration": "20 s",
            "steps": "courant",
            "courant": "5",
            "step": "0.01 s",
            "repeats": 12,
        }
        outcome = solved(channel_study(timing=timing, boundaries=[asked]))
        s = outcome.fields.stencil
        begin, end = (
            outcome.fields.boundary_pressure[s.boundary_faces(s.mesh.patch(n))].mean() for n in ("begin", "end")
        )
        assert outcome.fields.mass_flow("end") == pytest.approx(flow, rel=1e-6)
        assert begin - end == pytest.approx(DROP, rel=0.01)
        assert outcome.state == "converged"

    def test_a_tracer_goes_round_and_nothing_of_it_is_lost(self):
        dye = {"kind": "tracer", "name": "dye", "diffusivity": "1e-3 m^2/s", "start": "2 kg/m^3"}
        timing = {"kind": "in_time", "duration": "1 s", "steps": "fixed", "step": "0.1 s", "repeats": 8}
        fields = solved(channel_study(scalars=[dye], timing=timing)).fields
        assert np.allclose(fields.more["dye"][0], 2.0, rtol=1e-6)


class TestHeat:
    @pytest.mark.parametrize(("way", "nusselt"), [("flux", 140 / 17), ("temperature", 7.5407)])
    def test_developed_heat(self, way: str, nusselt: float):
        outcome = periodic.channel(periodic.driven("drop", DROP), 24, way)
        assert outcome.state == "converged"
        assert periodic.nusselt(outcome, 2.0) == pytest.approx(nusselt, rel=0.005)

    def test_what_comes_in_has_its_mean_and_heat_is_balanced(self):
        fields = periodic.channel(periodic.driven("drop", DROP), 12, "flux").fields
        s, temperature, heat = fields.stencil, fields.more["temperature"][1], fields.more["heat"][1]
        begin, end = (s.boundary_faces(s.mesh.patch(n)) for n in ("begin", "end"))
        through = -fields.flux[s.inner :][begin]
        assert through @ temperature[begin] / through.sum() == pytest.approx(273.15 + periodic.ENTERS, abs=1e-6)
        rise = through @ (temperature[end] - temperature[begin]) / through.sum()
        assert rise == pytest.approx(2 * LENGTH * periodic.FLUX / (200.0 * through.sum()), rel=1e-6)
        assert heat[end].sum() + heat[begin].sum() == pytest.approx(2 * LENGTH * periodic.FLUX, rel=1e-6)

    def test_heat_goes_through_plates_that_the_pair_cuts_too(self):
        """A channel between plates of a tenth of its height, heated evenly from outside: with flow and solid in one equation."""
        study = channel_study(24, heat={"start": "20 degC"})
        prepared = prepare(study, study.variants[0])
        mesh = make_mesh(prepared)
        y = mesh.centre[:, 1]
        solid = ((y < 1 / 12) | (y > 11 / 12)).astype(np.int32)
        between = solid[mesh.owner[: mesh.inner_count]] != solid[mesh.neighbour]
        mesh = replace(mesh, body=solid, bodies=("water", "plate"), wall=np.where(between, 0, -1), walls=("inside",))
        heated = channel_study(24, heat={"start": "20 degC", "patches": periodic.WALLS["flux"]},
                               materials={"plate": {"kind": "solid", "substance": "steel"}})  # fmt: skip
        prepared = prepare(heated, heated.variants[0])
        outcome = solve(heated, prepared, mesh)
        assert outcome.state == "converged"
        fields, s = outcome.fields, outcome.fields.stencil
        wet, temperature = s.mesh.body == 0, fields.more["temperature"][0]
        assert not fields.velocity[~wet].any()
        height, weight = 10 / 12, (s.mesh.volume * fields.velocity[:, 0])[wet]
        inside = fields.more["temperature"][1][s.boundary_faces(s.mesh.patch("inside"))].mean()
        step = inside - weight @ temperature[wet] / weight.sum()
        assert periodic.FLUX * 2 * height / (0.1 * step) == pytest.approx(140 / 17, rel=0.005)

    def test_a_warm_patch_of_a_wall_heats_what_goes_round_for_ever(self):
        """Without anything said of the pair heat comes in as it left: at last all is as warm as the wall."""
        heat = {"start": "20 degC", "patches": [{"kind": "temperature", "patch": "wall", "temperature": "30 degC"}]}
        fields = solved(channel_study(heat=heat)).fields
        assert np.allclose(fields.more["temperature"][0], 303.15, atol=1e-5)


RETURNING = {"kind": "returning", "patch": "begin", "temperature": "20 degC"}


class TestRefusals:
    @pytest.mark.parametrize(
        ("change", "words"),
        [
            (
                {"boundaries": [{"kind": "velocity", "patch": "begin"}, {"kind": "pressure", "patch": "end"}]},
                "comes in again",
            ),
            ({"boundaries": [{"kind": "periodic", "patch": "end"}]}, "say it of begin, its partner"),
            ({"boundaries": [{"kind": "periodic", "patch": "wall"}]}, "say first on Mesh"),
            ({"boundaries": []}, "nothing moves the fluid"),
            ({"heat": {"patches": [{"kind": "flux", "patch": "wall"}]}}, "has no way out"),
            ({"heat": {"patches": [{"kind": "returning", "patch": "wall"}]}}, "is no patch of a periodic pair"),
            ({"heat": {"patches": [{"kind": "temperature", "patch": "end"}]}}, "one of a periodic pair"),
            ({"heat": {"patches": [RETURNING], "buoyancy": "boussinesq"}}, "take out buoyancy"),
            ({"heat": {"patches": [{**RETURNING, "way": "scale", "about": "20 degC"}]}}, "as warm as the walls"),
        ],
    )
    def test_what_has_no_place_is_told_before_a_run(self, change: dict[str, Any], words: str):
        assert any(words in p.message for p in check(channel_study(**change)))

    def test_cells_that_do_not_match_end_a_run_before_it_begins(self):
        study = channel_study()
        raw = study.model_dump(mode="json")
        raw["mesh_plan"]["pairs"][0]["x"] = "0.09 m"
        study = Study.model_validate(raw)
        prepared = prepare(study, study.variants[0])
        assert [p.path for p in prepared.problems] == ["/mesh_plan/pairs/0/x"]
        with pytest.raises(ValueError, match="begin has no partner: nothing lies there"):
            flow_of(study, prepared, make_mesh(prepared))

    def test_no_drop_drives_a_flow_round_its_axis(self):
        mesh, pair = ring(4)
        s, _ = round_channel(mesh, pair)
        with pytest.raises(ValueError, match="no drop of pressure drives a flow round"):
            Drive(s, {"one": Driven("drop", 1.0)})

    def test_a_pair_makes_a_run_out_of_date_and_nothing_else_does(self):
        study = channel_study()
        raw = study.model_dump(mode="json")
        raw["mesh_plan"]["pairs"] = []
        raw["set_up"]["boundaries"] = [{"kind": "velocity", "patch": "begin"}, {"kind": "pressure", "patch": "end"}]
        bare = Study.model_validate(raw)
        keys = [stage_keys(s, prepare(s, s.variants[0])) for s in (study, bare)]
        assert keys[0] is not None
        assert keys[1] is not None
        assert keys[0].mesh != keys[1].mesh


def test_patches_of_pairs_come_first_and_nothing_else_changes():
    mesh, pair = ring(4)
    sorted_mesh = paired_first(mesh, [pair])
    assert [p.name for p in sorted_mesh.patches] == ["one", "other", "inner_wall", "outer_wall", "plane_sides"]
    for patch in mesh.patches:
        there = sorted_mesh.patch(patch.name)
        assert np.allclose(mesh.face_centres(patch.faces), sorted_mesh.face_centres(there.faces))
        assert np.array_equal(mesh.owner[patch.faces], sorted_mesh.owner[there.faces])
    assert paired_first(mesh, []) is mesh
    assert replace(mesh).cell_count == sorted_mesh.cell_count


@pytest.mark.parametrize("paired", [True, False])
def test_what_a_flow_takes_is_free_as_soon_as_it_is_done_with(paired):
    gc.disable()  # a mesh of millions of cells may not wait for it
    try:
        mesh, pair = ring(4)
        mesh = paired_first(mesh, [pair] if paired else [])
        stencil = Stencil(mesh, Halo.of(mesh, [pair])) if paired else Stencil(mesh)
        left = [weakref.ref(part) for part in (stencil, stencil.topology, mesh)]
        assert stencil.unpaired.boundary_count >= stencil.boundary_count
        del stencil, mesh
        assert all(part() is None for part in left)
    finally:
        gc.enable()


def test_a_mesh_that_moves_keeps_its_rows():
    """Rows and pairs stay, weights and distances are those of the points as they are."""
    mesh, pair = ring(6)
    s, _ = round_channel(mesh, pair)
    first = s.mesh
    moved = replace(first, points=first.points + 0.05 * np.sin(7 * first.points[:, :1]) * np.array([0.0, 0.0, 1.0]))
    wider = replace(first, points=(first.points - [0.3, 0, 0]) * [1.2, 1.2, 1.0] + [0.3, 0, 0])
    again, fresh = s.at(wider), Stencil(wider, Halo.of(wider, [pair]))
    assert again.rows is s.rows
    assert np.allclose(again.centre, fresh.centre, atol=1e-14)
    assert np.allclose(again.geometric_diffusion, fresh.geometric_diffusion)
    assert np.allclose(again.weight, s.weight)
    assert again.mesh.volume.sum() == pytest.approx(1.44 * s.mesh.volume.sum())
    with pytest.raises(ValueError, match="the same cells and faces"):
        s.at(ring(5)[0])
    assert s.at(moved).topology is s.topology


def test_heat_of_a_stream_that_goes_the_other_way_is_told():
    """What leaves through the patch cannot be brought to a temperature there."""
    back = [{"kind": "periodic", "patch": "begin", "drive": "mass_flow", "mass_flow": "-0.1 kg/s"}]
    walls = [{"kind": "temperature", "patch": "wall", "temperature": "40 degC"}, periodic.WALLS["flux"][1]]
    outcome = solved(channel_study(8, boundaries=back, heat={"start": "20 degC", "patches": walls}))
    assert "nothing comes in through begin, so it was not brought to a temperature" in outcome.message
