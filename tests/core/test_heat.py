"""Heat: exact answers, the ledger, walls between bodies, and what is told when something is missing."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import EditRefused, act, set_value
from brook.core.mesh.opening import opened
from brook.core.results.quantities import OF_HEAT, View
from brook.core.solve import Diverged, FlowSolver, Settings, boundary_conditions
from brook.core.stages.assembly import flow_of
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study import Resolved
from brook.core.study.document import study_from
from brook.core.verification import convection, heated
from tests.core.test_mesh import assert_sound
from tests.core.test_time import channel


@pytest.mark.parametrize("case", [heated.fin, heated.composite_wall, heated.counterflow])
def test_exact_answers(case):
    for comparison in case():
        assert comparison.passed, comparison


def test_natural_convection_in_a_square():
    outcome = convection.solved(1e3, 32)
    for wanted, found in zip(convection.FIGURES[1e3], convection.measured(outcome, 1e3), strict=True):
        assert found == pytest.approx(wanted, rel=0.012)
    heat = outcome.fields.more["heat"][1]
    assert abs(heat.sum()) < 1e-6 * np.abs(heat).sum()


def warm_duct(**more):
    heat = {"start": "20 degC", "patches": [{"kind": "temperature", "patch": "inlet", "temperature": "20 degC"},
                                            {"kind": "flux", "patch": "floor", "flux": "5 W/m^2"}]}  # fmt: skip
    raw = channel().model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["fluid"] |= {"heat_capacity": "1000 J/(kg K)", "conductivity": "1 W/(m K)", "viscosity": "1e-2 Pa s"}
    raw["set_up"]["heat"] = heat | more
    return raw


@pytest.mark.parametrize("cells", [20, 72])
def test_a_layer_that_is_warm_below_turns_over(cells):
    """At rest it would meet all equations too, but nothing that nature or plain iterations keep."""
    study = convection.below_study(1e4, cells)
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    assert convection.nusselt_below(outcome.fields, 1e4) == pytest.approx(2.65, rel=0.01)


@pytest.mark.parametrize(("rayleigh", "most"), [(1650, 400), (1720, 600), (1800, 400)])
def test_just_over_the_onset_of_convection(rayleigh, most):
    """Nu = 1 + (1 - Ra_c / Ra) / 0.7093 at Pr = 0.71 from Ra_c = 1708 on, Schlüter, Lortz & Busse (1965), in a layer that hardly
    leans; it took 1900 iterations."""
    study = convection.below_study(rayleigh, 16)
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    assert outcome.iterations < most
    wanted = 1 + max(1 - 1708 / rayleigh, 0) / 0.7093
    assert convection.nusselt_below(outcome.fields, rayleigh) == pytest.approx(wanted, abs=0.012)


def test_what_goes_in_comes_out():
    """5 W/m² through the floor warm the stream by q L / (ρ u H c)."""
    raw = warm_duct()
    raw["requirements"] = [
        {"name": "out", "title": "Out", "reading": "outlet.heat.total + inlet.heat.total", "limit": {"kind": "smallest"}},
        {"name": "floor", "title": "Floor", "reading": "floor.heat.total", "limit": {"kind": "smallest"}},
    ]  # fmt: skip
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    out, floor = (r.value for r in read_all(study, prepared, outcome.fields, outcome.history))
    assert -floor == pytest.approx(5 * 0.4 * np.ptp(outcome.fields.mesh.points[:, 2]))
    assert out == pytest.approx(-floor, rel=1e-6)
    view = View(outcome.fields)
    for name in OF_HEAT:
        assert all(np.isfinite(v).all() for v in view.values(name))


def test_film_coefficients_are_over_the_step_to_what_flows_in_or_is_said():
    """5 W/m² through the floor, h = q/(T_w − T₀) on each of its faces, and Nu = h L/k."""
    raw = warm_duct()
    reads = {
        "flux": "floor.heat_flux.mean",
        "film": "floor.film_coefficient.max",
        "coolest": "floor.temperature.min",
        "nu": "floor.nusselt.max",
    }
    raw["requirements"] = [
        {"name": n, "title": n, "reading": r, "limit": {"kind": "smallest"}} for n, r in reads.items()
    ]
    for told, reference in (("", 293.15), ("15 degC", 288.15)):
        raw["set_up"]["reference"] = {"temperature": told}
        study = study_from(raw)
        prepared = prepare(study, study.variants[0])
        outcome = solve(study, prepared, make_mesh(prepared))
        flux, film, coolest, nusselt = (r.value for r in read_all(study, prepared, outcome.fields, outcome.history))
        assert flux == pytest.approx(5.0)
        assert film == pytest.approx(5 / (coolest - reference), rel=1e-6)
        assert nusselt == pytest.approx(film * 0.4 / 1.0, rel=1e-6)


def test_the_mixed_temperature_of_an_outlet_is_what_its_heat_says():
    raw = warm_duct()
    raw["requirements"] = [
        {"name": name, "title": name, "reading": reading, "limit": {"kind": "smallest"}}
        for name, reading in {
            "mixed": "outlet.temperature.mixed", "plain": "outlet.temperature.mean", "flow": "outlet.flow.total",
            "heat": "outlet.heat.total", "wall": "lid.temperature.mixed", "mean": "lid.temperature.mean",
        }.items()
    ]  # fmt: skip
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    mixed, plain, flow, heat, wall, mean = (
        r.value for r in read_all(study, prepared, outcome.fields, outcome.history)
    )  # fmt: skip
    assert mixed == pytest.approx(heat / (prepared.fluid.density * flow * 1000), rel=1e-12)
    assert mixed < plain - 0.005  # the warm floor is where little flows
    assert wall == mean  # nothing flows through the lid
    raw["requirements"][0]["reading"] = "duct.temperature.mixed"
    study = study_from(raw)
    (problem,) = prepare(study, study.variants[0]).problems
    assert problem.path == "/requirements/0/reading"


def test_friction_is_heat_when_it_is_asked_for():
    """What the pressure does to the stream ends as heat: u Δp A, less what its kinetic energy gains."""
    raw = warm_duct(friction=True)
    raw["set_up"]["heat"]["patches"].pop()
    raw["set_up"]["boundaries"][0]["profile"] = "developed"
    raw["mesh_plan"] = {"bulk": "5 mm", "wall": "5 mm"}
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    fields = outcome.fields
    inlet = fields.stencil.boundary_faces(fields.mesh.patch("inlet"))
    work = fields.boundary_pressure[inlet].mean() * 0.1 * 0.1 * np.ptp(fields.mesh.points[:, 2])
    assert fields.more["heat"][1].sum() == pytest.approx(work, rel=0.02)


def test_density_follows_temperature_in_a_gas():
    """Air warmed from 300 K to about 360 K leaves as much faster as it is thinner, and all of its mass leaves."""
    raw = warm_duct(buoyancy="density", varying=True, gravity_y="0 m/s^2")
    raw["set_up"]["fluid"] = {"kind": "library", "substance": "air", "temperature": "300 K"}
    raw["set_up"]["boundaries"][0]["speed"] = "0.02 m/s"
    raw["set_up"]["heat"]["start"] = "300 K"
    raw["set_up"]["heat"]["patches"] = [{"kind": "temperature", "patch": "inlet", "temperature": "300 K"}] + [
        {"kind": "temperature", "patch": p, "temperature": "360 K"} for p in ("floor", "lid")
    ]
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    fields = outcome.fields
    assert outcome.state == "converged"
    assert abs(fields.flux[fields.stencil.inner :].sum()) < 1e-9 * np.abs(fields.flux[fields.stencil.inner :]).sum()
    temperature = fields.more["temperature"][0]
    assert fields.density * temperature == pytest.approx(np.full(len(temperature), 1.176 * 300), rel=5e-3)
    assert fields.flow("outlet") > 1.05 * -fields.flow("inlet")


def test_slipping_walls_of_a_viscous_stream_leave_it_even():
    study = study_from(warm_duct())
    prepared = prepare(study, study.variants[0])
    from brook.core.numerics import Stencil

    stencil = Stencil(make_mesh(prepared))
    walls = [Resolved(kind="velocity", patch="inlet", speed=0.1, profile="even"), Resolved(kind="pressure", patch="outlet", pressure=0.0),
             *(Resolved(kind="slip", patch=p) for p in ("floor", "lid"))]  # fmt: skip
    flow = FlowSolver(stencil, prepared.fluid, boundary_conditions(stencil, walls), settings=Settings(relaxation=0.8))
    for _ in range(60):
        residuals = flow.iterate()
    assert residuals.worst < 1e-8
    assert np.abs(flow.velocity[:, 0] - 0.1).max() < 1e-9


def test_walls_between_bodies_open_into_two_patches():
    from brook.core.stages.ready import meshed, ready

    parts = [
        heated._box("inner", (0, 0, 0), (0.02, 0.03, 0.03)),
        heated._box("outer", (0.02, 0, 0), (0.01, 0.03, 0.03), "apart"),
    ]
    bodies = [
        {"name": n, "holds": "solid", "x": f"{x} mm", "y": "15 mm", "z": "15 mm"}
        for n, x in (("inner", 10), ("outer", 25))
    ]
    solid = {"kind": "own_solid"}
    study = heated._study("two", parts, {"heat": {}, "materials": {"inner": solid, "outer": solid}}, geometry={"bodies": bodies},
                          mesh_plan={"bulk": "5 mm", "wall": "5 mm"})  # fmt: skip
    prepared, surface = ready(study, "a")
    mesh = meshed(study, prepared, surface, lambda _: None)
    found = opened(mesh, set())
    assert_sound(found.mesh)
    names = {p.name: p.count for p in found.mesh.patches}
    assert names["outer_west"] == names["outer_west_behind"] == len(found.one) > 0
    centre = found.mesh.face_centres()
    assert centre[found.one] == pytest.approx(centre[found.other], abs=1e-15)
    assert found.mesh.face_vector[found.one] == pytest.approx(-found.mesh.face_vector[found.other])
    assert found.mesh.volume == pytest.approx(mesh.volume)


def test_what_is_missing_for_heat_is_told():
    raw = warm_duct()
    raw["set_up"]["heat"]["patches"] = [{"kind": "flux", "patch": "flor"}]
    study = study_from(raw)
    messages = {p.path: p.message for p in prepare(study, study.variants[0]).problems}
    assert "did you mean floor" in messages["/set_up/heat/patches/0/patch"]
    assert messages["/set_up/heat/patches"] == "say the temperature of what enters through inlet"
    raw = warm_duct()
    raw["set_up"]["heat"]["contacts"] = [{"patch": "floor"}]
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    with pytest.raises(ValueError, match="floor is no wall between two bodies"):
        solve(study, prepared, make_mesh(prepared))
    raw = channel().model_dump(mode="json")
    raw["requirements"] = [
        {"name": "a", "title": "A", "reading": "fluid.temperature.mean", "limit": {"kind": "smallest"}}
    ]
    cold = study_from(raw)
    (problem,) = prepare(cold, cold.variants[0]).problems
    assert "'temperature' cannot be read" in problem.message


def test_a_temperature_that_is_lost_is_told_and_never_taken_for_converged():
    flow = warm_square()
    flow.iterate()
    flow.model.equations[0].heat.value[7] = np.nan
    with pytest.raises(Diverged) as caught:
        flow.iterate()
    assert caught.value.quantity in ("temperature", "speed", "pressure")


def test_one_lost_value_among_many_is_found():
    flow = warm_square()
    flow.iterate()
    flow.pressure[11] = np.nan
    with pytest.raises(Diverged):
        flow.iterate()


def warm_square():
    case = convection.study(1e4, 12)
    prepared = prepare(case, case.variants[0])
    return flow_of(case, prepared, make_mesh(prepared))[0]


def test_a_body_begins_at_a_temperature_of_its_own():
    """Two blocks that nothing warms come to the mean of both by their capacities."""
    from brook.core.stages.ready import meshed, ready

    parts = [
        heated._box("hot", (0, 0, 0), (0.02, 0.03, 0.03)),
        heated._box("cold", (0.02, 0, 0), (0.01, 0.03, 0.03), "apart"),
    ]
    bodies = [
        {"name": n, "holds": "solid", "x": f"{x} mm", "y": "15 mm", "z": "15 mm"}
        for n, x in (("hot", 10), ("cold", 25))
    ]
    heavy = {"kind": "own_solid", "density": "8000 kg/m^3", "heat_capacity": "500 J/(kg K)"}
    light = {"kind": "own_solid", "density": "1000 kg/m^3", "heat_capacity": "1000 J/(kg K)"}
    raw = heated._study("two", parts, {"heat": {"start": "20 degC"}, "materials": {"hot": heavy, "cold": light},
                                       "timing": {"kind": "in_time", "duration": "300 s", "step": "5 s"}},
                        geometry={"bodies": bodies}, mesh_plan={"bulk": "5 mm", "wall": "5 mm"})  # fmt: skip
    before = ready(raw, "a")[0]
    study = act(raw, "add_begin", body="hot")
    study = act(study, "add_begin", body="hot")  # once is enough
    study = set_value(study, "/set_up/heat/begins/0/temperature", "80 degC")
    assert len(study.set_up.heat.begins) == 1
    prepared, surface = ready(study, "a")
    assert stage_keys(raw, before).run != stage_keys(study, prepared).run
    fields = solve(study, prepared, meshed(study, prepared, surface, lambda _: None)).fields
    hot, cold = 8000 * 500 * 2, 1000 * 1000 * 1
    mean = (80 * hot + 20 * cold) / (hot + cold) + 273.15
    assert fields.more["temperature"][0] == pytest.approx(mean, abs=0.05)
    with pytest.raises(EditRefused, match="there is no body 'hat'"):
        act(study, "add_begin", body="hat")
    idle = act(study, "add_within", kind="exchanger")
    prepared, surface = ready(idle, "a")
    with pytest.raises(ValueError, match="nothing flows here that could go through the heat exchanger"):
        solve(idle, prepared, meshed(idle, prepared, surface, lambda _: None))
