"""A turbulent layer along a flat plate: friction after Schultz-Grunow (1940), c_f = 0.370 (log₁₀ Re_x)^(−2.584), wherever the first cell
lies."""

from __future__ import annotations

from functools import cache

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Curve, Found
from brook.core.verification.rows import grown, rows

VISCOSITY, BEFORE, LONG, HIGH = 2e-7, 0.3, 1.15, 0.25  # Pa s and m, at 1 m/s of a fluid of 1 kg/m³
SHEAR = 0.04  # u_τ, about, in m/s, by which heights are chosen
HEIGHTS = (1.0, 3.0, 5.0, 11.0, 33.0, 109.0)
PLACES = (3e6, 5e6)
TOLERANCE = 0.04
SOURCE = "Schultz-Grunow 1940"


@cache
def flow(height: float) -> Outcome:
    """With the first centre at about a y⁺."""
    outer = {"name": "air", "left": f"{-BEFORE} m", "bottom": "0 m", "width": f"{BEFORE + LONG} m", "height": f"{HIGH} m",
             "patches": {"left": "begin", "right": "end", "bottom": "plate", "top": "far"}}  # fmt: skip
    openings = [{"side": "bottom", "patch": "before", "start": f"{-BEFORE} m", "end": "0 m"}]
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{VISCOSITY!r} Pa s"}
    study = study_from({
        "format": "brook-study", "version": 1, "title": "plate",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "openings": openings}}],
        "set_up": {"fluid": fluid, "turbulence": {"incoming": {"kind": "ratio", "intensity": "0.3 %", "ratio": "1"}}, "boundaries": [
            {"kind": "velocity", "patch": "begin", "speed": "1 m/s"}, {"kind": "pressure", "patch": "end"},
            {"kind": "symmetry", "patch": "before"}, {"kind": "symmetry", "patch": "far"}]},
        "run_rules": {"residual": "1e-6", "iterations": 1500},
    })  # fmt: skip
    y = grown(2 * height * VISCOSITY / SHEAR, 1.2, HIGH)
    x = np.concatenate([-grown(0.004, 1.3, BEFORE)[::-1], grown(0.004, 1.12, LONG, 0.04)[1:]])
    mesh = rows(x, y, {"left": [("begin", np.inf)], "right": [("end", np.inf)], "top": [("far", np.inf)],
                       "bottom": [("before", 0.0), ("plate", np.inf)]})  # fmt: skip
    return solve(study, prepare(study, study.variants[0]), mesh)


def friction(outcome: Outcome) -> tuple[np.ndarray, np.ndarray]:
    """Re_x and c_f along the plate."""
    fields = outcome.fields
    patch = fields.mesh.patch("plate")
    shear = fields.more["friction_velocity"][1][fields.stencil.boundary_faces(patch)] ** 2
    along = fields.mesh.face_centres(patch.faces)[:, 0]
    order = np.argsort(along)
    return along[order] / VISCOSITY, 2 * shear[order]


def known(reynolds: np.ndarray | float) -> np.ndarray:
    """c_f at Re_x."""
    return np.asarray(0.370 * np.log10(reynolds) ** -2.584)


def run() -> list[Found]:
    """Friction at three places, and its course of the finest."""
    found: list[Found] = []
    for height in HEIGHTS:
        outcome = flow(height)
        reynolds, measured = friction(outcome)
        mesh = f"{outcome.fields.mesh.cell_count} cells, first centre at y⁺ {height:g}"
        for place in PLACES:
            value = float(np.interp(place, reynolds, measured))
            found.append(
                Comparison(
                    f"c_f at Re_x {place / 1e6:g}·10⁶, y⁺ {height:g}",
                    SOURCE,
                    float(known(place)),
                    value,
                    TOLERANCE,
                    mesh,
                )
            )
    reynolds, measured = friction(flow(HEIGHTS[0]))
    points = np.geomspace(5e5, 5e6, 9)
    shown = reynolds > 2e5
    found.append(
        Curve.of(
            "Friction along a plate", "Re_x", "c_f", (reynolds[shown], measured[shown]), (points, known(points)), SOURCE
        )
    )
    return found
