"""Developed channel flow of liquids that thin, thicken or yield: exact pressure gradients and velocities in the middle."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.optimize import brentq

from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.verification.case import Comparison, Found

VISCOSITY, HALF, YIELD = 0.05, 0.5, 0.1
SOURCE = "Bird, Armstrong & Hassager 1987, exact"


def study(law: dict[str, str], density: float = 0.1, rows: int = 24) -> Study:
    """The lower half of a channel 1 m high and 6 m long with a mean speed of 1 m/s, its middle at the bottom."""
    sheet: dict[str, Any] = {"kind": "sheet", "name": "channel", "columns": [{"to": "6 m", "cells": 48}],
                             "rows": [{"to": f"{HALF} m", "cells": rows}]}  # fmt: skip
    return Study.model_validate({
        "title": "channel", "variants": [{"name": "a", "title": "Channel", "geometry": {"kind": "space", "parts": [sheet]}}],
        "run_rules": {"residual": "1e-6"},
        "set_up": {
            "fluid": {"kind": "own", "density": f"{density} kg/m^3", "viscosity": f"{VISCOSITY} Pa s", "law": law},
            "boundaries": [{"kind": "velocity", "patch": "left", "speed": "1 m/s"}, {"kind": "pressure", "patch": "right"},
                           {"kind": "symmetry", "patch": "bottom"}],
        },
    })  # fmt: skip


def measured(case: Study) -> tuple[float, float, str]:
    """Pressure gradient in Pa/m and velocity in the middle in m/s where the flow is developed, and on which mesh."""
    prepared, surface = ready(case, "a")
    outcome = solve(case, prepared, meshed(case, prepared, surface, lambda _: None))
    fields = outcome.fields
    x, y, _ = fields.mesh.centre.T
    there = (x > 3.5) & (x < 5.5)
    slope = np.polyfit(x[there], fields.pressure[there], 1)[0]
    middle = fields.velocity[there & (y < y.min() + 1e-9), 0].mean()
    mesh = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"
    return float(-slope), float(middle), mesh


def power_law(index: float) -> tuple[float, float]:
    """Pressure gradient and velocity in the middle of a power law of VISCOSITY at 1/s."""
    gradient = VISCOSITY / HALF * ((2 * index + 1) / index / HALF) ** index
    return gradient, (2 * index + 1) / (index + 1)


def bingham() -> tuple[float, float]:
    """The same of a liquid of even viscosity beyond a yield stress: a plug in the middle."""

    def mean(gradient: float) -> float:
        sheared = HALF - YIELD / gradient
        return gradient / (2 * VISCOSITY) * sheared**2 * (1 - sheared / (3 * HALF))

    found = float(brentq(lambda gradient: mean(gradient) - 1, 1.001 * YIELD / HALF, 10.0))
    return found, found / (2 * VISCOSITY) * (HALF - YIELD / found) ** 2


def run() -> list[Found]:
    """Liquids whose viscosity depends on shear, in a channel."""
    cases = [(f"power {n}", {"kind": "power", "index": str(n)}, power_law(n)) for n in (0.5, 1.5)]
    cases.append(
        ("yield stress", {"kind": "yielding", "index": "1", "yield_stress": f"{YIELD} Pa", "time": "300 s"}, bingham())
    )
    found: list[Found] = []
    for name, law, (gradient, middle) in cases:
        slope, speed, mesh = measured(study(law))
        found.append(Comparison(f"pressure gradient, {name} / Pa/m", SOURCE, gradient, slope, 0.01, mesh))
        found.append(Comparison(f"velocity in the middle, {name}", SOURCE, middle, speed, 0.01, mesh))
    return found
