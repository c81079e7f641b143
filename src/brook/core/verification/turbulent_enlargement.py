"""Turbulent flow in a pipe that suddenly is twice as wide: the loss of Borda and Carnot, K = (1 − A₁/A₂)² of the head before it.

With first centres at y⁺ 1 to 10 steady runs stand at residuals of 1e-3 to 3e-2 behind the sharp lip, with the same loss (decision 0029).
"""

from __future__ import annotations

from functools import cache

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Fields, Outcome
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found
from brook.core.verification.rows import between, grown, rows
from brook.core.verification.turbulent_pipe import WEDGE, Pipe

REYNOLDS, BEFORE, BEHIND = 1e5, 2.0, 24.0  # by the pipe before, 1 m wide; lengths in its diameters
AFTER = 16.0  # where the flow has come to rest on the wall again, eight of the wide diameters behind
WIDE = 2.0  # the diameter behind over the one before
TOLERANCE = 0.06
SHEAR = 0.05  # u_τ over the speed that enters, about


@cache
def flow(height: float) -> Outcome:
    """With the first centre at about a y⁺ in the narrow pipe, into which water comes evenly."""
    outer = {"name": "pipe", "left": f"{-BEFORE} m", "bottom": "0 m", "width": f"{BEFORE + BEHIND} m", "height": f"{WIDE / 2} m",
             "patches": {"left": "begin", "right": "end", "bottom": "axis", "top": "wide"}}  # fmt: skip
    block = {"kind": "rectangle", "name": "block", "left": f"{-BEFORE} m", "bottom": "0.5 m", "width": f"{BEFORE} m", "height": f"{WIDE / 2 - 0.5} m",
             "patches": {"left": "begin", "right": "step", "bottom": "before", "top": "wide"}}  # fmt: skip
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{1 / REYNOLDS!r} Pa s"}
    study = study_from({
        "format": "brook-study", "version": 1, "title": "enlargement",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": [block]}}],
        "set_up": {"fluid": fluid, "turbulence": {"incoming": {"kind": "duct", "diameter": "1 m"}}, "boundaries": [
            {"kind": "velocity", "patch": "begin", "speed": "1 m/s"}, {"kind": "pressure", "patch": "end"}]},
        "run_rules": {"residual": "1e-5", "iterations": 3000},
    })  # fmt: skip
    first = 2 * height / (REYNOLDS * SHEAR)
    y = np.concatenate(
        [0.5 - grown(first, 1.2, 0.5, 0.025)[::-1], 0.5 + between(first, 1.2, WIDE / 2 - 0.5, 0.025)[1:]]
    )
    y[0] = 0.0
    x = np.concatenate([-grown(0.02, 1.1, BEFORE, 0.1)[::-1], grown(0.02, 1.05, BEHIND, 0.4)[1:]])
    mesh = rows(x, y, {"left": [("begin", np.inf)], "right": [("end", np.inf)], "top": [("wide", np.inf)]},
                step=(0.0, 0.5), turned=WEDGE, over=True)  # fmt: skip
    return solve(study, prepare(study, study.variants[0]), mesh)


def head(fields: Fields, place: float) -> float:
    """Total pressure at the last faces across the stream before x in m, mean by what passes them."""
    s = fields.stencil
    inner = s.inner
    across = s.area[:inner, 0] / np.linalg.norm(s.area[:inner], axis=1)
    middle = fields.mesh.face_centres(slice(inner))[:, 0]
    upright = np.abs(across) > 0.999
    x = middle[upright & (middle < place + 1e-9)].max()
    faces = np.nonzero(upright & (np.abs(middle - x) < 1e-9))[0]
    one, other, w = s.owner[:inner][faces], s.neighbour[faces], s.weight[faces]
    total = fields.pressure + 0.5 * (fields.velocity**2).sum(axis=1)
    flux = fields.flux[faces]
    return float(flux @ (w * total[one] + (1 - w) * total[other]) / flux.sum())


def loss(outcome: Outcome) -> float:
    """K: what is lost from just before the step to where the flow has come to rest, less what the wide pipe takes on the way."""
    fields = outcome.fields
    wide = Pipe(REYNOLDS / WIDE).colebrook * AFTER / WIDE * 0.5 / WIDE**4
    return (head(fields, -0.05) - head(fields, AFTER) - wide) / 0.5


def run() -> list[Found]:
    """At two heights of the first cell."""
    found: list[Found] = []
    for height in (30.0, 60.0):
        outcome = flow(height)
        mesh = f"wedge of {outcome.fields.mesh.cell_count} cells, first centre at y⁺ {height:g} or less"
        found.append(Comparison("K", "Borda 1766, Carnot 1803", (1 - WIDE**-2) ** 2, loss(outcome), TOLERANCE, mesh))
    return found
