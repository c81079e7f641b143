"""Ten starts that make solvers stumble: each comes home, or fails with a right explanation."""

from dataclasses import replace

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.materials import ConstantFluid
from brook.core.mesh import Mesh
from brook.core.numerics import Stencil
from brook.core.solve import FlowSolver, Rules, Settings, Timing, Watch, run_in_time, run_steady
from brook.core.solve.medium import Medium
from brook.core.solve.setup import FIXED, OPEN, BoundaryConditions
from brook.core.stages.meshing import make_mesh
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.verification import convection
from brook.core.verification.manufactured import block
from tests.core.meshes import box_mesh

WATER = ConstantFluid("thin", 1.0, 0.01)
RULES = Rules(residual=1e-5, iterations=800)


def boxed(mesh, inlet, outlet, speed=(1.0, 0.0, 0.0), fluid=WATER):
    """A flow in a box: through faces where `inlet(centre)` holds it enters, where `outlet` does it leaves."""
    stencil = Stencil(mesh)
    centre = mesh.face_centres(slice(stencil.inner, stencil.active))
    kind = np.where(outlet(centre), OPEN, FIXED).astype(np.int8)
    velocity = np.where(inlet(centre)[:, None], np.array(speed), 0.0)
    return FlowSolver(stencil, fluid, BoundaryConditions(kind, velocity, np.zeros(len(centre))))


def at(centre, x):
    return np.abs(centre[:, 0] - x) < 1e-9


def duct(across=8):
    return box_mesh((3 * across, across, across), (3.0, 1.0, 1.0))


def test_a_stream_that_begins_at_once():
    """In time, from a flow that is not yet one, in steps ten times as long as a cell is crossed in."""
    flow = boxed(duct(), lambda c: at(c, 0), lambda c: at(c, 3))
    step = 10 / flow.courant(1.0)
    outcome = run_in_time(flow, Timing(20 * step, "fixed", step, outer=20), {})
    assert outcome.state == "converged"
    assert outcome.fields.imbalance() < 1e-3
    assert np.linalg.norm(outcome.fields.velocity, axis=1).max() < 3


def test_an_outlet_in_the_midst_of_an_eddy():
    """Behind a step the flow comes back in through the short outlet, which is told."""
    mesh = box_mesh((15, 10, 10), (1.5, 1.0, 1.0))
    fluid = ConstantFluid("thin", 1.0, 0.002)
    flow = boxed(mesh, lambda c: at(c, 0) & (c[:, 1] > 0.6), lambda c: at(c, 1.5), fluid=fluid)
    outcome = run_steady(flow, RULES, {})
    assert outcome.state == "converged"
    assert 0 < outcome.backflow < 0.5


def test_a_closed_box():
    flow = boxed(block(12), lambda c: np.abs(c[:, 2] - 1) < 1e-9, lambda c: np.zeros(len(c), bool))
    outcome = run_steady(flow, RULES, {})
    assert outcome.state == "converged"
    assert np.abs(flow.pressure @ flow.stencil.mesh.volume) < 1e-9
    assert outcome.fields.imbalance() < 1e-15


def test_layers_a_thousand_times_thinner_than_long():
    rows = [{"to": "0.05 m", "cells": 40, "first": "0.03 mm"}]
    part = {"kind": "sheet", "name": "gap", "columns": [{"to": "3 m", "cells": 100}], "rows": rows}
    case = Study.model_validate({
        "title": "gap", "variants": [{"name": "a", "title": "Gap", "geometry": {"kind": "space", "parts": [part]}}],
        "set_up": {
            "fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "1e-4 Pa s"},
            "boundaries": [{"kind": "velocity", "patch": "left", "speed": "1 m/s", "profile": "developed"},
                           {"kind": "pressure", "patch": "right"}, {"kind": "symmetry", "patch": "top"}],
        },
    })  # fmt: skip
    prepared, surface = ready(case, "a")
    outcome = solve(case, prepared, meshed(case, prepared, surface, lambda _: None))
    assert outcome.state == "converged"
    assert outcome.fields.velocity[:, 0].max() == pytest.approx(1.5, rel=0.01)


def test_one_bad_cell():
    mesh = block(10)
    points = mesh.points.copy()
    k = int(np.argmin(np.linalg.norm(points - 0.5, axis=1)))
    points[k] += (0.085, 0.07, 0.08)  # nearly through the other corner of its cell
    bent = Mesh(
        points, mesh.face_points, mesh.face_offsets, mesh.owner, mesh.neighbour, mesh.patches, mesh.bodies, mesh.body
    )
    flow = boxed(bent, lambda c: np.abs(c[:, 2] - 1) < 1e-9, lambda c: np.zeros(len(c), bool))
    assert run_steady(flow, RULES, {}).state == "converged"


def test_a_viscosity_that_jumps_by_a_thousand():
    flow = boxed(duct(), lambda c: at(c, 0), lambda c: at(c, 3))
    s = flow.stencil
    thick = s.mesh.centre[:, 1] < 0.5
    medium = Medium(s, np.ones(s.cells), np.where(thick, 1.0, 1e-3), np.ones(s.boundary_count))
    outcome = run_steady(FlowSolver(s, medium, flow.conditions), RULES, {})
    assert outcome.state == "converged"
    speed = outcome.fields.velocity[:, 0]
    late = s.mesh.centre[:, 0] > 2
    assert speed[late & thick].mean() < 0.2 * speed[late & ~thick].mean()


