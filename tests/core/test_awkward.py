"""Set-ups that ask for trouble: each comes to an answer, or says rightly why not."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from tests.core.test_within import SCREEN, duct

FAN = {"kind": "fan", "patch": "inlet", "rise": "60 Pa - 200 Pa s/m^3 * Q"}
OUT = {"kind": "pressure", "patch": "outlet"}
PROFILES = {"short": {"along": "mm", "unit": "m/s", "points": [[10, 1], [40, 2]]}, "long": {"along": "mm", "unit": "m/s", "points": [[-50, 0], [100, 3]]}}  # fmt: skip
IN_TIME = {"kind": "in_time", "duration": "1 s", "steps": "fixed", "step": "50 ms", "keep_every": "1 s", "averages": False}  # fmt: skip


def run(*within, boundaries, **more):
    study = duct(*within, boundaries=boundaries, walls=more.pop("walls", "wall"), **more)
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared))


def test_a_fan_against_nothing_but_walls_asks_for_an_outlet():
    study = duct(boundaries=[FAN], walls="wall")
    assert "has an inlet but no outlet" in prepare(study, study.variants[0]).problems[0].message


def test_a_fan_against_a_screen_that_is_all_but_shut_stands_at_its_largest_rise():
    outcome = run({**SCREEN, "loss": "1e9"}, boundaries=[FAN, OUT])
    assert outcome.state == "converged"
    inlet = outcome.fields.stencil.boundary_faces(outcome.fields.mesh.patch("inlet"))
    assert outcome.fields.boundary_pressure[inlet].mean() == pytest.approx(60, rel=1e-3)


def test_a_jump_of_a_million_dynamic_pressures():
    outcome = run({**SCREEN, "loss": "1e6"}, boundaries=[{"kind": "velocity", "patch": "inlet", "speed": "2 m/s"}, OUT])
    assert outcome.state == "converged"
    inlet = outcome.fields.stencil.boundary_faces(outcome.fields.mesh.patch("inlet"))
    assert outcome.fields.boundary_pressure[inlet].mean() == pytest.approx(1e6 * 1.2 * 2, rel=1e-2)


def test_two_openings_of_which_only_pressures_are_said():
    outcome = run(boundaries=[{**OUT, "patch": "inlet", "pressure": "10 Pa"}, OUT])
    assert outcome.state == "converged"
    assert "fluid comes in through inlet, of which only a static pressure is said" in outcome.message


def test_what_is_to_enter_from_rest_leaves_and_says_so():
    outcome = run(boundaries=[{"kind": "rest", "patch": "inlet", "pressure": "0 Pa"}, {**OUT, "pressure": "20 Pa"}])
    assert outcome.state == "converged"
    assert "fluid leaves through inlet, where it is to come in" in outcome.message
    assert outcome.backflow == pytest.approx(1.0)


def test_a_table_that_ends_within_its_patch_is_told_and_one_that_goes_beyond_it_not():
    short, long = (run(boundaries=[{"kind": "velocity", "patch": "inlet", "speed": f"{name}(y)"}, OUT], tables=PROFILES) for name in ("short", "long"))  # fmt: skip
    assert "40% of inlet lies beyond the ends of the table" in short.message
    assert "beyond the ends" not in long.message
    assert short.fields.flow("inlet") == pytest.approx(-(0.01 * 1 + 0.03 * 1.5 + 0.01 * 2), rel=1e-6)
    assert long.fields.flow("inlet") == pytest.approx(-0.05 * 3 * 75 / 150, rel=1e-6)


def test_fluid_that_enters_aslant_beside_a_wall():
    aslant = {"kind": "stream", "patch": "inlet", "velocity_x": "2 m/s", "velocity_y": "3 m/s"}
    assert run(boundaries=[aslant, OUT]).state == "converged"


def test_a_speed_that_is_negative_half_of_the_time_or_somewhere_is_no_inlet():
    swings = "1 m/s * sin(6.28 s^-1 * t)"
    with pytest.raises(ValueError, match=r"at 0\.51 s: inlet: this has to be more than zero.*lie in a stream"):
        run(boundaries=[{"kind": "velocity", "patch": "inlet", "speed": swings}, OUT], timing=IN_TIME)
    with pytest.raises(ValueError, match="speed into 'inlet' is negative at"):
        run(boundaries=[{"kind": "velocity", "patch": "inlet", "speed": "100 s^-1 * (y - 20 mm)"}, OUT])
    outcome = run(boundaries=[{"kind": "stream", "patch": "inlet", "velocity_x": swings}, OUT], timing=IN_TIME)
    assert outcome.state == "converged"


def test_walls_that_slide_beside_walls_that_let_slip():
    slides = [{"kind": "sliding", "patch": patch, "velocity_y": f"{way} m/s"} for patch, way in (("inlet", 1), ("outlet", -1))]  # fmt: skip
    outcome = run(boundaries=slides, walls="slip")
    assert outcome.state == "converged"
    assert 0.1 < np.abs(outcome.fields.velocity).max() < 1


def test_a_wall_does_not_slide_through_itself():
    with pytest.raises(ValueError, match="goes straight through it"):
        run(boundaries=[{"kind": "sliding", "patch": "inlet", "velocity_x": "1 m/s"}, OUT])
