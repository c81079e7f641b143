"""What stands or acts within a flow, where it is known exactly.

A porous body from wall to wall of a duct without friction: Δp = (μ/κ u + c ρ u²/2) L. A screen: Δp = ζ ρ u²/2. Heat that is set free in a closed
box for a while: all of it is found, Σ ρ c V (T − T₀) = P Δt. A heat exchanger: a stream leaves
at T + E (T' − T), and takes ρ Q c E (T' − T) along.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

DENSITY, VISCOSITY, SPEED = 1.2, 0.02, 2.0
LENGTH, HEIGHT, CELL = 0.4, 0.05, 0.01
BODY, PERMEABILITY, LOSS = (0.1, 0.2), 1e-8, 400.0  # m from where and how long, m², 1/m
SCREENS = (4.0, 1e6)  # times the dynamic pressure
CAPACITY, POWER, WINDOW, STEP = 1000.0, 20.0, (0.5, 1.5), 0.125  # J/(kg K), W, s, s
SHARES, COLD, BEYOND, DEEP, SHARE_OFF = (0.2, 0.6, 0.9), 293.15, 333.15, 0.12, 0.01  # effectiveness; K, K, m
EXACT, FOUND = 1e-6, 1e-8  # of pressures, which iterations come to, and of heat


def _study(variants: list[dict[str, Any]], set_up: dict[str, Any], **more: Any) -> Outcome:
    study = study_from(
        {
            "format": "brook-study", "version": 1, "title": "within", "variants": variants,
            "mesh_plan": {"bulk": f"{CELL} m", "wall": f"{CELL} m"},
            "set_up": {"fluid": {"kind": "own", "density": f"{DENSITY} kg/m^3", "viscosity": f"{VISCOSITY} Pa s",
                                 "heat_capacity": f"{CAPACITY} J/(kg K)", "conductivity": "0.03 W/(m K)"}, **set_up},
            "run_rules": {"residual": "1e-8", "monitor_change": "1e-8", "iterations": 2000}, **more,
        }
    )  # fmt: skip
    prepared = prepare(study, study.variants[0])
    return solve(study, prepared, make_mesh(prepared))


def _duct(patches: dict[str, str]) -> list[dict[str, Any]]:
    outer = {"name": "duct", "left": "0 m", "bottom": "0 m", "width": f"{LENGTH} m", "height": f"{HEIGHT} m", "patches": patches}  # fmt: skip
    return [{"name": "a", "title": "A", "geometry": {"outer": outer}}]


def _drop(within: list[dict[str, Any]]) -> tuple[float, str]:
    """The fall of pressure from the inlet to the outlet, in Pa."""
    said = [
        {"kind": "velocity", "patch": "inlet", "speed": f"{SPEED} m/s"}, {"kind": "pressure", "patch": "outlet"}, {"kind": "slip", "patch": "wall"},
    ]  # fmt: skip
    outcome = _study(
        _duct({"left": "inlet", "right": "outlet", "bottom": "wall", "top": "wall"}), {"boundaries": said, "within": within},
    )  # fmt: skip
    fields = outcome.fields
    inlet = fields.stencil.boundary_faces(fields.mesh.patch("inlet"))
    words = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations"
    return float(fields.boundary_pressure[inlet].mean()), words


def porous_plug() -> list[Found]:
    """The pressure that a porous body takes; and one of two layers, of which the second is a hundred times as dense."""
    first, long = BODY
    where = {"kind": "box", "x": f"{first} m", "y": f"{-HEIGHT} m", "width": f"{long} m", "depth": f"{3 * HEIGHT} m"}
    body = {"kind": "porous", "where": where, "permeability": f"{PERMEABILITY} m^2", "loss": f"{LOSS} 1/m"}
    exact = (VISCOSITY / PERMEABILITY * SPEED + LOSS * DENSITY * SPEED**2 / 2) * long
    found, words = _drop([body])
    behind = {**body, "where": {**where, "x": f"{first + long} m", "width": f"{long / 4} m"}, "permeability": f"{PERMEABILITY / 100} m^2"}  # fmt: skip
    denser = (100 * VISCOSITY / PERMEABILITY * SPEED + LOSS * DENSITY * SPEED**2 / 2) * long / 4
    both, words_of_both = _drop([body, behind])
    return [
        Comparison("pressure taken by a body / Pa", "Darcy, Forchheimer, exact", exact, found, EXACT, words),
        Comparison(
            "pressure taken by two layers / Pa", "Darcy, Forchheimer, exact", exact + denser, both, EXACT, words_of_both
        ),
    ]


def screen() -> list[Found]:
    """The pressure that a screen takes, weak and hardly open."""
    found: list[Found] = []
    for loss in SCREENS:
        drop, words = _drop([{"kind": "screen", "axis": "x", "at": f"{LENGTH / 2} m", "loss": f"{loss}"}])
        exact = loss * DENSITY * SPEED**2 / 2
        found.append(Comparison(f"pressure taken at ζ = {loss:g} / Pa", "exact", exact, drop, EXACT, words))
    return found


def source_window() -> list[Found]:
    """Heat that a ball in a closed box sets free for a second, and what is found after five."""
    ball = {"kind": "ball", "x": f"{LENGTH / 2} m", "y": f"{HEIGHT / 2} m", "diameter": f"{HEIGHT / 2} m"}
    power = f"{POWER} W * pulse(t, {WINDOW[0]} s, {WINDOW[1]} s)"
    found: list[Found] = []
    for order in ("first", "second"):
        outcome = _study(
            _duct(dict.fromkeys(("left", "right", "bottom", "top"), "wall")),
            {"boundaries": [{"kind": "sliding", "patch": "wall", "velocity_x": "0.01 m/s"}], "heat": {"start": "300 K"}, "within": [{"kind": "heating", "where": ball, "power": power}],
             "timing": {"kind": "in_time", "duration": "5 s", "steps": "fixed", "step": f"{STEP} s", "order": order, "keep_every": "5 s", "averages": False, "residual": "1e-9", "repeats": 60}},
        )  # fmt: skip
        mesh, temperature = outcome.fields.mesh, outcome.fields.more["temperature"][0]
        held = DENSITY * CAPACITY * float(mesh.volume @ (temperature - 300.0))
        words = f"{mesh.cell_count} cells, {outcome.iterations} steps"
        exact = POWER * (WINDOW[1] - WINDOW[0])
        found.append(
            Comparison(f"heat found, steps of {order} order / J", "energy balance, exact", exact, held, FOUND, words)
        )
    return found


def exchanger() -> list[Found]:
    """How warm a stream leaves that goes through heat exchangers from a fifth to nine tenths of the way, twelve cells deep; and that all that enters is what it takes along."""
    where = {
        "kind": "box",
        "x": f"{LENGTH / 4} m",
        "y": f"{-HEIGHT} m",
        "width": f"{DEEP} m",
        "depth": f"{3 * HEIGHT} m",
    }
    said = [
        {"kind": "velocity", "patch": "inlet", "speed": f"{SPEED} m/s"},
        {"kind": "pressure", "patch": "outlet"},
        {"kind": "slip", "patch": "wall"},
    ]
    found: list[Found] = []
    for share in SHARES:
        piece = {"kind": "exchanger", "where": where, "deep": f"{DEEP} m", "takes": f"{share}", "other": f"{BEYOND} K"}
        outcome = _study(
            _duct({"left": "inlet", "right": "outlet", "bottom": "wall", "top": "wall"}),
            {"boundaries": said, "within": [piece], "heat": {"start": f"{COLD} K", "patches": [{"kind": "temperature", "patch": "inlet", "temperature": f"{COLD} K"}]}},
        )  # fmt: skip
        fields, words = outcome.fields, f"{outcome.fields.mesh.cell_count} cells, {outcome.iterations} iterations"
        at = fields.stencil.boundary_faces(fields.mesh.patch("outlet"))
        flux = fields.flux[fields.mesh.patch("outlet").faces]
        warmed = float(np.average(fields.more["temperature"][1][at], weights=flux)) - COLD
        given, taken = float(fields.more["heat"][1].sum()), CAPACITY * float(flux.sum()) * warmed
        found.append(
            Comparison(
                f"effectiveness of {share:g}",
                "Kays & London 1984, by definition",
                share,
                warmed / (BEYOND - COLD),
                SHARE_OFF,
                words,
            )
        )
        found.append(Comparison(f"heat given at {share:g} / W", "energy balance, exact", taken, given, EXACT, words))
    return found
