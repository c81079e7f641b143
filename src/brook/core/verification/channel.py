"""Developed flow between parallel plates: u = 1.5 u_mean (1 - (2 y / h)²).

Water enters evenly and develops on its way; the profile is compared near the outlet.
"""

from __future__ import annotations

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

HEIGHT, LENGTH, MEAN, REYNOLDS = 0.02, 0.12, 0.01, 20.0
SOURCE = "exact"


def study(across: int, layers: int = 0) -> Study:
    """The channel with so many cells across, or in boxes with so many layers along its plates, together 0.6 of a cell."""
    size = HEIGHT / across
    boxes = {
        "way": "boxes",
        "layers": {"patches": ["plate"], "number": layers, "height_of": "all", "height": f"{0.6 * size} m"},
    }
    return study_from(
        {
            "format": "brook-study",
            "version": 1,
            "title": "channel",
            "variants": [
                {
                    "name": "channel",
                    "title": "Channel",
                    "geometry": {
                        "outer": {
                            "name": "channel",
                            "left": "0 m",
                            "bottom": "0 m",
                            "width": f"{LENGTH} m",
                            "height": f"{HEIGHT} m",
                            "patches": {"left": "inlet", "right": "outlet", "bottom": "plate", "top": "plate"},
                        }
                    },
                }
            ],
            "mesh_plan": {"bulk": f"{size} m", "wall": f"{size} m", **(boxes if layers else {})},
            "set_up": {
                "fluid": {
                    "kind": "own",
                    "density": "1000 kg/m^3",
                    "viscosity": f"{1000 * MEAN * HEIGHT / REYNOLDS} Pa s",
                },
                "boundaries": [
                    {"kind": "velocity", "patch": "inlet", "speed": f"{MEAN} m/s"},
                    {"kind": "pressure", "patch": "outlet"},
                ],
            },
            "run_rules": {"residual": "1e-8"},
        }
    )


def solved(across: int, layers: int = 0) -> Outcome:
    """The flow with so many cells across and so many layers."""
    case = study(across, layers)
    prepared = prepare(case, case.variants[0])
    return solve(case, prepared, make_mesh(prepared))


def profile(outcome: Outcome) -> tuple[np.ndarray, np.ndarray]:
    """y from the middle in m, u over the mean, in the cells at 5/6 of the length."""
    mesh = outcome.fields.mesh
    low, high = mesh.cell_box
    at = 5 / 6 * LENGTH - 1e-9
    column = np.nonzero((low[:, 0] <= at) & (high[:, 0] > at))[0]
    return mesh.centre[column, 1] - HEIGHT / 2, outcome.fields.velocity[column, 0] / MEAN


def error(across: int, layers: int = 0) -> tuple[float, float, Outcome]:
    """Root mean square difference from the exact profile over u_mean, and u_max/u_mean."""
    outcome = solved(across, layers)
    y, u = profile(outcome)
    exact = 1.5 * (1 - (2 * y / HEIGHT) ** 2)
    top = np.polyfit(y[np.argsort(np.abs(y))[:4]], u[np.argsort(np.abs(y))[:4]], 2)
    return float(np.sqrt(np.mean((u - exact) ** 2))), float(np.polyval(top, -top[1] / (2 * top[0]))), outcome


def run() -> list[Found]:
    """The channel on three meshes, and in boxes with layers."""
    coarse, _, _ = error(10)
    middle, _, _ = error(20)
    fine, peak, outcome = error(40)
    _, layered_peak, layered = error(20, 4)
    mesh = "40 cells across, 9600 in all"
    boxes = f"boxes with 4 layers, {layered.fields.mesh.cell_count} cells"
    return [
        Comparison("u_max / u_mean, boxes with layers", SOURCE, 1.5, layered_peak, 0.015, boxes),
        Comparison("pressure gradient, boxes with layers", "exact: 12 μ u / h²", *_gradients(layered), 0.015, boxes),
        Comparison("u_max / u_mean", SOURCE, 1.5, peak, 0.002, mesh),
        Comparison(
            "order of accuracy, 10 → 20 cells",
            "second order",
            1.95,
            float(np.log2(coarse / middle)),
            0,
            mesh,
            at_least=True,
        ),
        Comparison(
            "order of accuracy, 20 → 40 cells",
            "second order",
            1.95,
            float(np.log2(middle / fine)),
            0,
            mesh,
            at_least=True,
        ),
        Comparison("mass imbalance over inflow", SOURCE, 0.0, outcome.fields.imbalance(), 1e-8, mesh, scale=1.0),
        Comparison("pressure gradient", "exact: 12 μ u / h²", *_gradients(outcome), 0.005, mesh),
    ]


def _gradients(outcome: Outcome) -> tuple[float, float]:
    viscosity = 1000 * MEAN * HEIGHT / REYNOLDS
    mesh = outcome.fields.mesh
    middle = np.abs(mesh.centre[:, 0] - 2 / 3 * LENGTH) < LENGTH / 12
    fit = np.polyfit(mesh.centre[middle, 0], outcome.fields.pressure[middle], 1)
    return 12 * viscosity * MEAN / HEIGHT**2, float(-fit[0])
