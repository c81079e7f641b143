"""Lid-driven square cavity.

Ghia, Ghia & Shin (1982): extrema of u on the vertical and of v on the horizontal mid-line;
Botella & Peyret (1998) for Re 1000. Differences are in shares of the lid speed.
"""

from __future__ import annotations

import numpy as np

from brook.core.checks import prepare
from brook.core.pipeline import make_mesh, solve
from brook.core.results.quantities import View
from brook.core.solve import Fields
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison

GHIA = "Ghia, Ghia & Shin 1982"
SPECTRAL = "Botella & Peyret 1998"
# u_min on the vertical mid-line, v_max and v_min on the horizontal one
FIGURES = {
    100: [(GHIA, -0.21090, 0.17527, -0.24533)],
    400: [(GHIA, -0.32726, 0.30203, -0.44993)],
    1000: [(GHIA, -0.38289, 0.37095, -0.51550), (SPECTRAL, -0.38857, 0.37694, -0.52708)],
}
CELLS = {100: 64, 400: 96, 1000: 128}
TOLERANCE = 0.01


def study(reynolds: float, cells: int) -> Study:
    """A cavity of side 1 m and lid speed 1 m/s with cells² cells."""
    return study_from(
        {
            "format": "brook-study",
            "version": 1,
            "title": "cavity",
            "variants": [
                {
                    "name": "cavity",
                    "title": "Cavity",
                    "geometry": {
                        "outer": {
                            "name": "cavity",
                            "left": "0 m",
                            "bottom": "0 m",
                            "width": "1 m",
                            "height": "1 m",
                            "patches": {"left": "side", "right": "side", "bottom": "side", "top": "lid"},
                        }
                    },
                }
            ],
            "mesh_plan": {"bulk": f"{1 / cells} m", "wall": f"{1 / cells} m"},
            "set_up": {
                "fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{1 / reynolds} Pa s"},
                "boundaries": [{"kind": "sliding", "patch": "lid", "velocity_x": "1 m/s"}],
            },
            "run_rules": {"residual": "1e-6"},
        }
    )


def mid_line_extrema(fields: Fields) -> tuple[float, float, float]:
    """u_min on x = 0.5, v_max and v_min on y = 0.5, each the top of a parabola through three cells."""
    found = []
    view = View(fields)
    low, high = fields.mesh.cell_box
    for along, across, quantity in ((1, 0, "velocity_x"), (0, 1, "velocity_y")):
        line = np.nonzero((low[:, across] < 0.5 - 1e-9) & (high[:, across] >= 0.5 - 1e-9))[0]
        line = line[np.argsort(fields.mesh.centre[line, along])]
        value = view.values(quantity)[0][line]
        value = value + view.slope(quantity)[line, across] * (0.5 - fields.mesh.centre[line, across])
        place = fields.mesh.centre[line, along]
        found.append((_peak(place, value), -_peak(place, -value)))
    (_, u_min), (v_max, v_min) = found
    return u_min, v_max, v_min


def _peak(place: np.ndarray, value: np.ndarray) -> float:
    k = int(np.clip(np.argmax(value), 1, len(value) - 2))
    a, b, c = np.polyfit(place[k - 1 : k + 2], value[k - 1 : k + 2], 2)
    return float(c - b * b / (4 * a)) if a < 0 else float(value.max())


def run(reynolds: int) -> list[Comparison]:
    cells = CELLS[reynolds]
    case = study(reynolds, cells)
    prepared = prepare(case, case.variants[0])
    outcome = solve(case, prepared, make_mesh(prepared))
    measured = mid_line_extrema(outcome.fields)
    mesh = f"{cells}² cells, {outcome.iterations} iterations, {outcome.state}"
    names = ("u_min on the vertical mid-line", "v_max on the horizontal mid-line", "v_min on the horizontal mid-line")
    return [
        Comparison(f"{name} / lid speed", source, reference, value, TOLERANCE, mesh, scale=1.0)
        for source, *references in FIGURES[reynolds]
        for name, reference, value in zip(names, references, measured, strict=True)
    ]
