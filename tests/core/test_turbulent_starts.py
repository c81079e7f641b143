"""Starts and shapes that turbulent flows find awkward: each comes to rest, or its message says what is amiss."""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.solve.turbulence.equation import FADED
from brook.core.stages.assembly import flow_of
from brook.core.stages.meshing import make_mesh
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from

FLUID = {"kind": "own", "density": "1 kg/m^3", "viscosity": "1e-5 Pa s"}


def study_of(geometry: dict[str, Any], plan: dict[str, Any], boundaries: list[dict[str, Any]]) -> Study:
    return study_from({
        "format": "brook-study", "version": 1, "title": "Starts", "variants": [{"name": "a", "title": "A", "geometry": geometry}],
        "mesh_plan": plan, "set_up": {"fluid": FLUID, "turbulence": {}, "boundaries": [*boundaries, {"kind": "pressure", "patch": "end"}]},
        "run_rules": {"residual": "1e-4", "iterations": 900},
    })  # fmt: skip


def blind_alley() -> Study:
    """A channel with an alley five widths deep that leads nowhere."""
    walls = dict.fromkeys(("left", "right", "bottom", "top"), "wall")
    outer = {"name": "channel", "left": "0 m", "bottom": "0 m", "width": "9 m", "height": "1 m",
             "patches": walls | {"left": "begin", "right": "end"}}  # fmt: skip
    alley = {"kind": "rectangle", "name": "alley", "action": "add", "left": "3 m", "bottom": "-5 m", "width": "1 m", "height": "5 m",
             "patches": walls}  # fmt: skip
    return study_of(
        {"outer": outer, "shapes": [alley]}, {"bulk": "0.1 m", "wall": "0.05 m"}, [{"kind": "velocity", "patch": "begin", "speed": "1 m/s"}]
    )  # fmt: skip


def swirling_pipe() -> Study:
    """A pipe into which a stream comes that turns nearly as fast as it goes ahead."""
    pipe = {"kind": "cylinder", "name": "pipe", "axis": "x", "diameter": "1 m", "length": "6 m", "around": 48,
            "patches": {"start": "begin", "end": "end", "side": "wall"}}  # fmt: skip
    stream = {
        "kind": "stream",
        "patch": "begin",
        "velocity_x": "1 m/s",
        "velocity_y": "-1.6 1/s * z",
        "velocity_z": "1.6 1/s * y",
    }
    bodies = [{"name": "water", "x": "1 m", "y": "0 m", "z": "0 m"}]
    plan = {"way": "boxes", "bulk": "0.12 m", "wall": "0.12 m", "layers": {"number": 3, "height": "15 mm"}}
    return study_of({"kind": "space", "parts": [pipe], "bodies": bodies}, plan, [stream])


def solved(study: Study) -> Outcome:
    prepared, surface = ready(study, "a")
    assert not prepared.problems
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def test_a_dead_end_comes_to_rest_and_its_depth_hardly_stirs():
    outcome = solved(blind_alley())
    assert outcome.state == "converged", outcome.message
    fields = outcome.fields
    deep = fields.mesh.centre[:, 1] < -4
    stirs, moves = fields.more["turbulent_energy"][0], np.linalg.norm(fields.velocity, axis=1)
    assert (stirs > 0).all()
    assert moves[deep].max() < 0.02
    assert stirs[deep].max() < 1e-2 * stirs.max()


def test_a_swirling_stream_keeps_its_turn_and_loses_some_to_the_wall():
    outcome = solved(swirling_pipe())
    assert outcome.state == "converged", outcome.message
    fields = outcome.fields
    x, y, z = fields.mesh.centre.T
    turn = y * fields.velocity[:, 2] - z * fields.velocity[:, 1]

    def swirl(near: float) -> float:
        here = np.abs(x - near) < 0.3
        weight = fields.mesh.volume[here] * fields.velocity[here, 0]
        return float(weight @ turn[here] / weight.sum())

    assert swirl(0.5) > swirl(3.0) > swirl(5.5) > 0.5 * swirl(0.5)


def test_cells_without_the_second_scalar_are_told():
    study = blind_alley()
    prepared = prepare(study, study.variants[0])
    flow, stencil = flow_of(study, prepared, make_mesh(prepared))
    turbulence = next(e for e in flow.model.equations if e.name == "turbulence")
    turbulence.pair.one[:], turbulence.pair.two[:] = 1e-3, 1.0
    turbulence.pair.two[:7] = 0.1 * FADED
    assert "omega is next to nothing in 7 cells" in " ".join(turbulence.notes())
    turbulence.still = np.arange(stencil.cells) < 7
    assert not any("next to nothing" in words for words in turbulence.notes())
