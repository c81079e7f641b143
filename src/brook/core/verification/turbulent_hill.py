"""Turbulent flow over a row of hills without end: where it leaves the back of one and where it comes back to the floor.

Hills of height h every 9 h in a channel of 3.035 h, Re 10 595 by h and the mean speed over a crest. Their shape and the flow: Mellen,
Fröhlich & Rodi (2000), Fröhlich et al. (2005, J. Fluid Mech. 526), who found 4.7 h by large eddies. Models of two equations hold the eddy
open for longer; with k-ω SST published figures lie between 7.5 and 7.8 h, and that is what has to come out.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Curve, Found
from brook.core.verification.rows import between, rows
from brook.core.verification.turbulent_step import floor, reattachment

REYNOLDS, LENGTH, HIGH = 10_595.0, 9.0, 3.035  # lengths over the hill
SOURCE, KNOWN, TOLERANCE = "k-ω SST, published comparisons", 7.65, 0.08
SHEAR = 0.06  # u_τ over the mean speed, about
PIECES = (  # up to x in mm on a hill of 28 mm: the coefficients of a cubic
    (9.0, (28.0, 0.0, 6.775070969851e-3, -2.124527775800e-3)),
    (14.0, (25.07355893131, 0.9754803562315, -0.1016116352781, 1.889794677828e-3)),
    (20.0, (25.79601052357, 0.8206693007457, -9.055370274339e-2, 1.626510569859e-3)),
    (30.0, (40.46435022819, -1.379581654948, 1.945884504128e-2, -2.070318932190e-4)),
    (40.0, (17.92461334664, 0.8743920332081, -5.567361123058e-2, 6.277731764683e-4)),
    (54.0, (56.39011190988, -2.010520359035, 1.644919857549e-2, 2.674976141766e-5)),
)


def hill(x: np.ndarray) -> np.ndarray:
    """Height of the floor (n,) at x (n,) from a crest, both over the hill's."""
    at = 28.0 * np.minimum(x, LENGTH - x)
    high = np.zeros(len(x))
    begin = -np.inf
    for end, (a, b, c, d) in PIECES:
        here = (at > begin) & (at <= end)
        high[here] = a + b * at[here] + c * at[here] ** 2 + d * at[here] ** 3
        begin = end
    return np.clip(high / 28.0, 0.0, 1.0)


@cache
def flow(height: float, along: int = 120) -> Outcome:
    """With the first centre at about a y⁺, on so many cells along a period."""
    outer = {"name": "channel", "left": "0 m", "bottom": "0 m", "width": f"{LENGTH} m", "height": f"{HIGH} m",
             "patches": {"left": "begin", "right": "end", "bottom": "floor", "top": "roof"}}  # fmt: skip
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{1 / REYNOLDS!r} Pa s"}
    study = study_from({
        "format": "brook-study", "version": 1, "title": "hills",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": "1 m", "wall": "1 m", "pairs": [{"kind": "shift", "patch": "begin", "x": f"{LENGTH} m"}]},
        "set_up": {"fluid": fluid, "turbulence": {}, "boundaries": [
            {"kind": "periodic", "patch": "begin", "drive": "mass_flow", "mass_flow": f"{0.1 * (HIGH - 1)} kg/s"}]},
        "run_rules": {"residual": "1e-5", "iterations": 3000},
    })  # fmt: skip
    x = np.linspace(0.0, LENGTH, along + 1)
    y = between(2 * height / (REYNOLDS * SHEAR), 1.15, HIGH, 9.0 / along)

    def raised(flat: np.ndarray) -> np.ndarray:
        low = hill(flat[:, 0])
        return np.c_[flat[:, 0], low + flat[:, 1] * (1 - low / HIGH)]

    mesh = rows(x, y, {"left": [("begin", np.inf)], "right": [("end", np.inf)], "bottom": [("floor", np.inf)], "top": [("roof", np.inf)]},
                placed=raised)  # fmt: skip
    return solve(study, prepare(study, study.variants[0]), mesh)


def run() -> list[Found]:
    """At two heights of the first cell."""
    found: list[Found] = []
    for height in (1.0, 4.0):
        outcome = flow(height)
        mesh = f"{outcome.fields.mesh.cell_count} cells, first centre at y⁺ {height:g} or about"
        what = f"x_r/h of this model (4.7 by large eddies), y⁺ {height:g}"
        found.append(Comparison(what, SOURCE, KNOWN, reattachment(outcome), TOLERANCE, mesh))
    x, friction = floor(flow(1.0), 1.0)
    found.append(
        Curve.of(
            "Floor between hills", "x/h", "c_f", (x, friction), ([0.22, KNOWN], [0.0, 0.0]), "separation, reattachment"
        )
    )
    return found
