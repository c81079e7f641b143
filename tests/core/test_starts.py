"""What a run begins from: velocities by formula, and how that shows in keys and histories."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import EditRefused, act, set_value
from brook.core.stages.beginning import BY_FORMULA
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from tests.core.studies import tray

SIDE, VISCOSITY, TIME = 0.2, 1e-3, 2.0


def vortex(start):
    """A box of water between walls that let it slip, which turns in one cell: sin πx/L cos πy/L, dying by exp(−2 π² ν t/L²)."""
    outer = {"name": "box", "left": "0 m", "bottom": "0 m", "width": f"{SIDE} m", "height": f"{SIDE} m",
             "patches": dict.fromkeys(("left", "right", "bottom", "top"), "wall")}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Vortex", "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "10 mm", "wall": "10 mm"}, "named_values": {"side": f"{SIDE} m"},
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{VISCOSITY} Pa s"}, "boundaries": [{"kind": "slip", "patch": "wall"}],
                   "within": [{"kind": "push", "force_x": "0 N"}], "start": start,
                   "timing": {"kind": "in_time", "duration": f"{TIME} s", "steps": "fixed", "step": "50 ms", "keep_every": "2 s", "averages": False}},
    })  # fmt: skip


SWIRL = {"kind": "formula", "velocity_x": "0.1 m/s * sin(pi * x / side) * cos(pi * y / side)", "velocity_y": "-0.1 m/s * cos(pi * x / side) * sin(pi * y / side)"}  # fmt: skip


def run(study):
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared))


def test_a_swirl_that_is_put_in_dies_as_it_should():
    fields = run(vortex(SWIRL)).fields
    x, y, _ = fields.mesh.centre.T
    dies = np.exp(-2 * np.pi**2 * VISCOSITY * TIME / SIDE**2)
    exact = 0.1 * dies * np.stack([np.sin(np.pi * x / SIDE) * np.cos(np.pi * y / SIDE), -np.cos(np.pi * x / SIDE) * np.sin(np.pi * y / SIDE)], axis=1)  # fmt: skip
    assert fields.velocity[:, :2] == pytest.approx(exact, abs=0.02 * np.abs(exact).max())
    assert np.abs(run(vortex({"kind": "last"})).fields.velocity).max() == 0


def test_velocities_by_formula_are_a_start_of_steady_flows_and_the_answer_is_the_same():
    plain = tray()
    aslant = set_value(act(plain, "set_start", kind="formula"), "/set_up/start/velocity_y", "2 mm/s")
    one, other = run(plain), run(aslant)
    assert (0, BY_FORMULA) in other.history.marks
    assert other.fields.velocity == pytest.approx(one.fields.velocity, abs=1e-5)
    keys = {
        stage_keys(s, prepare(s, s.variants[0])).run for s in (plain, act(plain, "set_start", kind="potential"), aslant)
    }
    assert len(keys) == 2  # where a run begins says nothing of its answer, but what is put in does


def test_a_run_may_begin_where_another_variant_ended():
    study = act(tray(), "set_start", kind="variant:plain")
    assert study.set_up.start.variant == "plain"
    assert stage_keys(study, prepare(study, study.variants[0])) == stage_keys(
        tray(), prepare(tray(), tray().variants[0])
    )
    with pytest.raises(EditRefused, match="'plane' is no variant: did you mean plain"):
        act(study, "set_start", kind="variant:plane")
