"""Developed flow in a round pipe on an automatic mesh: u = 2 u_mean (1 - (2 r / d)²), f Re = 64.

Water enters evenly and develops on its way; pressure and velocity are compared where it has.
"""

from __future__ import annotations

import numpy as np

from brook.core.solve import Outcome
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.verification.case import Comparison, Curve, Found

LENGTH, REYNOLDS = 4.0, 20.0
FROM, TO = 2.3, 3.5  # m: developed, and not yet near the outlet
SOURCE = "exact"


def study(across: int, layers: int = 0) -> Study:
    """A pipe of 1 m with so many boxes across at its wall, and so many layers along it, together 0.6 of a box thick."""
    size = 1.0 / across
    ends = {"start": "inlet", "end": "outlet", "side": "wall"}
    pipe = {"kind": "cylinder", "name": "pipe", "diameter": "1 m", "length": f"{LENGTH} m", "axis": "x", "around": 96,
            "patches": ends}  # fmt: skip
    return Study.model_validate({
        "title": "pipe",
        "variants": [{
            "name": "pipe", "title": "Pipe",
            "geometry": {"kind": "space", "parts": [pipe],
                         "bodies": [{"name": "water", "x": "1 m", "y": "0 m", "z": "0 m"}]},
        }],
        "mesh_plan": {"bulk": f"{2 * size} m", "wall": f"{size} m", "growth": "1.5",
                      "layers": {"number": layers, "height_of": "all", "height": f"{0.6 * size} m"} if layers else None},
        "set_up": {
            "fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{1 / REYNOLDS} Pa s"},
            "boundaries": [{"kind": "flow", "patch": "inlet", "volume_flow": f"{np.pi / 4} m^3/s"},
                           {"kind": "pressure", "patch": "outlet"}],
        },
        "run_rules": {"residual": "1e-6"},
    })  # fmt: skip


def solved(study: Study) -> Outcome:
    """The flow of a study whose only variant is a built shape in space."""
    prepared, surface = ready(study, study.variants[0].name)
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def figures(outcome: Outcome) -> tuple[float, float]:
    """f Re from the slope of pressure, and the velocity on the axis over the mean one."""
    fields = outcome.fields
    x, y, z = fields.mesh.centre.T
    there = (x > FROM) & (x < TO)
    slope = np.polyfit(x[there], fields.pressure[there], 1)[0]
    near_axis = there & (y**2 + z**2 < 0.2**2)
    on_axis = np.polyfit((y**2 + z**2)[near_axis], fields.velocity[near_axis, 0], 1)[1]
    return float(-2 * slope * REYNOLDS), float(on_axis)


def run() -> list[Found]:
    """The pipe in boxes, without and with layers."""
    found: list[Found] = []
    for layers in (0, 4):
        outcome = solved(study(20, layers))
        friction, fastest = figures(outcome)
        words = f", {layers} layers" if layers else ""
        mesh = f"{outcome.fields.mesh.cell_count} cells, 20 across{words}"
        found += [
            Comparison(f"f Re{words}", SOURCE, 64.0, friction, 0.015, mesh),
            Comparison(f"u_max / u_mean{words}", SOURCE, 2.0, fastest, 0.015, mesh),
        ]
    x, y, z = outcome.fields.mesh.centre.T
    there = np.abs(x - 3.0) < 0.051
    radius, speed = np.hypot(y, z)[there], outcome.fields.velocity[there, 0]
    order = np.argsort(radius)
    few = np.linspace(0, 0.5, 11)
    line, points = (radius[order], speed[order]), (few, 2 * (1 - (2 * few) ** 2))
    return [*found, Curve.of("Developed flow, with layers", "radius / d", "u / mean velocity", line, points, SOURCE)]
