"""Laminar flow past a cylinder in a channel: case 2D-1 of Schäfer & Turek (1996)."""

from __future__ import annotations

import numpy as np

from brook.core.checks import prepare
from brook.core.pipeline import make_mesh, solve
from brook.core.results.forces import patch_forces
from brook.core.results.picture import polygons
from brook.core.results.plane import Triangles, point_values
from brook.core.results.quantities import View
from brook.core.solve import Fields, Outcome
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

SOURCE = "Schäfer & Turek 1996, 2D-1"
DIAMETER, MEAN = 0.1, 0.2
DRAG, DROP = 5.5795, 0.1175
LIFT, LIFT_BAND = 0.0107, 0.0003  # published as 0.0104 to 0.0110
WALL = 1 / 480
TOLERANCE = 0.01


def study(wall: float) -> Study:
    """The channel with cells as large as `wall` m at the cylinder and the plates."""
    outer = {"name": "channel", "left": "0 m", "bottom": "0 m", "width": "2.2 m", "height": "0.41 m",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "plate", "top": "plate"}}  # fmt: skip
    cylinder = {"kind": "circle", "name": "cylinder", "centre_x": "0.2 m", "centre_y": "0.2 m",
                "diameter": f"{DIAMETER} m", "patch": "cylinder"}  # fmt: skip
    return study_from(
        {
            "format": "brook-study", "version": 1, "title": "cylinder",
            "variants": [{"name": "cylinder", "title": "Cylinder", "geometry": {"outer": outer, "shapes": [cylinder]}}],
            "mesh_plan": {"bulk": f"{8 * wall} m", "wall": f"{wall} m", "growth": "1.1"},
            "set_up": {
                "fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.001 Pa s"},
                "boundaries": [
                    {"kind": "velocity", "patch": "inlet", "speed": f"{MEAN} m/s", "profile": "developed"},
                    {"kind": "pressure", "patch": "outlet"},
                ],
            },
            "run_rules": {"residual": "1e-6"},
        }
    )  # fmt: skip


def solved(wall: float) -> Outcome:
    case = study(wall)
    prepared = prepare(case, case.variants[0])
    return solve(case, prepared, make_mesh(prepared))


def coefficients(fields: Fields) -> tuple[float, float, float]:
    """Drag and lift coefficients, and the pressure in front of the cylinder less that behind it in Pa."""
    force = next(f for f in patch_forces(fields) if f.patch == "cylinder").total
    drag, lift = 2 * force[:2] / (MEAN**2 * DIAMETER)
    shapes = polygons(fields.mesh)
    triangles = Triangles.of(fields.mesh, shapes)
    places = np.array([[0.15 - 1e-4, 0.2], [0.25 + 1e-4, 0.2]])
    front, back = triangles.at(point_values(View(fields), "pressure", shapes), places)
    return float(drag), float(lift), float(front - back)


def run() -> list[Found]:
    outcome = solved(WALL)
    drag, lift, drop = coefficients(outcome.fields)
    mesh = f"{outcome.fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"
    return [
        Comparison("drag coefficient", SOURCE, DRAG, drag, TOLERANCE, mesh),
        Comparison("lift coefficient, in the published band", SOURCE, LIFT, lift, LIFT_BAND, mesh, scale=1.0),
        Comparison("pressure in front less behind / Pa", SOURCE, DROP, drop, TOLERANCE, mesh),
    ]
