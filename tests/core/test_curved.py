"""What curved streamlines make of eddies."""

from __future__ import annotations

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.mesh import Mesh
from brook.core.numerics import Stencil
from brook.core.solve.turbulence.curved import Curved
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.manufactured import block
from brook.core.verification.rows import rows


def test_in_straight_shear_it_changes_nothing():
    stencil = Stencil(block(6))
    slope = np.zeros((stencil.cells, 3, 3))
    slope[:, 0, 2] = 3.0 * stencil.mesh.centre[:, 2]
    velocity = np.zeros((stencil.cells, 3))
    velocity[:, 0] = 1.5 * stencil.mesh.centre[:, 2] ** 2
    assert Curved(stencil).of(velocity, slope, np.ones(stencil.cells)) == pytest.approx(1.0)


def test_what_spins_as_a_whole_has_no_eddies_made_in_it():
    stencil = Stencil(block(6))
    slope, none = np.zeros((stencil.cells, 3, 3)), np.zeros(stencil.cells)
    slope[:, 0, 1], slope[:, 1, 0] = -2.0, 2.0
    x, y = (stencil.mesh.centre[:, k] - 0.5 for k in (0, 1))
    velocity = np.stack([-2.0 * y, 2.0 * x, none], axis=1)
    assert Curved(stencil).of(velocity, slope, none) == pytest.approx(0.0)


def ring(curvature: bool, kind: str = "sst") -> Study:
    """What flows at 1 m/s between two walls, whose cells lie in rows."""
    outer = {"name": "gap", "left": "0 m", "bottom": "0 m", "width": "1 m", "height": "1 m",
             "patches": {"left": "begin", "right": "end", "bottom": "inner", "top": "outer"}}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "ring",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "0.1 m", "wall": "0.1 m"},
        "set_up": {
            "fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "1e-5 Pa s"},
            "turbulence": {"kind": kind, "curvature": curvature},
            "boundaries": [{"kind": "velocity", "patch": "begin", "speed": "1 m/s"}, {"kind": "pressure", "patch": "end"}],
        },
        "run_rules": {"residual": "1e-5", "iterations": 400},
    })  # fmt: skip


def bent(curvature: bool) -> np.ndarray:
    """Friction on the inner and the outer wall of a channel of 0.1 m, near its end, that goes round a quarter of a circle of 0.5 m inside."""
    study = ring(curvature)
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    fields = solve(study, prepared, _ring()).fields
    found = []
    for patch in ("inner", "outer"):
        here = fields.stencil.boundary_faces(fields.mesh.patch(patch))
        found.append(float(np.mean(fields.more["friction_velocity"][1][here][-10:] ** 2)))
    return np.array(found)


def _ring() -> Mesh:
    angle, radius = np.linspace(0, np.pi / 2, 41), 0.5 + 0.1 * np.linspace(0, 1, 25)
    sides = {"left": "begin", "right": "end", "bottom": "inner", "top": "outer"}
    return rows(
        angle, radius, {side: [(patch, np.inf)] for side, patch in sides.items()},
        placed=lambda at: at[:, 1:] * np.stack([np.sin(at[:, 0]), np.cos(at[:, 0])], axis=1),
    )  # fmt: skip


def test_friction_falls_inside_a_bend_and_rises_outside():
    alone, curved = bent(False), bent(True)
    assert curved[0] < 0.95 * alone[0]
    assert curved[1] > 1.05 * alone[1]


def test_a_model_that_does_not_know_of_it_is_told():
    study = ring(True, "rng")
    found = [(p.path, p.message) for p in prepare(study, study.variants[0]).problems]
    assert any(path == "/set_up/turbulence/curvature" and "k-ω SST" in words for path, words in found)
