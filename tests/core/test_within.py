"""What stands or acts within the fluid: porous bodies, screens, pushes, heat and substances set free."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import EditRefused, act, set_value
from brook.core.physics.within.porous import fitted
from brook.core.physics.within.screen import loss_of
from brook.core.solve.within.regions import shares, volume_drawn
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Resolved
from brook.core.study.document import read_study, study_from, study_text
from brook.core.study.tables import ValueTable
from brook.core.units import DIMENSIONS, show

AIR = {"kind": "own", "density": "1.2 kg/m^3", "viscosity": "0.01 Pa s", "conductivity": "0.026 W/(m K)", "heat_capacity": "1006 J/(kg K)"}  # fmt: skip
THROUGH = [{"kind": "velocity", "patch": "inlet", "speed": "2 m/s"}, {"kind": "pressure", "patch": "outlet"}]
MIDDLE = {"kind": "box", "x": "80 mm", "y": "-10 mm", "width": "60 mm", "depth": "80 mm"}
BODY = {"kind": "porous", "where": MIDDLE, "permeability": "1e-7 m^2", "loss": "500 1/m"}
SCREEN = {"kind": "screen", "axis": "x", "at": "103 mm", "loss": "5"}
TAKES = (0.01 / 1e-7 * 2 + 500 * 1.2 * 4 / 2) * 0.06  # Pa, the body at 2 m/s


def duct(*within, walls="slip", boundaries=THROUGH, mesh=None, tables=None, **set_up):
    """Of 240 by 50 mm, 1 m deep."""
    outer = {"name": "duct", "left": "0 m", "bottom": "0 m", "width": "240 mm", "height": "50 mm",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "wall", "top": "wall"}}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Duct", "tables": tables or {},
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": mesh or {"bulk": "10 mm", "wall": "10 mm"},
        "set_up": {"fluid": AIR, "boundaries": [*boundaries, {"kind": walls, "patch": "wall"}], "within": within, **set_up},
        "run_rules": {"residual": "1e-6"},
    })  # fmt: skip


def run(study):
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared))


def drop(outcome):
    fields = outcome.fields
    return fields.boundary_pressure[fields.stencil.boundary_faces(fields.mesh.patch("inlet"))].mean()


def problems(study):
    return [p.message for p in prepare(study, study.variants[0]).problems]


@pytest.mark.parametrize("mesh", [None, {"way": "boxes", "bulk": "10 mm", "wall": "10 mm"}])
def test_a_porous_body_and_a_screen_take_what_they_say_and_disturb_nothing_else(mesh):
    outcome = run(duct(BODY, {**SCREEN, "at": "200 mm"}, mesh=mesh))
    assert outcome.state == "converged"
    assert drop(outcome) == pytest.approx(TAKES + 5 * 1.2 * 4 / 2, rel=1e-5)
    assert np.abs(outcome.fields.velocity - [2, 0, 0]).max() < 1e-3


def test_a_screen_stands_within_a_body_too():
    outcome = run(duct(BODY, SCREEN))
    assert drop(outcome) == pytest.approx(TAKES + 5 * 1.2 * 4 / 2, rel=1e-5)


def test_a_screen_that_hardly_lets_anything_through_holds_a_flow_that_pressures_drive():
    between = [{"kind": "rest", "patch": "inlet", "pressure": "100 Pa"}, {"kind": "pressure", "patch": "outlet"}]
    outcome = run(duct({**SCREEN, "loss": "1e6"}, boundaries=between))
    assert outcome.fields.flow("outlet") / 0.05 == pytest.approx((2 * 100 / (1.2 * 1e6)) ** 0.5, rel=1e-2)


def test_fluid_goes_round_a_body_that_stands_in_half_of_a_duct():
    half = {**MIDDLE, "y": "0 mm", "depth": "20 mm"}
    outcome = run(duct({**BODY, "where": half, "permeability": "1e-10 m^2"}, mesh={"bulk": "5 mm", "wall": "5 mm"}))
    x, y, _ = outcome.fields.mesh.centre.T
    beside = outcome.fields.velocity[:, 0][(np.abs(x - 0.11) < 0.02) & (y > 0.02)]
    within = outcome.fields.velocity[:, 0][(np.abs(x - 0.11) < 0.02) & (y < 0.02)]
    assert np.abs(within).max() < 0.01 * beside.max()
    assert beside.mean() == pytest.approx(2 * 50 / 30, rel=0.01)


def test_a_body_holds_along_and_across_by_its_own_measure():
    across = run(duct({**BODY, "axis": "y", "sideways": "10"}))
    assert drop(across) == pytest.approx(10 * TAKES, rel=1e-5)


def test_a_screen_of_two_thirds_of_the_height_makes_fluid_turn_aside():
    part = {"kind": "box", "x": "0 mm", "y": "0 mm", "width": "240 mm", "depth": "30 mm"}
    outcome = run(duct({**SCREEN, "loss": "20", "where": part}))
    assert 0 < drop(outcome) < 20 * 1.2 * 4 / 2
    x, y, _ = outcome.fields.mesh.centre.T
    behind = (x > 0.1) & (x < 0.12)
    u = outcome.fields.velocity[:, 0]
    assert u[behind & (y > 0.03)].min() > 2.2 > 1.9 > u[behind & (y < 0.02)].max()


def test_a_push_moves_what_nothing_else_does():
    closed = duct({"kind": "push", "where": MIDDLE, "force_x": "0.5 N"}, boundaries=[], walls="wall")
    closed = set_value(closed, "/set_up/fluid/viscosity", "0.05 Pa s")
    outer = closed.variants[0].geometry.outer.patches
    assert set(outer.model_dump().values()) == {"inlet", "outlet", "wall"}  # of which two are still walls then
    speed = run(closed).fields.velocity[:, 0]
    assert speed.max() > 0
    assert speed.min() < 0


def test_two_openings_and_a_push_find_their_balance():
    open_ends = [{"kind": "rest", "patch": "inlet", "pressure": "0 Pa"}, {"kind": "pressure", "patch": "outlet"}]
    outcome = run(duct({"kind": "push", "where": MIDDLE, "force_x": "3 N"}, boundaries=open_ends))
    assert outcome.fields.flow("outlet") / 0.05 == pytest.approx((2 * 3 / 0.05 / 1.2) ** 0.5, rel=2e-3)


def test_heat_and_substances_that_are_set_free_are_carried_out():
    warm = {"start": "300 K", "patches": [{"kind": "temperature", "patch": "inlet", "temperature": "300 K"}]}
    said = [{"kind": "heating", "where": MIDDLE, "power": "50 W"}, {"kind": "release", "where": MIDDLE, "substance": "dye", "rate": "3 mg/s"}]  # fmt: skip
    outcome = run(duct(*said, heat=warm, scalars=[{"kind": "tracer", "name": "dye", "title": "Dye"}]))
    fields = outcome.fields
    mass = 1.2 * 2 * 0.05
    here = fields.stencil.boundary_faces(fields.mesh.patch("outlet"))
    flux = fields.flux[fields.stencil.inner :][here]
    for name, by, total in (("temperature", 1006.0, 50.0), ("dye", 1 / 1.2, 3e-6)):
        leaves = fields.more[name][1][here] - (300 if name == "temperature" else 0)
        assert by * (flux @ leaves) == pytest.approx(total, rel=1e-4), name
    assert flux.sum() == pytest.approx(mass)


def test_a_release_by_the_time_puts_in_what_its_formula_says():
    said = {"kind": "release", "substance": "dye", "rate": "1 mg/s * pulse(t, 0.1 s, 0.3 s)"}
    timing = {"kind": "in_time", "duration": "0.4 s", "steps": "fixed", "step": "20 ms", "keep_every": "0.4 s", "order": "first"}  # fmt: skip
    moving = [{"kind": "sliding", "patch": "inlet", "velocity_y": "0.1 m/s"}]
    study = duct(
        said,
        boundaries=moving,
        walls="wall",
        timing=timing,
        scalars=[{"kind": "tracer", "name": "dye", "title": "Dye"}],
    )
    fields = run(study).fields
    assert fields.mesh.volume @ fields.more["dye"][0] == pytest.approx(0.2e-6, rel=1e-6)
    keys = {stage_keys(s, prepare(s, s.variants[0])).run for s in (study, set_value(study, "/set_up/within/0/rate", "1 mg/s * pulse(t, 0.1 s, 0.2 s)"))}  # fmt: skip
    assert len(keys) == 2


def test_points_that_were_measured_give_back_the_law_they_were_made_by():
    speeds = (0.2, 0.5, 1.0, 2.0)
    points = tuple((u, 0.1 * (30 * u + 8 * u * u)) for u in speeds)
    found = fitted(ValueTable(along="m/s", unit="Pa", points=points).known(), 0.1)
    assert (found.linear, found.square) == pytest.approx((30, 8))
    assert found.miss < 1e-12
    falls = ValueTable(along="m/s", unit="Pa", points=((1, -1), (2, -2)))
    with pytest.raises(ValueError, match="nothing resists so"):
        fitted(falls.known(), 0.1)
    tables = {"stack": {"along": "m/s", "unit": "Pa", "points": points}}
    outcome = run(duct({**BODY, "measured": "stack", "thick": "100 mm"}, tables=tables))
    assert drop(outcome) == pytest.approx((30 * 2 + 8 * 4) * 0.06, rel=1e-5)


def test_open_shares_give_the_losses_that_handbooks_have():
    assert loss_of(Resolved(of="plate", open=0.5)) == pytest.approx(4.0, rel=1e-3)
    assert loss_of(Resolved(of="wires", open=0.5)) == pytest.approx(1.65)
    assert loss_of(Resolved(of="plate", open=1.0)) == loss_of(Resolved(of="wires", open=1.0)) == 0


def test_what_cannot_stand_says_what_and_where():
    assert "is no dissolved substance here" in problems(duct({"kind": "release", "substance": "dye"}))[0]
    assert "temperatures are not computed" in problems(duct({"kind": "heating"}))[0]
    assert "a drawing knows no z" in problems(duct({**SCREEN, "axis": "z"}))[0]
    assert "under 100 %" in problems(duct({**SCREEN, "of": "plate", "open": "120 %"}))[0]
    assert "there is no table 'stak'" in problems(duct({**BODY, "measured": "stak"}))[0]
    elsewhere = {"kind": "ball", "x": "5 m", "y": "0 m", "diameter": "1 mm"}
    for said, words in (({**BODY, "where": elsewhere}, "nothing lies in the ball"), ({**SCREEN, "at": "3 m"}, "stands across nothing")):  # fmt: skip
        with pytest.raises(ValueError, match=words):
            run(duct(said))
    small = {"kind": "ball", "x": "100 mm", "y": "25 mm", "diameter": "12 mm"}
    assert "cells are large against the ball of the porous body" in run(duct({**BODY, "where": small})).message


def test_what_needs_something_else_first_says_so():
    for kind, words in (("heating", "temperatures are not computed here"), ("release", "carries no dissolved substance yet")):  # fmt: skip
        with pytest.raises(EditRefused, match=words):
            act(duct(), "add_within", kind=kind)


def test_statements_are_made_changed_and_kept():
    study = act(duct(), "add_within", kind="porous")
    study = act(study, "set_region", pointer="/set_up/within/0", kind="ball")
    study = set_value(study, "/set_up/within/0/where/diameter", "30 mm")
    assert study.set_up.within[0].where.diameter == "30 mm"
    assert read_study(study_text(study)) == study
    without, empty = duct(), study_text(duct())
    assert '"within": []' in empty
    assert stage_keys(without, prepare(without, without.variants[0])).run != stage_keys(study, prepare(study, study.variants[0])).run  # fmt: skip


def test_a_push_raises_the_pressure_and_disturbs_nothing_else():
    outcome = run(duct({"kind": "push", "where": MIDDLE, "force_x": "5 N"}))
    assert drop(outcome) == pytest.approx(-5 / 0.05, rel=1e-5)
    assert np.abs(outcome.fields.velocity - [2, 0, 0]).max() < 1e-3


@pytest.mark.parametrize("where", [{"kind": "box", "x": "83 mm", "y": "11 mm", "width": "61 mm", "depth": "17 mm"},
                                   {"kind": "ball", "x": "103 mm", "y": "24 mm", "diameter": "37 mm"},
                                   {"kind": "cylinder", "x": "40 mm", "y": "12 mm", "end_x": "180 mm", "end_y": "31 mm", "diameter": "9 mm"}])  # fmt: skip
def test_a_region_holds_what_was_drawn_wherever_its_border_cuts_cells(where):
    study = duct({"kind": "push", "where": where})
    prepared = prepare(study, study.variants[0])
    mesh, region = make_mesh(prepared), prepared.within[0].where
    assert shares(region, mesh, "it") @ mesh.volume == pytest.approx(volume_drawn(region, 1.0), rel=0.02)


BLOWER = {"kind": "blower", "axis": "x", "at": "103 mm", "rise": "60 Pa - 200 Pa s/m^3 * Q"}


def test_a_fan_across_a_given_flow_raises_the_pressure_by_its_curve_and_disturbs_nothing():
    """2 m/s are 0.1 m³/s: 40 Pa."""
    for more, rise in (({}, -40.0), ({"along": "down"}, 60.0)):
        outcome = run(duct({**BLOWER, **more}))
        assert outcome.state == "converged"
        assert drop(outcome) == pytest.approx(rise, rel=1e-6)
        assert np.abs(outcome.fields.velocity - [2, 0, 0]).max() < 1e-4
        assert ("fluid goes back through the fan" in outcome.message) is bool(more)


@pytest.mark.parametrize(("rise", "mesh"), [("60 Pa - 200 Pa s/m^3 * Q", None), ("60 Pa - 200 Pa s/m^3 * Q", {"way": "boxes", "bulk": "10 mm", "wall": "10 mm"}),
                                            ("60 Pa - 2 kPa s^2/m^6 * Q^2", None), ("400 Pa - 8 kPa s/m^3 * Q", None)])  # fmt: skip
def test_a_fan_drives_what_is_drawn_from_rest_to_its_operating_point(rise, mesh):
    """Δp(Q) = (1 + ζ) ρ u²/2, what a screen takes and what leaves with the stream."""
    between = [{"kind": "rest", "patch": "inlet", "pressure": "0 Pa"}, {"kind": "pressure", "patch": "outlet"}]
    outcome = run(duct({**BLOWER, "rise": rise}, {**SCREEN, "at": "180 mm"}, boundaries=between, mesh=mesh))
    assert outcome.state == "converged", outcome.message
    flow = outcome.fields.flow("outlet")
    curve = {
        "60 Pa - 200": lambda q: 60 - 200 * q,
        "60 Pa - 2 k": lambda q: 60 - 2000 * q**2,
        "400 Pa - 8 ": lambda q: 400 - 8000 * q,
    }[rise[:11]]
    assert curve(flow) == pytest.approx(6 * 1.2 * (flow / 0.05) ** 2 / 2, rel=1e-4)


def test_what_of_a_fan_is_not_known_is_told():
    short = {"blower": {"along": "m^3/s", "unit": "Pa", "points": [[0, 60], [0.05, 50]]}}
    outcome = run(duct({**BLOWER, "rise": "blower(Q)"}, tables=short))
    assert "the curve of the fan ends before 100 L/s" in outcome.message
    with pytest.raises(ValueError, match="the rise of pressure of the fan has no value"):
        run(duct({**BLOWER, "rise": "1 Pa * sqrt(0.01 - Q * 1 s/m^3)"}))
    closed = duct(BLOWER, boundaries=[{"kind": "slip", "patch": "inlet"}, {"kind": "slip", "patch": "outlet"}])
    assert not any("nothing moves" in p for p in problems(closed))


def exchanged(takes, speed="2 m/s", **more):
    """The mixed temperature at the outlet in K and the message of a duct with a heat exchanger between 80 and 140 mm, whose other side is at 60 °C."""
    piece = {"kind": "exchanger", "where": MIDDLE, "deep": "60 mm", "takes": takes, "other": "60 degC", **more}
    heat = {"start": "20 degC", "patches": [{"kind": "temperature", "patch": "inlet", "temperature": "20 degC"}]}
    through = [{**THROUGH[0], "speed": speed}, *THROUGH[1:]]
    study = duct(
        piece,
        boundaries=through,
        heat=heat,
        fluid={**AIR, "heat_capacity": "1000 J/(kg K)", "conductivity": "0.03 W/(m K)"},
        mesh={"bulk": "5 mm", "wall": "5 mm"},
    )
    outcome = run(study)
    fields = outcome.fields
    assert outcome.state == "converged", outcome.message
    at = fields.stencil.boundary_faces(fields.mesh.patch("outlet"))
    return np.average(
        fields.more["temperature"][1][at], weights=fields.flux[fields.mesh.patch("outlet").faces]
    ), outcome.message


@pytest.mark.parametrize("takes", ["20 %", "60 %", "90 %"])
def test_a_heat_exchanger_brings_a_stream_as_far_as_it_says(takes):
    leaves, message = exchanged(takes)
    share = float(takes[:2]) / 100
    assert leaves - 293.15 == pytest.approx(40 * share, rel=0.01)
    # ρ u A c (T - T_in), which is told
    gives = 1.2 * 2 * 0.05 * 1000 * (leaves - 293.15)
    assert f"the heat exchanger gives {show(gives, DIMENSIONS['power'])}" in message


def test_effectiveness_may_fall_with_the_flow_and_is_a_share():
    curve = "0.9 - 3 s/m^3 * Q"  # of 0.05 m³/s 0.75, of 0.1 0.6
    for speed, share in (("1 m/s", 0.75), ("2 m/s", 0.6)):
        assert exchanged(curve, speed)[0] - 293.15 == pytest.approx(40 * share, rel=0.01)
    with pytest.raises(ValueError, match="it is a share from 0 to 1"):
        exchanged("0.9 + 3 s/m^3 * Q")
    cold = duct({"kind": "exchanger", "where": MIDDLE})
    assert any("temperatures are not computed" in p for p in problems(cold))
