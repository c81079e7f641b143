"""The solver against exact flows, in two and three dimensions, on straight and bent meshes."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.materials import ConstantFluid
from brook.core.materials.rheology import Rheology, shear_rate
from brook.core.numerics import Stencil
from brook.core.solve import FlowSolver, Rules, Settings, boundary_conditions, run_steady
from brook.core.solve.run import standing_still
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Resolved
from brook.core.verification import sheared
from tests.core.meshes import box_mesh
from tests.core.studies import Wishing, raw_tray, tray

OIL = ConstantFluid("oil", 900.0, 0.09)


def statement(kind, patch, **values):
    return Resolved(kind=kind, patch=patch, **values)


def run(mesh, statements, fluid=OIL, residual=1e-7, **options):
    stencil = Stencil(mesh)
    flow = FlowSolver(stencil, fluid, boundary_conditions(stencil, statements), settings=Settings(**options))
    return run_steady(flow, Rules(residual=residual, iterations=1500), {})


def test_couette_flow_is_exact_on_a_straight_mesh():
    mesh = box_mesh((3, 8, 2), (0.3, 0.1, 0.1))
    ends = [statement("symmetry", p) for p in ("left", "right", "back", "front")]
    outcome = run(mesh, [*ends, statement("sliding", "top", velocity_x=0.0, velocity_y=0.0, velocity_z=0.0)])
    assert np.abs(outcome.fields.velocity).max() == 0.0
    # drag through the third direction: the flow runs along z, between plates in y
    sides = [statement("pressure", p, pressure=0.0) for p in ("left", "right")] + [
        statement("slip", "back"),
        statement("slip", "front"),
    ]
    outcome = run(mesh, [*sides, statement("sliding", "top", velocity_x=0.2, velocity_y=0.0, velocity_z=0.0)])
    assert outcome.state == "converged"
    exact = 0.2 * mesh.centre[:, 1] / 0.1
    assert outcome.fields.velocity[:, 0] == pytest.approx(exact, rel=1e-4)


def duct(n, bend):
    """f·Re and u_max/u_mean of a square duct with developed inflow, at two thirds of its length."""
    mesh = box_mesh((3 * n // 2, n, n), (3.0, 1.0, 1.0), bend)
    fluid = ConstantFluid("thin", 1.0, 0.05)
    outcome = run(
        mesh,
        [statement("velocity", "left", speed=1.0, profile="developed"), statement("pressure", "right", pressure=0.0)],
        fluid,
        residual=1e-5,
    )
    assert outcome.state == "converged"
    assert outcome.fields.imbalance() < 1e-8
    middle = (mesh.centre[:, 0] > 1.0) & (mesh.centre[:, 0] < 2.5)
    fit = np.linalg.lstsq(
        np.c_[mesh.centre[middle], np.ones(middle.sum())], outcome.fields.pressure[middle], rcond=None
    )[0]
    return -fit[0] / (0.5 * 0.05)  # f Re = (-dp/dx) D² / (½ μ u)


def test_pressure_loss_of_a_square_duct():
    """f·Re = 56.91 (Shah & London 1978), Darcy's f."""
    assert duct(16, 0.0) == pytest.approx(56.91, rel=0.02)


def test_a_bent_mesh_gives_the_same_loss():
    assert duct(12, 0.02) == pytest.approx(duct(12, 0.0), rel=0.02)


def tray_outcome(relaxation, **changes):
    study = tray(**changes)
    prepared = prepare(study, study.variants[1])
    stencil = Stencil(make_mesh(prepared))
    flow = FlowSolver(
        stencil,
        prepared.fluid,
        boundary_conditions(stencil, prepared.boundaries),
        settings=Settings(relaxation=relaxation),
    )
    return run_steady(flow, Rules(residual=1e-9, iterations=3000), {})


def test_the_answer_does_not_depend_on_relaxation():
    slow, fast = tray_outcome(0.8), tray_outcome(0.97)
    assert slow.state == fast.state == "converged"
    assert slow.fields.velocity == pytest.approx(fast.fields.velocity, abs=1e-8 * 0.004 * 100)


def test_mass_is_closed_and_the_flow_comes_out():
    outcome = tray_outcome(0.97)
    assert outcome.fields.imbalance() < 1e-12
    assert outcome.fields.flow("weir") == pytest.approx(0.004 * 0.015 * 0.1)
    assert outcome.fields.flow("inlet") == pytest.approx(-0.004 * 0.015 * 0.1)
    assert outcome.fields.flow("floor") == 0.0


def test_the_same_inputs_give_the_same_numbers():
    assert np.array_equal(tray_outcome(0.97).fields.velocity, tray_outcome(0.97).fields.velocity)


