"""Developed turbulent flow in pipes, driven by a mass flow through a periodic pair: friction of smooth and rough walls after Colebrook
(1939), heat after Gnielinski (1976)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from math import log10, pi

import numpy as np

from brook.core.checks import prepare
from brook.core.mesh import Mesh
from brook.core.solve import Outcome
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found
from brook.core.verification.rows import grown, rows
from brook.core.verification.turbulent_channel import CONDUCTIVITY, FLUX, nusselt

LENGTH, WEDGE = 0.1, 0.05  # of a period, in m, and an angle in rad
FRICTION, WARMTH, ALIKE, WARMTH_ALIKE = 0.04, 0.10, 0.05, 0.08
ROUGH, ROUGH_HEIGHT = (1e-3, 1e-2), 30.0  # grains over the diameter, and y⁺ of the first centre on them


@dataclass(frozen=True)
class Pipe:
    """A Reynolds number, grains over the diameter, a Prandtl number where it is warmed, and y⁺ of the first centre."""

    reynolds: float
    grain: float = 0.0
    prandtl: float | None = None
    height: float = 1.0

    @property
    def colebrook(self) -> float:
        """f of 1/√f = −2 log₁₀(k/(3.71 D) + 2.51/(Re √f))."""
        f = 0.02
        for _ in range(60):
            f = (-2 * log10(self.grain / 3.71 + 2.51 / (self.reynolds * f**0.5))) ** -2
        return f

    @property
    def friction_reynolds(self) -> float:
        """u_τ D/ν by that."""
        return float(self.reynolds * (self.colebrook / 8) ** 0.5)

    @property
    def gnielinski(self) -> float:
        """Nu = (f/8)(Re − 1000) Pr/(1 + 12.7 √(f/8) (Pr^⅔ − 1))."""
        assert self.prandtl is not None
        eighth = self.colebrook / 8
        return eighth * (self.reynolds - 1000) * self.prandtl / (1 + 12.7 * eighth**0.5 * (self.prandtl ** (2 / 3) - 1))


def study_of(pipe: Pipe, geometry: dict | None = None, mass: float = WEDGE / 2 / 4) -> Study:
    """A pipe of 1 m, of a fluid of 1 kg/m³ at a mean speed of 1 m/s."""
    viscosity = 1 / pipe.reynolds
    capacity = (pipe.prandtl or 1.0) * CONDUCTIVITY / viscosity
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{viscosity!r} Pa s", "conductivity": f"{CONDUCTIVITY} W/(m K)",
             "heat_capacity": f"{capacity!r} J/(kg K)"}  # fmt: skip
    outer = {"name": "pipe", "left": "0 m", "bottom": "0 m", "width": f"{LENGTH} m", "height": "0.5 m",
             "patches": {"left": "begin", "right": "end", "bottom": "axis", "top": "wall"}}  # fmt: skip
    heat = {"patches": [{"kind": "flux", "patch": "wall", "flux": f"{FLUX} W/m^2"},
                        {"kind": "returning", "patch": "begin", "temperature": "20 degC"}]}  # fmt: skip
    rough = [{"patch": "wall", "height": f"{pipe.grain!r} m"}] if pipe.grain else []
    return study_from({
        "format": "brook-study", "version": 1, "title": "pipe",
        "variants": [{"name": "a", "title": "A", "geometry": geometry or {"outer": outer}}],
        "mesh_plan": {"bulk": "0.1 m", "wall": "0.1 m", "pairs": [{"kind": "shift", "patch": "begin", "x": f"{LENGTH} m"}]},
        "set_up": {"fluid": fluid, "turbulence": {"rough": rough}, "boundaries": [
            {"kind": "periodic", "patch": "begin", "drive": "mass_flow", "mass_flow": f"{mass!r} kg/s"}],
            **({"heat": heat} if pipe.prandtl else {})},
        "run_rules": {"residual": "1e-7", "iterations": 2000},
    })  # fmt: skip


def mesh_of(pipe: Pipe) -> Mesh:
    """A wedge of cells whose first centre lies at a y⁺."""
    y = 0.5 - grown(2 * pipe.height / pipe.friction_reynolds, 1.15, 0.5, 0.025)[::-1]
    y[0] = 0.0
    sides = {"left": [("begin", np.inf)], "right": [("end", np.inf)], "top": [("wall", np.inf)]}
    return rows(np.array([0.0, LENGTH]), y, sides, turned=WEDGE)


@cache
def flow(pipe: Pipe) -> Outcome:
    """In the wedge."""
    study = study_of(pipe)
    return solve(study, prepare(study, study.variants[0]), mesh_of(pipe))


@cache
def round_flow(pipe: Pipe, across: int = 12, first: float = 0.01) -> Outcome:
    """In the whole pipe of cells in rows, whose first is so high over the wall, in m."""
    patches = {"start": "begin", "end": "end", "side": "wall"}
    path = [{"x": "0 m", "y": "0 m", "z": "0 m"}, {"x": f"{LENGTH} m", "y": "0 m", "z": "0 m"}]
    part = {"kind": "tube", "name": "pipe", "diameter": "1 m", "path": path, "across": across, "patches": patches, "along": {"cells": 2},
            "outward": {"cells": across, "last": f"{first} m"}}  # fmt: skip
    study = study_of(pipe, {"kind": "space", "parts": [part]}, pi / 4)
    prepared, surface = ready(study, "a")
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def friction(outcome: Outcome) -> float:
    """f = 8 τ/(ρ U²), by what drives the flow."""
    fields = outcome.fields
    drop = float(outcome.checkpoint.state["drive"]["drops"][0])
    area = float(fields.mesh.face_areas(fields.mesh.patch("begin").faces).sum())
    mean = -fields.mass_flow("begin") / area
    return 2 * drop / (LENGTH * mean**2)


def run() -> list[Found]:
    """Smooth, rough, warmed, and a whole pipe of cells in rows."""
    found: list[Found] = []
    for reynolds in (2e4, 1e5, 1e6):
        for height in (1.0, 30.0):
            pipe = Pipe(reynolds, height=height)
            if height > 0.1 * pipe.friction_reynolds / 2:
                continue
            outcome = flow(pipe)
            mesh = f"wedge of {outcome.fields.mesh.cell_count} cells, first centre at y⁺ {height:g}"
            found.append(
                Comparison(
                    f"f, Re {reynolds:.0e}, y⁺ {height:g}",
                    "Colebrook 1939",
                    pipe.colebrook,
                    friction(outcome),
                    FRICTION,
                    mesh,
                )
            )
    for grain in ROUGH:
        for reynolds in (1e5, 1e6):
            pipe, fine = (Pipe(reynolds, grain, height=height) for height in (ROUGH_HEIGHT, 1.0))
            outcome, what = flow(pipe), f"f, Re {reynolds:.0e}, grains of {grain:g} D"
            mesh = f"wedge of {outcome.fields.mesh.cell_count} cells, first centre at y⁺ {ROUGH_HEIGHT:g}"
            found.append(Comparison(what, "Colebrook 1939", pipe.colebrook, friction(outcome), FRICTION, mesh))
            ratio, mesh = (
                friction(flow(fine)) / friction(outcome),
                f"wedge of {flow(fine).fields.mesh.cell_count} cells",
            )
            found.append(
                Comparison(f"{what}, first centre at y⁺ 1, over y⁺ {ROUGH_HEIGHT:g}", "itself", 1.0, ratio, ALIKE, mesh)
            )
    for prandtl in (0.71, 5.0):
        for reynolds in (2e4, 1e5):
            pipe = Pipe(reynolds, prandtl=prandtl)
            outcome = flow(pipe)
            mesh = f"wedge of {outcome.fields.mesh.cell_count} cells, first centre at y⁺ 1"
            what = f"Nu, Re {reynolds:.0e}, Pr {prandtl:g}"
            found.append(Comparison(what, "Gnielinski 1976", pipe.gnielinski, nusselt(outcome), WARMTH, mesh))
    whole = round_flow(Pipe(1e5))
    mesh = f"pipe of {whole.fields.mesh.cell_count} cells in rows"
    found.append(
        Comparison("f, Re 1e+05, whole pipe", "Colebrook 1939", Pipe(1e5).colebrook, friction(whole), FRICTION, mesh)
    )
    return found