@pytest.mark.parametrize("prandtl", [0.01, 1000.0])
def test_heat_that_spreads_far_faster_or_slower_than_motion(prandtl):
    case = convection.study(1e4, 24)
    diffusivity = 1 / (1e4 * prandtl) ** 0.5
    fluid = case.set_up.fluid.model_copy(
        update={"viscosity": f"{prandtl * diffusivity!r} Pa s", "conductivity": f"{diffusivity!r} W/(m K)"}
    )
    case = case.model_copy(update={"set_up": case.set_up.model_copy(update={"fluid": fluid})})
    prepared = prepare(case, case.variants[0])
    outcome = solve(case, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    heat = outcome.fields.more["heat"][1]
    assert abs(heat.sum()) < 1e-6 * np.abs(heat).sum()


def test_a_jet_into_a_corner():
    flow = boxed(
        block(14),
        lambda c: at(c, 0) & (c[:, 1] < 0.2) & (c[:, 2] < 0.2),
        lambda c: at(c, 1) & (c[:, 1] > 0.8) & (c[:, 2] > 0.8),
    )
    outcome = run_steady(flow, RULES, {})
    assert outcome.state == "converged"
    assert outcome.fields.imbalance() < 1e-12


def test_two_fluids_that_never_meet():
    """Two boxes apart in one mesh, a hundred times as dense in one; the flow of each is that of it alone."""
    one = box_mesh((9, 6, 6), (1.5, 1.0, 1.0))
    shift = np.array([0.0, 3.0, 0.0])
    inner, count = one.inner_count, one.cell_count
    corners = np.split(one.face_points, one.face_offsets[1:-1])
    order = [*range(inner), *range(inner, one.face_count)]
    faces = [corners[f] for f in order[:inner]] + [corners[f] + len(one.points) for f in order[:inner]]
    owner = [*one.owner[:inner], *(one.owner[:inner] + count)]
    for patch in one.patches:
        for step in (0, 1):
            faces += [corners[f] + step * len(one.points) for f in range(patch.start, patch.end)]
            owner += list(one.owner[patch.faces] + step * count)
    starts = 2 * inner + 2 * np.cumsum([0, *(p.count for p in one.patches)])
    patches = tuple(
        replace(p, start=int(a), end=int(b)) for p, a, b in zip(one.patches, starts[:-1], starts[1:], strict=True)
    )
    mesh = Mesh(
        np.concatenate([one.points, one.points + shift]), np.concatenate(faces),
        np.concatenate([[0], np.cumsum([len(f) for f in faces])]), np.array(owner),
        np.concatenate([one.neighbour, one.neighbour + count]), patches, ("near", "far"), np.repeat([0, 1], count),
    )  # fmt: skip
    there = (lambda c: at(c, 0), lambda c: at(c, 1.5))
    both = boxed(mesh, *there)
    s = both.stencil
    dense = np.where(s.mesh.body == 0, 1.0, 100.0)
    medium = Medium(s, dense, 0.01 * dense, dense[s.face_cell])
    outcome = run_steady(FlowSolver(s, medium, both.conditions), replace(RULES, residual=1e-7), {})
    alone = run_steady(boxed(one, *there), replace(RULES, residual=1e-7), {})
    assert outcome.state == alone.state == "converged"
    for body in (0, 1):  # one kinematic viscosity: both are alike
        here = outcome.fields.velocity[s.mesh.body == body]
        assert np.abs(here - alone.fields.velocity).max() < 1e-4


class Pausing(Watch):
    seconds = 0.0

    def __init__(self, after):
        self.after, self.looks = after, 0

    def wish(self):
        self.looks += 1
        return "pause" if self.looks >= self.after else "go on"


def test_other_settings_in_mid_run():
    """Ten times as fast, and another scheme, from the checkpoint of a pause: the same as from the beginning."""

    def flow(speed, scheme="limited"):
        made = boxed(duct(), lambda c: at(c, 0), lambda c: at(c, 3), (speed, 0.0, 0.0))
        return FlowSolver(made.stencil, WATER, made.conditions, settings=Settings(scheme))

    paused = run_steady(flow(0.3, "upwind"), RULES, {}, Pausing(12))
    assert paused.state == "paused"
    went_on = run_steady(flow(3.0), replace(RULES, residual=1e-7), {}, start=paused.checkpoint.going_on("faster", True))
    fresh = run_steady(flow(3.0), replace(RULES, residual=1e-7), {})
    assert went_on.state == fresh.state == "converged"
    assert np.abs(went_on.fields.velocity - fresh.fields.velocity).max() < 1e-4


def test_what_cannot_go_well_says_where_and_why():
    """A stream a million times too fast for its cells, far from steady: told, and the last good fields are kept."""
    flow = boxed(
        duct(4), lambda c: at(c, 0) & (c[:, 1] > 0.7), lambda c: at(c, 3), fluid=ConstantFluid("thin", 1.0, 1e-9)
    )
    outcome = run_steady(flow, replace(RULES, iterations=60), {})
    assert np.isfinite(outcome.fields.velocity).all()
    assert outcome.state in ("not converged", "diverged")
    assert ("residuals stand at" if outcome.state == "not converged" else "near (") in outcome.message
