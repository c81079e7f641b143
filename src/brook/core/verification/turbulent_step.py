"""Turbulent flow over a step: where it comes back to the floor, 6.26 steps behind, as Driver & Seegmiller (1985, AIAA J. 23) measured.

A channel of eight step heights, of nine behind the step; Re 36 000 by the step, a layer of 1.5 steps at it.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found
from brook.core.verification.rows import between, grown, rows

REYNOLDS, BEFORE, BEHIND, HIGH = 36_000.0, 110.0, 50.0, 9.0  # lengths over the step
REATTACHED, TOLERANCE = 6.26, 0.08
SHEAR = 0.045  # u_τ over the speed that enters, about
SOURCE = "Driver & Seegmiller 1985"


@cache
def flow(height: float, fine: float = 1.0) -> Outcome:
    """With the first centre at about a y⁺; `fine` divides cells along the stream."""
    outer = {"name": "channel", "left": f"{-BEFORE} m", "bottom": "0 m", "width": f"{BEFORE + BEHIND} m", "height": f"{HIGH} m",
             "patches": {"left": "begin", "right": "end", "bottom": "floor", "top": "roof"}}  # fmt: skip
    block = {"kind": "rectangle", "name": "step", "left": f"{-BEFORE} m", "bottom": "0 m", "width": f"{BEFORE} m", "height": "1 m",
             "patches": {"left": "begin", "right": "step", "bottom": "floor", "top": "before"}}  # fmt: skip
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{1 / REYNOLDS!r} Pa s"}
    study = study_from({
        "format": "brook-study", "version": 1, "title": "step",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": [block]}}],
        "set_up": {"fluid": fluid, "turbulence": {"incoming": {"kind": "ratio", "intensity": "0.6 %", "ratio": "1"}}, "boundaries": [
            {"kind": "velocity", "patch": "begin", "speed": "1 m/s"}, {"kind": "pressure", "patch": "end"}]},
        "run_rules": {"residual": "1e-5", "iterations": 3000},
    })  # fmt: skip
    first = 2 * height / (REYNOLDS * SHEAR)
    y = np.concatenate([between(first, 1.2, 1.0, 0.08 / fine), 1 + between(first, 1.2, HIGH - 1, 0.5 / fine)[1:]])
    x = np.concatenate([-grown(0.08 / fine, 1.15, BEFORE, 6.0)[::-1], grown(0.08 / fine, 1.06, BEHIND, 1.5)[1:]])
    mesh = rows(x, y, {"left": [("begin", np.inf)], "right": [("end", np.inf)], "top": [("roof", np.inf)], "bottom": [("floor", np.inf)]},
                step=(0.0, 1.0))  # fmt: skip
    return solve(study, prepare(study, study.variants[0]), mesh)


def floor(outcome: Outcome, speed: float) -> tuple[np.ndarray, np.ndarray]:
    """x in m and c_f of the floor by a speed in m/s, negative where the flow goes back."""
    fields, s = outcome.fields, outcome.fields.stencil
    patch = fields.mesh.patch("floor")
    here = s.boundary_faces(patch)
    cell = s.face_cell[here]
    shear = fields.more["friction_velocity"][1][here] ** 2 * np.sign(fields.velocity[cell, 0])
    along = fields.mesh.face_centres(patch.faces)[:, 0]
    order = np.argsort(along)
    return along[order], 2 * shear[order] / speed**2


def reattachment(outcome: Outcome) -> float:
    """Where the shear of the floor turns round for the last time, in m (over a step of 1 m)."""
    x, friction = floor(outcome, 1.0)
    last = int(np.nonzero((friction[:-1] < 0) & (friction[1:] >= 0))[0][-1])
    return float(x[last] - friction[last] * (x[last + 1] - x[last]) / (friction[last + 1] - friction[last]))


def run() -> list[Found]:
    """At two heights of the first cell."""
    found: list[Found] = []
    for height in (2.0, 4.5):
        outcome = flow(height)
        mesh = f"{outcome.fields.mesh.cell_count} cells, first centre at y⁺ {height:g} or less"
        found.append(Comparison("x_r/h", SOURCE, REATTACHED, reattachment(outcome), TOLERANCE, mesh))
    return found
