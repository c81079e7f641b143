"""Lid-driven square cavity.

Ghia, Ghia & Shin (1982): extrema of u on the vertical and of v on the horizontal mid-line;
Botella & Peyret (1998) for Re 1000. Differences are in shares of the lid speed.
"""

from __future__ import annotations

import numpy as np

from brook.core.checks import prepare
from brook.core.results.quantities import View
from brook.core.solve import Fields
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Curve, Found

GHIA = "Ghia, Ghia & Shin 1982"
SPECTRAL = "Botella & Peyret 1998"
# u_min on the vertical mid-line, v_max and v_min on the horizontal one
FIGURES = {
    100: [(GHIA, -0.21090, 0.17527, -0.24533)],
    400: [(GHIA, -0.32726, 0.30203, -0.44993)],
    1000: [(GHIA, -0.38289, 0.37095, -0.51550), (SPECTRAL, -0.38857, 0.37694, -0.52708)],
}
# where these stand: the height of u_min, the places of v_max and v_min
PLACES = {100: (0.4531, 0.2344, 0.8047), 400: (0.2813, 0.2266, 0.8594), 1000: (0.1719, 0.1563, 0.9063)}
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


def mid_lines(fields: Fields) -> tuple[tuple[np.ndarray, np.ndarray], tuple[np.ndarray, np.ndarray]]:
    """Places and u on x = 0.5, places and v on y = 0.5."""
    found = []
    view = View(fields)
    low, high = fields.mesh.cell_box
    for along, across, quantity in ((1, 0, "velocity_x"), (0, 1, "velocity_y")):
        line = np.nonzero((low[:, across] < 0.5 - 1e-9) & (high[:, across] >= 0.5 - 1e-9))[0]
        line = line[np.argsort(fields.mesh.centre[line, along])]
        value = view.values(quantity)[0][line]
        value = value + view.slope(quantity)[line, across] * (0.5 - fields.mesh.centre[line, across])
        found.append((fields.mesh.centre[line, along], value))
    return found[0], found[1]


def mid_line_extrema(fields: Fields) -> tuple[float, float, float]:
    """u_min on x = 0.5, v_max and v_min on y = 0.5, each the top of a parabola through three cells."""
    (y, u), (x, v) = mid_lines(fields)
    return -_peak(y, -u), _peak(x, v), -_peak(x, -v)


def _peak(place: np.ndarray, value: np.ndarray) -> float:
    k = int(np.clip(np.argmax(value), 1, len(value) - 2))
    a, b, c = np.polyfit(place[k - 1 : k + 2], value[k - 1 : k + 2], 2)
    return float(c - b * b / (4 * a)) if a < 0 else float(value.max())


def run(reynolds: int) -> list[Found]:
    """The lid-driven square at a Reynolds number."""
    cells = CELLS[reynolds]
    case = study(reynolds, cells)
    prepared = prepare(case, case.variants[0])
    outcome = solve(case, prepared, make_mesh(prepared))
    measured = mid_line_extrema(outcome.fields)
    mesh = f"{cells}² cells, {outcome.iterations} iterations, {outcome.state}"
    names = ("u_min on the vertical mid-line", "v_max on the horizontal mid-line", "v_min on the horizontal mid-line")
    (y, u), (x, v) = mid_lines(outcome.fields)
    (_, u_min, v_max, v_min), up, (left, right) = FIGURES[reynolds][0], PLACES[reynolds][0], PLACES[reynolds][1:]
    return [
        *(
            Comparison(f"{name} / lid speed", source, reference, value, TOLERANCE, mesh, scale=1.0)
            for source, *references in FIGURES[reynolds]
            for name, reference, value in zip(names, references, measured, strict=True)
        ),
        Curve.of("Velocity along the vertical mid-line", "height / side", "u / lid speed", (y, u), ([up], [u_min]), GHIA),
        Curve.of("Velocity along the horizontal mid-line", "x / side", "v / lid speed", (x, v),
                 ([left, right], [v_max, v_min]), GHIA),
    ]  # fmt: skip
