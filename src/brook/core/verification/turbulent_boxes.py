"""Turbulent flow and heat in a pipe on an automatic mesh of boxes with layers: friction after Colebrook (1939), heat after Gnielinski (1976),
far behind where it comes in developed."""

from __future__ import annotations

from functools import cache

import numpy as np

from brook.core.solve import Outcome
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found
from brook.core.verification.turbulent_channel import CONDUCTIVITY, FLUX
from brook.core.verification.turbulent_pipe import FRICTION, WARMTH, Pipe

PIPE = Pipe(1e5, prandtl=0.71, height=30.0)
LENGTH, FROM, TO = 22.0, 17.0, 20.0  # in diameters of 1 m: of the pipe, and between which it is measured
SIZE, LAYERS, GROWTH = 0.08, 5, 1.25


@cache
def flow(pipe: Pipe = PIPE, size: float = SIZE, layers: int = LAYERS) -> Outcome:
    """Warmed by the same flux everywhere."""
    assert pipe.prandtl is not None
    patches = {"start": "begin", "end": "end", "side": "wall"}
    part = {
        "kind": "cylinder",
        "name": "pipe",
        "axis": "x",
        "diameter": "1 m",
        "length": f"{LENGTH} m",
        "around": 96,
        "patches": patches,
    }
    viscosity = 1 / pipe.reynolds
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{viscosity!r} Pa s", "conductivity": f"{CONDUCTIVITY} W/(m K)",
             "heat_capacity": f"{pipe.prandtl * CONDUCTIVITY / viscosity!r} J/(kg K)"}  # fmt: skip
    study = study_from({
        "format": "brook-study", "version": 1, "title": "pipe",
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [part],
                      "bodies": [{"name": "water", "x": "1 m", "y": "0 m", "z": "0 m"}]}}],
        "mesh_plan": {"way": "boxes", "bulk": f"{size} m", "wall": f"{size} m", "layers": {
            "patches": ["wall"], "number": layers, "height_of": "y_plus", "y_plus": f"{pipe.height}", "speed": "1 m/s", "long": "1 m", "growth": f"{GROWTH}"}},
        "set_up": {
            "fluid": fluid, "turbulence": {"incoming": {"kind": "duct", "diameter": "1 m"}},
            "boundaries": [{"kind": "velocity", "patch": "begin", "speed": "1 m/s", "profile": "developed"}, {"kind": "pressure", "patch": "end"}],
            "heat": {"start": "20 degC", "patches": [{"kind": "temperature", "patch": "begin", "temperature": "20 degC"},
                                                     {"kind": "flux", "patch": "wall", "flux": f"{FLUX} W/m^2"}]}},
        "run_rules": {"residual": "1e-5", "iterations": 600},
    })  # fmt: skip
    prepared, surface = ready(study, "a")
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def friction(outcome: Outcome) -> float:
    """f = 8 τ/(ρ U²) by the shear of the wall, along the stretch that is measured."""
    here, _, area = _stretch(outcome)
    return 8 * float(area @ outcome.fields.more["friction_velocity"][1][here] ** 2 / area.sum())


def nusselt(outcome: Outcome) -> float:
    """By the flux, the mean temperature of the wall there and that of the flow."""
    fields = outcome.fields
    inside, boundary = fields.more["temperature"]
    here, within, area = _stretch(outcome)
    weight = fields.mesh.volume[within] * fields.velocity[within, 0]
    wall, mean = float(area @ boundary[here] / area.sum()), float(weight @ inside[within] / weight.sum())
    return FLUX / (CONDUCTIVITY * (wall - mean))


def _stretch(outcome: Outcome) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Boundary faces of the wall between both places, which cells lie there, and the areas of the faces."""
    fields = outcome.fields
    patch = fields.mesh.patch("wall")
    along = fields.mesh.face_centres(patch.faces)[:, 0]
    there = (along > FROM) & (along < TO)
    middle = fields.mesh.centre[:, 0]
    boundary = np.arange(fields.stencil.boundary_count)[fields.stencil.boundary_faces(patch)]
    return boundary[there], (middle > FROM) & (middle < TO), fields.mesh.face_areas(patch.faces)[there]


def run() -> list[Found]:
    """Friction and heat."""
    outcome = flow()
    mesh = f"{outcome.fields.mesh.cell_count} cells of boxes with {LAYERS} layers, first centre at y⁺ {PIPE.height:g} or about"
    return [
        Comparison("f, Re 1e+05", "Colebrook 1939", PIPE.colebrook, friction(outcome), FRICTION, mesh),
        Comparison("Nu, Re 1e+05, Pr 0.71", "Gnielinski 1976", PIPE.gnielinski, nusselt(outcome), WARMTH, mesh),
    ]
