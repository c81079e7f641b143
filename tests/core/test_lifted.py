"""Eddies under buoyancy: what it makes of them where it is warm below, and takes where it is warm above."""

from __future__ import annotations

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.solve.turbulence import REALIZABLE, SST
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification import turbulent_shear as shear


def gap(warm: str, eddies: bool = True, weight: str = "boussinesq") -> Study:
    """Water between a floor and a lid 60 mm over it, one of which is `warm`, drawn along by a drop."""
    outer = {"name": "gap", "left": "0 mm", "bottom": "0 mm", "width": "10 mm", "height": "60 mm",
             "patches": {"left": "begin", "right": "end", "bottom": "floor", "top": "lid"}}  # fmt: skip
    walls = [
        {"kind": "temperature", "patch": p, "temperature": "28 degC" if p == warm else "12 degC"}
        for p in ("floor", "lid")
    ]
    return study_from({
        "format": "brook-study", "version": 1, "title": "gap",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "3 mm", "wall": "1 mm", "pairs": [{"kind": "shift", "patch": "begin", "x": "10 mm"}]},
        "set_up": {
            "fluid": {"kind": "library", "substance": "water", "temperature": "20 degC"},
            "boundaries": [{"kind": "periodic", "patch": "begin", "drive": "mass_flow", "mass_flow": "6 kg/s"}],
            "turbulence": {"kind": "sst", "buoyancy": eddies},
            "heat": {"start": "20 degC", "buoyancy": weight, "patches": walls},
        },
        "run_rules": {"residual": "1e-5", "iterations": 300},
    })  # fmt: skip


def through(study: Study) -> float:
    """Heat in W through the floor, either way."""
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    fields = solve(study, prepared, make_mesh(prepared)).fields
    return abs(float(fields.more["heat"][1][fields.stencil.boundary_faces(fields.mesh.patch("floor"))].sum()))


def test_warm_above_stills_and_warm_below_stirs():
    alone, above, below = through(gap("lid", False)), through(gap("lid")), through(gap("floor"))
    assert above < 0.92 * alone
    assert below > 1.015 * alone


def test_what_it_makes_follows_the_slope_of_the_weight():
    flow, turbulence = shear.cube(0.4)
    turbulence.eddy[:] = 0.02
    assert turbulence.lifted is not None
    made = turbulence.lifted.made(flow, flow.medium, turbulence.eddy, turbulence.walls)
    assert made == pytest.approx(-0.02 / shear.PRANDTL * 0.4 * shear.SHEAR**2, rel=1e-4)  # G = −μ_t N²/Pr_t


@pytest.mark.parametrize("closure", [SST, REALIZABLE])
def test_of_a_second_scalar_it_makes_what_the_equation_of_epsilon_has(closure):
    k, omega = np.array([0.2]), np.array([3.0])
    second = closure.of_omega(k, omega)
    assert closure.dissipation(k, second) == pytest.approx(0.09 * 0.2 * 3.0)
    # dω = (dε/ε − dk/k) ω: ε gets C₁ G ε/k of what stirs, nothing of what stills
    for of_epsilon, times in ((1.44, closure.stirred), (0.0, -closure.stilled)):
        wanted = of_epsilon - 1 if closure is SST else of_epsilon
        assert times == pytest.approx(wanted)


def test_where_nothing_has_weight_it_is_told():
    study = gap("lid", weight="none")
    found = [(p.path, p.message) for p in prepare(study, study.variants[0]).problems]
    assert any(path == "/set_up/turbulence/buoyancy" and "weight" in words for path, words in found)
