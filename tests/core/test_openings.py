"""Openings whose pressure depends on what flows through: fans, losses, and what comes in from rest."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.study.of_flow import OfFlow
from tests.core.studies import raw_tray

AIR = {"kind": "own", "density": "1.2 kg/m^3", "viscosity": "0.01 Pa s", "conductivity": "0.026 W/(m K)", "heat_capacity": "1006 J/(kg K)"}  # fmt: skip


def duct(*boundaries, tables=None, **set_up):
    """Of 200 by 50 mm, 1 m deep, without friction: a flow that is the same everywhere feels nothing of its viscosity."""
    outer = {"name": "duct", "left": "0 m", "bottom": "0 m", "width": "200 mm", "height": "50 mm",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "wall", "top": "wall"}}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Duct", "tables": tables or {},
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "10 mm", "wall": "10 mm"},
        "set_up": {"fluid": AIR, "boundaries": [*boundaries, {"kind": "slip", "patch": "wall"}], **set_up},
        "run_rules": {"residual": "1e-6"},
    })  # fmt: skip


def run(study):
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared))


def problems(study):
    return [p.message for p in prepare(study, study.variants[0]).problems]


FAN = {"kind": "fan", "patch": "inlet", "rise": "blower(Q)"}
CURVE = {"blower": {"along": "L/s", "unit": "Pa", "points": [[0, 80], [100, 70], [200, 40], [300, 0]]}}


def test_a_fan_by_a_table_blows_against_a_loss():
    outcome = run(duct(FAN, {"kind": "pressure", "patch": "outlet", "loss": "3"}, tables=CURVE))
    assert outcome.state == "converged"
    flow = outcome.fields.flow("outlet")
    lost = 3 * 1.2 * (flow / 0.05) ** 2 / 2
    assert lost == pytest.approx(np.interp(flow, [0, 0.1, 0.2, 0.3], [80, 70, 40, 0]), rel=2e-3)
    assert outcome.backflow == 0  # what a fan blows in does not come back
    assert not any("where it is to come in" in note for note in outcome.message.split(";"))


def test_what_enters_from_rest_loses_its_dynamic_pressure_and_more():
    rest = {"kind": "rest", "patch": "inlet", "pressure": "20 Pa", "loss": "0.5"}
    outcome = run(duct(rest, {"kind": "pressure", "patch": "outlet", "pressure": "2 Pa"}))
    assert outcome.fields.flow("outlet") / 0.05 == pytest.approx((2 * 18 / (1.2 * 1.5)) ** 0.5, rel=1e-3)
    assert outcome.fields.pressure.mean() == pytest.approx(2.0, abs=0.02)


def test_heat_and_eddies_come_in_through_a_fan():
    heat = {"start": "20 degC", "patches": [{"kind": "temperature", "patch": "inlet", "temperature": "35 degC"}]}
    outlet = {"kind": "pressure", "patch": "outlet", "loss": "3"}
    eddies = {"incoming": {"kind": "ratio", "intensity": "5 %", "ratio": "10"}}
    outcome = run(duct(FAN, outlet, tables=CURVE, heat=heat, turbulence=eddies))
    assert outcome.state == "converged"
    assert outcome.fields.more["temperature"][0].mean() == pytest.approx(308.15, abs=0.05)
    speed = outcome.fields.flow("outlet") / 0.05
    assert outcome.fields.more["turbulent_energy"][0].max() == pytest.approx(1.5 * (0.05 * speed) ** 2, rel=0.1)
    assert problems(duct(FAN, outlet, tables=CURVE, heat=heat | {"patches": []})) == [
        "say the temperature of what enters through inlet"
    ]


def test_a_fan_that_is_too_weak_is_told():
    weak = {"kind": "fan", "patch": "inlet", "rise": "5 Pa - 10 Pa s/m^3 * Q"}
    strong = {"kind": "rest", "patch": "outlet", "pressure": "30 Pa", "loss": "1"}
    outcome = run(duct(weak, strong))
    assert "fluid leaves through inlet, where it is to come in" in outcome.message


def test_a_curve_that_ends_early_is_told():
    short = {"blower": CURVE["blower"] | {"points": [[0, 80], [100, 70]]}}
    outlet = {"kind": "pressure", "patch": "outlet", "loss": "3"}
    outcome = run(duct(FAN, outlet, tables=short))
    flow = outcome.fields.flow("outlet")
    assert flow == pytest.approx(0.05 * (2 * 70 / (3 * 1.2)) ** 0.5, rel=2e-3)
    assert f"the curve at inlet ends before {1e3 * flow:.0f} L/s, and is taken as level beyond" in outcome.message
    assert "ends before" not in run(duct(FAN, outlet, tables=CURVE)).message


def test_what_is_wrong_with_a_curve_is_told():
    outlet = {"kind": "pressure", "patch": "outlet"}
    assert problems(duct(FAN | {"rise": "80"}, outlet)) == ["a unit is missing: this is a pressure, for example 0 Pa"]
    (told,) = problems(duct(FAN | {"rise": "blowr(Q)"}, outlet, tables=CURVE))
    assert "unknown function 'blowr'" in told
    (told,) = problems(duct({"kind": "velocity", "patch": "inlet", "speed": "1 m/s * Q"}, outlet))
    assert told == "the volume flow Q stands only for the pressure rise of fans and pumps"
    assert problems(duct(FAN, tables=CURVE)) == [
        "'A' has an inlet but no outlet: say of one patch that fluid leaves through it"
    ]
    assert problems(duct(FAN | {"rise": "1 Pa m^3/s / Q"}, outlet)) == ["this divides by zero"]
    with pytest.raises(ValueError, match=r"rise of pressure at inlet has no value at 0\.\d+ m³/s"):
        run(duct(FAN | {"rise": "50 Pa * sqrt(1 - Q / (1 L/s))"}, outlet))


def test_a_curve_is_part_of_the_key_and_no_loss_is_none():
    outlet = {"kind": "pressure", "patch": "outlet"}
    one, two = (
        duct(FAN, outlet, tables={"blower": CURVE["blower"] | {"points": [[0, 80], [300, end]]}}) for end in (0, 1)
    )
    keys = [stage_keys(s, prepare(s, s.variants[0])).run for s in (one, two)]
    assert keys[0] != keys[1]
    raw = raw_tray()
    plain = study_from(raw)
    (said,) = (b for b in raw["set_up"]["boundaries"] if b["kind"] == "pressure")
    none, lossy = study_from(raw), None
    for loss in ("0", "1"):
        said["loss"] = loss
        none, lossy = lossy or none, study_from(raw)
    runs = [stage_keys(s, prepare(s, s.variants[0])).run for s in (plain, none, lossy)]
    assert runs[0] == runs[1] != runs[2]


def test_a_curve_knows_its_values():
    curve = OfFlow.of("60 Pa - 200 Pa s/m^3 * Q", lambda _: None)
    assert float(curve) == 60
    assert curve.at(0.1) == pytest.approx(40)


def test_a_fan_draws_out_what_comes_from_rest():
    """Of what it gives it takes the dynamic pressure before it and the loss on the way in; the flow is that of a fan that blows in."""
    said = {"kind": "exhaust", "patch": "outlet", "rise": "80 Pa - 200 Pa s/m^3 * Q"}
    outcome = run(duct({"kind": "rest", "patch": "inlet", "pressure": "0 Pa", "loss": "3"}, said))
    assert outcome.state == "converged"
    flow = outcome.fields.flow("outlet")
    assert 80 - 200 * flow == pytest.approx(3 * 1.2 * (flow / 0.05) ** 2 / 2, rel=5e-3)
    against = run(duct({"kind": "rest", "patch": "inlet", "pressure": "-200 Pa", "loss": "3"}, said))
    assert "fluid comes in through outlet, where it is to leave" in against.message


def test_a_fan_that_draws_pulls_no_jet_of_its_own():
    """Between plates that hold the flow: where it leaves it is no faster in the middle than a parabola, 1.5 times the mean."""
    said = {"kind": "exhaust", "patch": "outlet", "rise": "80 Pa - 200 Pa s/m^3 * Q"}
    raw = duct({"kind": "rest", "patch": "inlet", "pressure": "0 Pa", "loss": "1"}, said).model_dump(mode="json")
    raw["set_up"]["boundaries"].pop()
    outcome = run(study_from(raw))
    speed = outcome.fields.velocity[outcome.fields.mesh.centre[:, 0] > 0.19, 0]
    assert speed.max() < 1.5 * speed.mean()


def test_what_has_not_come_to_rest_and_what_changes_in_time_is_right():
    raw = duct(FAN, {"kind": "pressure", "patch": "outlet", "loss": "3"}, tables=CURVE).model_dump(mode="json")
    raw["run_rules"] = {"iterations": 10}
    early = run(study_from(raw))
    assert early.state == "not converged"
    assert "off what flows through asks for: run on" in early.message
    raw["run_rules"] = {}
    assert "run on" not in run(study_from(raw)).message
    # a fan that slows down, far slower than the flow answers
    raw["set_up"]["boundaries"][0]["rise"] = "blower(Q) * (1 - t / (40 s))"
    raw["set_up"]["timing"] = {
        "kind": "in_time",
        "duration": "20 s",
        "steps": "fixed",
        "step": "1 s",
        "averages": False,
    }
    outcome = run(study_from(raw))
    flow = outcome.fields.flow("outlet")
    rise = 0.5 * np.interp(flow, [0, 0.1, 0.2, 0.3], [80, 70, 40, 0])
    assert 3 * 1.2 * (flow / 0.05) ** 2 / 2 == pytest.approx(rise, rel=0.03)