def test_units_do_not_change_residuals():
    """The same Reynolds number in other units follows the same history."""
    raw = raw_tray()
    study = tray()
    large = tray(
        named_values={"length": "120 m", "depth": "60 m", "supply": "4 m/s"},
        mesh_plan={"bulk": "6 m", "wall": "4 m"},
        set_up={**raw["set_up"], "fluid": {"kind": "own", "density": "2 kg/m^3", "viscosity": "2.613 Pa s"}},
    )
    small_fluid = prepare(study, study.variants[0]).fluid
    assert 1e6 * small_fluid.kinematic_viscosity == pytest.approx(2.613 / 2, rel=2e-3)
    histories = []
    for case in (study, large):
        geometry = case.variants[0].geometry
        if case is large:
            openings = tuple(o.model_copy(update={"start": "depth - 15 m"}) for o in geometry.openings)
            geometry = geometry.model_copy(update={"openings": openings, "depth": "100 m"})
        case = case.model_copy(update={"variants": (case.variants[0].model_copy(update={"geometry": geometry}),)})
        prepared = prepare(case, case.variants[0])
        stencil = Stencil(make_mesh(prepared))
        flow = FlowSolver(stencil, prepared.fluid, boundary_conditions(stencil, prepared.boundaries))
        histories.append([flow.iterate().of["momentum"] for _ in range(30)])
    assert histories[0] == pytest.approx(histories[1], rel=0.02)


def test_backflow_is_reported_and_does_not_stop_the_run():
    """An outlet across a vortex: fluid comes back in through part of it."""
    geometry = tray().variants[1].geometry.model_dump()
    geometry["outer"]["patches"]["right"] = "weir"
    geometry["openings"] = geometry["openings"][:1]
    variants = [{"name": "open", "title": "Open", "geometry": geometry}]
    study = tray(variants=variants, named_values={"length": "80 mm", "depth": "60 mm", "supply": "8 mm/s"})
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    assert 0.01 < outcome.backflow < 0.5
    assert outcome.fields.imbalance() < 1e-8


def test_divergence_is_caught_and_explained_with_its_place():
    raw = raw_tray()
    study = tray(
        named_values={**raw["named_values"], "supply": "40 m/s"}, set_up={**raw["set_up"], "convection": "central"}
    )
    prepared = prepare(study, study.variants[1])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "diverged"
    assert "iteration" in outcome.message
    assert "near (" in outcome.message
    assert any(f"beside {p}" in outcome.message for p in prepared.shape.patches)
    assert np.isfinite(outcome.fields.velocity).all()


def test_a_run_can_be_stopped_and_keeps_its_fields():
    study = tray()
    prepared = prepare(study, study.variants[0])
    watch = Wishing("stop", after=3)
    outcome = solve(study, prepared, make_mesh(prepared), watch)
    assert outcome.state == "stopped"
    assert outcome.fields.imbalance() < 1e-8
    assert watch.reports


def test_a_monitor_stands_still_only_over_its_whole_window():
    rules = Rules(monitor_window=10, monitor_change=1e-3)
    assert not standing_still([1.0] * 9, rules)
    assert standing_still([5.0] + [1.0] * 10, rules)
    assert not standing_still([1.0 + 0.01 * (-1) ** k for k in range(20)], rules)
    assert standing_still([0.0] * 10, rules)
    assert standing_still(
        [float("nan")] * 10, rules
    )  # there is nothing to wait for: a reading without a value says so itself
    assert not standing_still([float("nan")] * 5 + [1.0] * 5, rules)
    assert standing_still([float("nan")] * 5 + [1.0] * 10, rules)


@pytest.mark.parametrize("index", [0.5, 1.5])
def test_a_liquid_that_thins_or_thickens_flows_as_its_law_says(index):
    wanted = sheared.power_law(index)
    slope, middle, _ = sheared.measured(sheared.study({"kind": "power", "index": str(index)}, rows=12))
    assert (slope, middle) == pytest.approx(wanted, rel=0.01)


def test_viscosity_laws_agree_where_they_meet():
    rate = np.array([0.0, 1e-3, 1.0, 50.0])
    even = Rheology("power", 2.0, 1.0).at(rate)
    assert even == pytest.approx(2.0)
    assert Rheology("carreau", 2.0, 0.3, thin_viscosity=0.1).at(rate[[0, 3]])[0] == 2.0
    stiff = Rheology("yielding", 2.0, 1.0, yield_stress=3.0, time=1e3)
    assert stiff.at(rate[2:]) * rate[2:] == pytest.approx(3.0 + 2.0 * rate[2:])  # stress beyond the yield
    assert stiff.at(rate)[0] <= 1000 * 2.0
    simple = np.zeros((1, 3, 3))
    simple[0, 0, 1] = 7.0
    assert shear_rate(simple) == pytest.approx(7.0)
