"""Flows looked at from a frame that turns."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from

RATE = 2.0


def tank(boundaries, frame=None, **more):
    """A box of 0.4 by 0.3 m whose lower left corner lies on the axis."""
    outer = {"name": "tank", "left": "0 m", "bottom": "0 m", "width": "0.4 m", "height": "0.3 m",
             "patches": {"left": "west", "right": "east", "bottom": "south", "top": "north"}}  # fmt: skip
    fluid = {"kind": "own", "density": "2 kg/m^3", "viscosity": "0.02 Pa s"}
    return study_from({
        "format": "brook-study", "version": 1, "title": "Tank", "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "20 mm", "wall": "20 mm"}, "run_rules": {"residual": "1e-8", "monitor_change": "1e-8"},
        "set_up": {"fluid": fluid, "boundaries": boundaries, **({"frame": frame} if frame else {}), **more},
    })  # fmt: skip


def run(study):
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared)).fields


def around(velocity_x, velocity_y):
    return [{"kind": "stream", "patch": p, "velocity_x": velocity_x, "velocity_y": velocity_y} for p in ("west", "east", "south", "north")]  # fmt: skip


def test_what_stands_in_the_room_turns_the_other_way_in_the_frame():
    fields = run(tank(around(f"{RATE} s^-1 * y", f"-{RATE} s^-1 * x"), {"rate": f"{RATE} s^-1"}))
    x, y, _ = fields.mesh.centre.T
    assert fields.velocity[:, 0] == pytest.approx(RATE * y, abs=0.01)
    assert fields.velocity[:, 1] == pytest.approx(-RATE * x, abs=0.01)
    assert np.ptp(fields.pressure) < 0.05 * (RATE * 0.5) ** 2  # there is none in a fluid that stands


def test_a_lid_drags_fluid_along_in_the_frame_as_it_does_in_the_room():
    """A flow in a plane that nothing enters feels of the frame only another pressure."""
    lid = [{"kind": "sliding", "patch": "north", "velocity_x": "0.5 m/s"}]
    stands, turns = run(tank(lid)), run(tank(lid, {"rate": "3 s^-1"}))
    assert turns.velocity == pytest.approx(stands.velocity, abs=0.01)
    assert np.abs(stands.velocity).max() > 0.2
    assert np.ptp(turns.pressure) > np.ptp(stands.pressure) + 1


def test_a_frame_that_stands_and_one_about_what_a_drawing_does_not_have():
    lid = [{"kind": "sliding", "patch": "north", "velocity_x": "0.5 m/s"}]
    plain, still = tank(lid), tank(lid, {"rate": "0 rpm"})
    keys = {stage_keys(s, prepare(s, s.variants[0])).run for s in (plain, still, tank(lid, {"rate": "5 rpm"}))}
    assert len(keys) == 3
    problems = prepare(s := tank(lid, {"axis": "x"}), s.variants[0]).problems
    assert [p.path for p in problems] == ["/set_up/frame/axis"]


def test_a_value_that_nothing_follows_may_not_change_with_the_time():
    timing = {"kind": "in_time", "duration": "1 s", "step": "0.1 s"}
    lid = [{"kind": "sliding", "patch": "north", "velocity_x": "0.5 m/s * sin(1 s^-1 * t)"}]
    body = {"kind": "porous", "where": {"kind": "ball", "x": "0.1 m + 0.1 m/s * t"}, "permeability": "1e-8 m^2 * (1 + t / (1 s))"}  # fmt: skip
    push = {"kind": "push", "force_x": "1 N * t / (1 s)"}
    study = tank(lid, {"rate": "3 rpm * t / (1 s)"}, timing=timing, within=[body, push])
    problems = [p for p in prepare(study, study.variants[0]).problems if "stays the same all the time" in p.message]
    assert sorted(p.path for p in problems) == ["/set_up/frame/rate", "/set_up/within/0/permeability", "/set_up/within/0/where/x"]  # fmt: skip
