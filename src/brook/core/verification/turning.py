"""Flows looked at from a frame that turns, where they are known exactly.

A vessel whose fluid turns along, with an opening at the pressure of solid rotation: nothing moves, p = ρ Ω² r²/2. A channel that turns about an axis across its flow: the
profile stays the parabola, and what passes presses on one wall, Δp = 2 ρ Ω q (Tritton 1988, Physical Fluid Dynamics). Plates that turn about what stands on
them: layers after Ekman (1905) on both, ν w'' − 2 i Ω w + G/ρ = 0 of w = u + i v.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.solve import Outcome
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

DENSITY, RATE, RADIUS = 2.0, 3.0, 0.5  # kg/m³, rad/s, m
STILL, ACROSS, LAYERS = 1e-8, 2e-3, 1e-2
VISCOSITY, GAP, PERIOD, FLOW = 0.02, 1.0, 0.2, 0.5  # Pa s, m, m, m²/s
THIN, DROP, CELL = 1 / 6, 1.0, 0.025  # thickness of a layer over half of the gap, Pa/m, m


def _run(geometry: dict[str, Any], cell: float, set_up: dict[str, Any], viscosity: float, pairs: Any = ()) -> Outcome:
    study = study_from(
        {
            "format": "brook-study", "version": 1, "title": "turning", "variants": [{"name": "a", "title": "A", "geometry": geometry}],
            "mesh_plan": {"bulk": f"{cell!r} m", "wall": f"{cell!r} m", "pairs": list(pairs)},
            "set_up": {"fluid": {"kind": "own", "density": f"{DENSITY} kg/m^3", "viscosity": f"{viscosity!r} Pa s"}, **set_up},
            "run_rules": {"residual": "1e-9", "monitor_change": "1e-9", "iterations": 3000},
        }
    )  # fmt: skip
    prepared, surface = ready(study, "a")
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def _vessel() -> list[Found]:
    """A box about its corner, open above, at the pressure that solid rotation has there."""
    outer = {"name": "box", "left": f"{-RADIUS / 2} m", "bottom": f"{-RADIUS / 4} m", "width": f"{1.5 * RADIUS} m", "height": f"{RADIUS} m",
             "patches": {"left": "wall", "right": "wall", "bottom": "wall", "top": "open"}}  # fmt: skip
    given = f"{DENSITY / 2} kg/m^3 * ({RATE} s^-1)^2 * (x^2 + y^2)"
    said = [{"kind": "pressure", "patch": "open", "pressure": given}, {"kind": "slip", "patch": "wall"}]
    outcome = _run({"outer": outer}, RADIUS / 16, {"boundaries": said, "frame": {"rate": f"{RATE} s^-1"}}, VISCOSITY)
    fields = outcome.fields
    exact = DENSITY * RATE**2 * (fields.mesh.centre[:, :2] ** 2).sum(axis=1) / 2
    words = f"{fields.mesh.cell_count} cells"
    fastest, off = float(np.abs(fields.velocity).max()), float(np.abs(fields.pressure - exact).max())
    return [
        Comparison("largest speed in solid rotation / m/s", "exact", 0.0, fastest, STILL, words, scale=RATE * RADIUS),
        Comparison(
            "largest error of its pressure / Pa", "exact", 0.0, off, STILL, words, scale=DENSITY * (RATE * RADIUS) ** 2
        ),
    ]


def _channel() -> list[Found]:
    """The pressure between the walls of a channel that turns about an axis across it."""
    sides = {"left": "begin", "right": "end", "bottom": "below", "top": "above"}
    outer = {"name": "channel", "left": "0 m", "bottom": f"{-GAP / 2} m", "width": f"{PERIOD} m", "height": f"{GAP} m", "patches": sides}  # fmt: skip
    said = [{"kind": "periodic", "patch": "begin", "drive": "mass_flow", "mass_flow": f"{DENSITY * FLOW} kg/s"}]
    outcome = _run(
        {"outer": outer}, GAP / 80, {"boundaries": said, "frame": {"rate": f"{RATE} s^-1"}}, VISCOSITY,
        [{"kind": "shift", "patch": "begin", "x": f"{PERIOD} m"}],
    )  # fmt: skip
    fields = outcome.fields
    below, above = (
        float(fields.boundary_pressure[fields.stencil.boundary_faces(fields.mesh.patch(name))].mean())
        for name in ("below", "above")
    )
    words = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations"
    fastest = float(fields.velocity[:, 0].max())
    return [
        Comparison("pressure from wall to wall / Pa", "Tritton 1988, exact", 2 * DENSITY * RATE * FLOW, below - above, ACROSS, words),
        Comparison("largest speed in the channel / m/s", "exact", 1.5 * FLOW / GAP, fastest, ACROSS, words),
    ]  # fmt: skip


def _plates() -> list[Found]:
    """What passes between plates that turn about what stands on them, along the drop and aside."""
    half = GAP / 2
    viscosity = DENSITY * RATE * (THIN * half) ** 2
    patches = {"west": "begin", "east": "end", "south": "near", "north": "far", "floor": "plate", "lid": "plate"}
    box = {"kind": "box", "name": "gap", "x": "0 m", "y": "0 m", "z": f"{-half} m", "width": f"{4 * CELL} m", "depth": f"{4 * CELL} m", "height": f"{GAP} m", "patches": patches}  # fmt: skip
    said = [{"kind": "periodic", "patch": "begin", "drop": f"{DROP * 4 * CELL} Pa"}, {"kind": "periodic", "patch": "near", "drive": "none"}]  # fmt: skip
    pairs = [{"kind": "shift", "patch": "begin", "x": f"{4 * CELL} m"}, {"kind": "shift", "patch": "near", "y": f"{4 * CELL} m"}]  # fmt: skip
    outcome = _run(
        {
            "kind": "space",
            "parts": [box],
            "bodies": [{"name": "fluid", "holds": "fluid", "x": f"{CELL} m", "y": f"{CELL} m", "z": "0 m"}],
        },
        CELL,
        {"boundaries": said, "frame": {"rate": f"{RATE} s^-1"}},
        viscosity,
        pairs,
    )
    fields = outcome.fields
    root = np.sqrt(2j * RATE * DENSITY / viscosity)
    mean = DROP / (2j * RATE * DENSITY) * (1 - np.tanh(root * half) / (root * half))
    share = fields.mesh.volume / fields.mesh.volume.sum()
    along, aside = (float(share @ fields.velocity[:, k]) for k in (0, 1))
    words = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations"
    return [
        Comparison("mean speed along the drop / m/s", "Ekman 1905, exact", mean.real, along, LAYERS, words),
        Comparison("mean speed aside / m/s", "Ekman 1905, exact", mean.imag, aside, LAYERS, words),
    ]


def run() -> list[Found]:
    """All three."""
    return [*_vessel(), *_channel(), *_plates()]
