"""Flow that pressures at openings settle, in ducts without friction, where Bernoulli's equation is exact.

A contraction drawn through by a pressure outside: u = √(2 Δp/ρ) where it leaves. A fan that blows through a straight duct with a loss ζ at its
end: Δp(Q) = ζ ρ (Q/A)²/2, the operating point.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt
from typing import Any

from brook.core.checks import prepare
from brook.core.solve import Outcome
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

DENSITY, OUTSIDE = 1.2, 15.0
HEIGHT, NARROW, LENGTH, CELL = 0.2, 0.1, 0.8, 0.00625
SHUT, SLOPE, LOSS = 60.0, 200.0, 2.5  # Pa where nothing flows, Pa s/m³, and what the end takes of the dynamic pressure
SHARES, MASS, SHARED = (0.2, 0.3, 0.5), 0.3, 1e-9
DEPTH = 1.0  # m that a drawing is deep
BERNOULLI, EXACT = 5e-3, 1e-6
EVENS_OUT = 0.02  # Pa s: a flow that is the same everywhere between slipping walls feels none of it


def _flow(
    outer: dict[str, Any], shapes: list[dict[str, Any]], boundaries: list[dict[str, Any]], cell: float, viscosity: float,
    within: Sequence[dict[str, Any]] = (),
) -> Outcome:  # fmt: skip
    slipping = [{"kind": "slip", "patch": "wall"}]
    study = study_from(
        {
            "format": "brook-study", "version": 1, "title": "openings",
            "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": shapes}}],
            "mesh_plan": {"bulk": f"{cell} m", "wall": f"{cell} m"},
            "set_up": {"fluid": {"kind": "own", "density": f"{DENSITY} kg/m^3", "viscosity": f"{viscosity!r} Pa s"}, "boundaries": boundaries + slipping, "within": list(within)},
            "run_rules": {"residual": "1e-7", "monitor_change": "1e-6", "iterations": 4000},
        }
    )  # fmt: skip
    prepared = prepare(study, study.variants[0])
    return solve(study, prepared, make_mesh(prepared))


def _outer(length: float, height: float) -> dict[str, Any]:
    return {"name": "duct", "left": "0 m", "bottom": "0 m", "width": f"{length} m", "height": f"{height} m",
            "patches": {"left": "inlet", "right": "outlet", "bottom": "wall", "top": "wall"}}  # fmt: skip


def total_pressure() -> list[Found]:
    """A duct that narrows to half of its height along straight slopes; drawn in from rest, with nothing lost on the way."""
    first, last, step = 0.35 * LENGTH, 0.65 * LENGTH, (HEIGHT - NARROW) / 2
    upper = [
        (first, HEIGHT),
        (last, HEIGHT - step),
        (LENGTH + 0.1, HEIGHT - step),
        (LENGTH + 0.1, HEIGHT + 0.1),
        (first, HEIGHT + 0.1),
    ]
    shapes = [
        {
            "kind": "polygon", "name": name, "action": "take",
            "corners": [{"x": f"{x} m", "y": f"{y if name == 'above' else HEIGHT - y} m", "patch": "wall"} for x, y in upper],
        }
        for name in ("above", "below")
    ]  # fmt: skip
    said = [{"kind": "rest", "patch": "inlet", "pressure": f"{OUTSIDE} Pa"}, {"kind": "pressure", "patch": "outlet"}]
    outcome = _flow(_outer(LENGTH, HEIGHT), shapes, said, CELL, 1e-9)
    fields = outcome.fields
    words = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations"
    speed = sqrt(2 * OUTSIDE / DENSITY)
    inlet = fields.stencil.boundary_faces(fields.mesh.patch("inlet"))
    return [
        Comparison(
            "speed where it leaves / m/s",
            "Bernoulli, exact",
            speed,
            fields.flow("outlet") / (NARROW * DEPTH),
            BERNOULLI,
            words,
        ),
        Comparison(
            "pressure where it enters / Pa",
            "Bernoulli, exact",
            OUTSIDE * (1 - (NARROW / HEIGHT) ** 2),
            float(fields.boundary_pressure[inlet].mean()),
            BERNOULLI,
            words,
        ),
    ]


def fan_duct() -> list[Found]:
    """The operating point of a fan whose curve is a straight line."""
    said = [{"kind": "fan", "patch": "inlet", "rise": f"{SHUT} Pa - {SLOPE} Pa s/m^3 * Q"}, {"kind": "pressure", "patch": "outlet", "loss": f"{LOSS}"}]  # fmt: skip
    outcome = _flow(_outer(LENGTH, HEIGHT), [], said, HEIGHT / 8, EVENS_OUT)
    a = LOSS * DENSITY / (2 * (HEIGHT * DEPTH) ** 2)
    flow = (-SLOPE + sqrt(SLOPE**2 + 4 * a * SHUT)) / (2 * a)
    words = f"{outcome.fields.mesh.cell_count} cells, {outcome.iterations} iterations"
    rise = float(outcome.fields.pressure.mean())
    # one that stands half way along draws from rest, which takes the dynamic pressure once more
    within = [{"kind": "blower", "axis": "x", "at": f"{LENGTH / 2} m", "rise": f"{SHUT} Pa - {SLOPE} Pa s/m^3 * Q"}]
    drawn = _flow(
        _outer(LENGTH, HEIGHT),
        [],
        [{"kind": "rest", "patch": "inlet", "pressure": "0 Pa"}, said[1]],
        HEIGHT / 8,
        EVENS_OUT,
        within,
    )
    b = a * (1 + LOSS) / LOSS
    through = (-SLOPE + sqrt(SLOPE**2 + 4 * b * SHUT)) / (2 * b)
    found = drawn.fields.flow("outlet")
    told = f"{drawn.fields.mesh.cell_count} cells, {drawn.iterations} iterations"
    return [
        Comparison(
            "volume flow of the operating point / m³/s", "exact", flow, outcome.fields.flow("outlet"), EXACT, words
        ),
        Comparison("pressure rise there / Pa", "exact", SHUT - SLOPE * flow, rise, EXACT, words),
        Comparison("volume flow of one within the duct / m³/s", "exact", through, found, EXACT, told),
    ]


def shares() -> list[Found]:
    """A gas that cools on its way leaves a box through three arms with given shares of its mass."""
    arms = [
        {
            "name": f"arm{k}", "action": "add", "left": f"{0.1 + 0.25 * k} m", "bottom": f"{HEIGHT - 0.02} m", "width": "0.1 m", "height": "0.2 m",
            "patches": {"left": "wall", "right": "wall", "bottom": "wall", "top": f"branch_{k}"},
        } for k in range(len(SHARES))
    ]  # fmt: skip
    outer = _outer(LENGTH, HEIGHT) | {"patches": {"left": "inlet", "right": "wall", "bottom": "wall", "top": "wall"}}
    said = [{"kind": "mass", "patch": "inlet", "mass_flow": f"{MASS} kg/s"}]
    said += [{"kind": "share", "patch": f"branch_{k}", "share": f"{share}"} for k, share in enumerate(SHARES)]
    warm = [{"kind": "temperature", "patch": "inlet", "temperature": "400 K"}, {"kind": "temperature", "patch": "wall", "temperature": "300 K"}]  # fmt: skip
    study = study_from(
        {
            "format": "brook-study", "version": 1, "title": "shares",
            "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": arms}}],
            "mesh_plan": {"bulk": "0.02 m", "wall": "0.02 m"},
            "set_up": {"fluid": {"kind": "gas", "viscosity": "0.01 Pa s", "conductivity": "1 W/(m K)"}, "boundaries": said,
                       "heat": {"start": "300 K", "buoyancy": "density", "gravity_y": "0 m/s^2", "patches": warm}},
        }
    )  # fmt: skip
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    fields = outcome.fields
    words = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations"
    found: list[Found] = []
    for k, share in enumerate(SHARES):
        here = fields.stencil.boundary_faces(fields.mesh.patch(f"branch_{k}"))
        mass = float(fields.flux[fields.stencil.inner :][here].sum())
        found.append(Comparison(f"mass flow of {100 * share:g} % / kg/s", "exact", share * MASS, mass, SHARED, words))
    return found
