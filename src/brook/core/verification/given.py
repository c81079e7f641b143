"""Values on boundaries by formula: of the place, Kovasznay (1948), and of the time, Womersley (1955) between plates."""

from __future__ import annotations

from math import pi, sqrt
from typing import Any

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

REYNOLDS = 40.0
LAMBDA = REYNOLDS / 2 - sqrt(REYNOLDS**2 / 4 + 4 * pi**2)
CELLS, ORDER = (0.05, 0.025, 0.0125), 1.9  # m, and what the finer two have to show
WOMERSLEY, GAP, FAR, PRESSURE, PERIODS, STEPS = (
    4.0,
    0.01,
    0.004,
    0.2,
    6,
    64,
)  # h/2 √(ω/ν), m, m, Pa, and steps in a period
DENSITY, VISCOSITY, CLOSE = 1000.0, 1e-6, 1e-2
ACROSS = 30


def _solved(raw: dict[str, Any]) -> Outcome:
    study = study_from({"format": "brook-study", "version": 1, "title": "given", **raw})
    prepared = prepare(study, study.variants[0])
    return solve(study, prepared, make_mesh(prepared))


def _rectangle(
    left: float, bottom: float, width: float, height: float, patches: dict[str, str]
) -> list[dict[str, Any]]:
    outer = {
        "name": "box",
        "left": f"{left} m",
        "bottom": f"{bottom} m",
        "width": f"{width} m",
        "height": f"{height} m",
        "patches": patches,
    }
    return [{"name": "a", "title": "A", "geometry": {"outer": outer}}]


def kovasznay(cell: float) -> Outcome:
    """The flow behind a grid in a box of 1.5 by 2 m, given all round."""
    along = f"1 m/s * (1 - exp({LAMBDA!r} * x / (1 m)) * cos(2 * pi * y / (1 m)))"
    across = f"{LAMBDA / (2 * pi)!r} m/s * exp({LAMBDA!r} * x / (1 m)) * sin(2 * pi * y / (1 m))"
    return _solved({
        "variants": _rectangle(-0.5, -0.5, 1.5, 2.0, dict.fromkeys(("left", "right", "bottom", "top"), "around")),
        "mesh_plan": {"bulk": f"{cell} m", "wall": f"{cell} m"},
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{1 / REYNOLDS} Pa s"}, "convection": "third",
                   "boundaries": [{"kind": "stream", "patch": "around", "velocity_x": along, "velocity_y": across}]},
        "run_rules": {"residual": "1e-8"},
    })  # fmt: skip


def _off(outcome: Outcome) -> float:
    """The root of the mean square by which the velocity is off, in m/s."""
    mesh = outcome.fields.mesh
    x, y, _ = mesh.centre.T
    exact = np.stack(
        [1 - np.exp(LAMBDA * x) * np.cos(2 * pi * y), LAMBDA / (2 * pi) * np.exp(LAMBDA * x) * np.sin(2 * pi * y)],
        axis=1,
    )
    square = ((outcome.fields.velocity[:, :2] - exact) ** 2).sum(axis=1)
    return float(np.sqrt(mesh.volume @ square / mesh.volume.sum()))


def profile() -> list[Found]:
    """The order of the error."""
    off = [_off(kovasznay(cell)) for cell in CELLS]
    order = float(np.log2(off[1] / off[2]))
    words = f"cells of {CELLS[1]:g} and {CELLS[2]:g} m, off by {off[1]:.2e} and {off[2]:.2e} m/s"
    return [Comparison("order in velocity, Kovasznay", "Kovasznay 1948, exact", ORDER, order, 0, words, at_least=True)]


def pulsating(periods: float) -> Outcome:
    """Water between plates that a pressure swings to and fro, from rest."""
    omega = VISCOSITY * (2 * WOMERSLEY / GAP) ** 2
    period, cell = 2 * pi / omega, GAP / ACROSS
    return _solved({
        "variants": _rectangle(0.0, 0.0, FAR, GAP, {"left": "inlet", "right": "outlet", "bottom": "plate", "top": "plate"}),
        "mesh_plan": {"bulk": f"{cell} m", "wall": f"{cell} m"},
        "set_up": {
            "fluid": {"kind": "own", "density": f"{DENSITY} kg/m^3", "viscosity": f"{DENSITY * VISCOSITY} Pa s"},
            "boundaries": [{"kind": "pressure", "patch": "inlet", "pressure": f"{PRESSURE} Pa * cos({omega!r} * t / (1 s))"}, {"kind": "pressure", "patch": "outlet"}],
            "timing": {"kind": "in_time", "duration": f"{periods * period!r} s", "steps": "fixed", "step": f"{period / STEPS!r} s",
                       "keep_every": f"{period!r} s", "averages": False, "residual": "1e-5"}},
    })  # fmt: skip


def exact_pulse(y: np.ndarray, phase: float) -> np.ndarray:
    """u (n,) in m/s at y (n,) in m from the middle: Re[ΔP/(i ρ ω L) (1 − cosh(√(iω/ν) y)/cosh(√(iω/ν) h/2)) e^(iφ)]."""
    omega = VISCOSITY * (2 * WOMERSLEY / GAP) ** 2
    root = np.sqrt(1j * omega / VISCOSITY)
    shape = 1 - np.cosh(root * y) / np.cosh(root * GAP / 2)
    found: np.ndarray = (PRESSURE / (1j * DENSITY * omega * FAR) * shape * np.exp(1j * phase)).real
    return found


def womersley() -> list[Found]:
    """The profile after six periods, and a quarter later."""
    found: list[Found] = []
    largest = max(
        float(np.abs(exact_pulse(np.linspace(-GAP / 2, GAP / 2, 201), phase)).max()) for phase in np.linspace(0, pi, 24)
    )
    for quarter, words in ((0, "as the pressure is largest"), (1, "a quarter later")):
        outcome = pulsating(PERIODS + quarter / 4)
        mesh = outcome.fields.mesh
        column = np.nonzero(np.abs(mesh.centre[:, 0] - FAR / 2) < GAP / ACROSS)[0]
        exact = exact_pulse(mesh.centre[column, 1] - GAP / 2, quarter * pi / 2)
        off = float(np.abs(outcome.fields.velocity[column, 0] - exact).max())
        found.append(
            Comparison(
                f"largest error of the profile / m/s, {words}",
                "Womersley 1955, exact",
                0.0,
                off,
                CLOSE,
                f"{ACROSS} across, {STEPS} steps in a period",
                scale=largest,
            )
        )
    return found
