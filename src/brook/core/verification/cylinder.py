"""Laminar flow past a cylinder in a channel: cases 2D-1, steady, and 2D-2, shedding, of Schäfer & Turek (1996)."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import LinearNDInterpolator, NearestNDInterpolator

from brook.core.checks import prepare
from brook.core.results.forces import patch_forces
from brook.core.results.picture import polygons
from brook.core.results.plane import Triangles, point_values
from brook.core.results.quantities import View
from brook.core.results.readings import read_value
from brook.core.solve import Checkpoint, Fields, FlowSolver, History
from brook.core.stages.assembly import flow_of
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Curve, Found

SOURCE = "Schäfer & Turek 1996, 2D-1"
DIAMETER, MEAN = 0.1, 0.2
DRAG, DROP = 5.5795, 0.1175
LIFT, LIFT_BAND = 0.0107, 0.0003  # published as 0.0104 to 0.0110
BACK, BACK_BAND = 0.0847, 0.0005  # published as 0.0842 to 0.0852
END = 0.25  # m, where the cylinder ends
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
            "places": {"behind": {"kind": "line", "start_x": f"{END + 1e-4} m", "start_y": "0.2 m", "end_x": "0.45 m", "end_y": "0.2 m"}},
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
    """The cylinder in a channel at Re 20."""
    case = study(WALL)
    prepared = prepare(case, case.variants[0])
    outcome = solve(case, prepared, make_mesh(prepared))
    drag, lift, drop = coefficients(outcome.fields)
    again = read_value("behind.velocity_x.reattaches", prepared.places, prepared.scope, outcome.fields)
    mesh = f"{outcome.fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"
    return [
        Comparison("drag coefficient", SOURCE, DRAG, drag, TOLERANCE, mesh),
        Comparison("lift coefficient, in the published band", SOURCE, LIFT, lift, LIFT_BAND, mesh, scale=1.0),
        Comparison("pressure in front less behind / Pa", SOURCE, DROP, drop, TOLERANCE, mesh),
        Comparison(
            "length of what flows back behind it / m, in the published band",
            SOURCE,
            BACK,
            again - END,
            BACK_BAND,
            mesh,
            scale=1.0,
        ),
    ]


SHEDDING_SOURCE = "Schäfer & Turek 1996, 2D-2"
# Published bands: lowest and highest.
BANDS = {
    "largest drag coefficient": (3.22, 3.24),
    "largest lift coefficient": (0.98, 1.01),
    "Strouhal number": (0.295, 0.305),
}
SHEDDING_MEAN = 1.0
SETTLED = 1.9  # s on the fine mesh after which eddies leave evenly
Sizes = tuple[float, float, list[tuple[float, float, float, float, float]]]
# Sizes in m: in the bulk, at the cylinder; boxes from left to right and bottom to top with theirs.
ROUGH: Sizes = (
    1 / 40, 1 / 320, [(0.12, 0.45, 0.12, 0.28, 1 / 320), (0.1, 0.8, 0.08, 0.33, 1 / 160), (0.05, 1.2, -1, 1, 1 / 80)],
)  # fmt: skip
FINE: Sizes = (
    1 / 60, 1 / 960, [
        (0.12, 0.42, 0.12, 0.28, 1 / 960), (0.1, 0.7, 0.08, 0.33, 1 / 480), (-1, 1.2, -1, 1, 1 / 240),
        (0, 0.8, -1, 0.04, 1 / 480), (0, 0.8, 0.37, 1, 1 / 480),  # along the plates
    ],
)  # fmt: skip
STEP = 0.004  # s


def shedding_study(sizes: Sizes, duration: float, step: float, since: float) -> Study:
    """The channel with five times the flow, followed in time; readings count from `since` on. Times in s."""
    bulk, wall, boxes = sizes
    raw = study(wall).model_dump(mode="json")
    zones = [
        {"kind": "box", "x": f"{x0} m", "y": f"{y0} m", "z": "-1 m", "width": f"{x1 - x0} m", "depth": f"{y1 - y0} m",
         "height": "3 m", "size": f"{size!r} m"} for x0, x1, y0, y1, size in boxes
    ]  # fmt: skip
    raw["mesh_plan"] = {"way": "boxes", "bulk": f"{bulk!r} m", "wall": f"{bulk / 4!r} m", "growth": "1.1",
                        "patches": {"cylinder": f"{wall!r} m"}, "zones": zones}  # fmt: skip
    raw["set_up"]["boundaries"][0]["speed"] = f"{SHEDDING_MEAN} m/s"
    raw["set_up"]["convection"] = "central"
    raw["set_up"]["timing"] = {"kind": "in_time", "duration": f"{duration} s", "steps": "fixed", "step": f"{step} s",
                               "keep_every": f"{duration} s", "averages": False, "average_from": f"{since} s"}  # fmt: skip
    asked = [("drag", "cylinder.force_x.total", "largest"), ("lift", "cylinder.force_y.total", "largest"),
             ("beat", "cylinder.force_y.total", "frequency")]  # fmt: skip
    raw["requirements"] = [
        {"name": name, "title": name, "reading": reading, "course": course, "limit": {"kind": "smallest"}}
        for name, reading, course in asked
    ]
    return study_from(raw)


def _brought(fields: Fields, flow: FlowSolver) -> None:
    """Starts a flow from fields of another mesh of the same channel."""
    known, wanted = fields.stencil.centre[:, :2], flow.stencil.centre[:, :2]

    def carried(value: np.ndarray) -> np.ndarray:
        found = LinearNDInterpolator(known, value)(wanted)
        return np.where(np.isfinite(found), found, NearestNDInterpolator(known, value)(wanted))

    velocity = np.zeros((len(wanted), 3))
    velocity[:, 0], velocity[:, 1] = (carried(fields.velocity[:, k]) for k in (0, 1))
    flow.start_from(velocity, carried(fields.pressure))


def shedding() -> list[Found]:
    """On a coarse mesh from rest until eddies leave evenly, then on a fine one from there."""
    rough = shedding_study(ROUGH, 6.0, 0.01, 4.0)
    before = prepare(rough, rough.variants[0])
    coarse = solve(rough, before, make_mesh(before))
    fine = shedding_study(FINE, 2.7, STEP, SETTLED)
    prepared = prepare(fine, fine.variants[0])
    mesh = make_mesh(prepared)
    flow, _ = flow_of(fine, prepared, mesh)
    assert isinstance(flow, FlowSolver)
    _brought(coarse.fields, flow)
    outcome = solve(fine, prepared, mesh, start=Checkpoint.of(flow, History(()), 0))
    drag, lift, beat = (r.value or 0.0 for r in read_all(fine, prepared, outcome.fields, outcome.history))
    values = (*(2 * force / (SHEDDING_MEAN**2 * DIAMETER) for force in (drag, lift)), beat * DIAMETER / SHEDDING_MEAN)
    words = f"{mesh.cell_count} cells, {len(outcome.history)} steps of {1e3 * STEP:g} ms, {outcome.state}"
    found: list[Found] = [
        Comparison(f"{name}, in the published band", SHEDDING_SOURCE, (low + high) / 2, value, (high - low) / 2, words, scale=1.0)
        for (name, (low, high)), value in zip(BANDS.items(), values, strict=True)
    ]  # fmt: skip
    last = np.array(outcome.history.time) > SETTLED
    curve = np.array(outcome.history.monitors["lift"])[last] * 2 / (SHEDDING_MEAN**2 * DIAMETER)
    line = (np.array(outcome.history.time)[last] - SETTLED, curve)
    found.append(
        Curve.of("Lift coefficient in time, and the published band of its largest value", "time / s", "lift coefficient", line,
                 (np.array([0.0, 0.0]), np.array(BANDS["largest lift coefficient"])), SHEDDING_SOURCE)
    )  # fmt: skip
    return found
