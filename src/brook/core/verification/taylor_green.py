"""Decaying vortices between slipping walls, an exact solution of Taylor & Green (1937): the order in time."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brook.core.checks import prepare
from brook.core.numerics import Stencil
from brook.core.solve import FlowSolver, Settings, Timing, boundary_conditions, run_in_time
from brook.core.stages.meshing import make_mesh
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

SOURCE = "Taylor & Green 1937, exact"
VISCOSITY = 0.05
DURATION = 2.0
CELLS = 48


def study(cells: int) -> Study:
    """The square of vortices with so many cells each way."""
    side = np.pi
    outer = {"name": "square", "left": "0 m", "bottom": "0 m", "width": f"{side!r} m", "height": f"{side!r} m",
             "patches": {"left": "left", "right": "right", "bottom": "floor", "top": "lid"}}  # fmt: skip
    slip = [{"kind": "slip", "patch": name} for name in ("left", "right", "floor")]
    moving = [{"kind": "sliding", "patch": "lid"}]  # something has to drive a study; it is taken out below
    return study_from({
        "format": "brook-study", "version": 1, "title": "vortices",
        "variants": [{"name": "vortices", "title": "Vortices", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": f"{side / cells!r} m", "wall": f"{side / cells!r} m", "growth": "1.1"},
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{VISCOSITY} Pa s"},
                   "boundaries": slip + moving, "convection": "central"},
    })  # fmt: skip


def velocity(place: np.ndarray, time: float) -> np.ndarray:
    """u = sin x cos y, v = -cos x sin y, both times exp(-2 ν t), at places (n, 3)."""
    x, y = place[:, 0], place[:, 1]
    fade = np.exp(-2 * VISCOSITY * time)
    return fade * np.stack([np.sin(x) * np.cos(y), -np.cos(x) * np.sin(y), 0 * x], axis=1)


@dataclass(frozen=True, eq=False)
class Decay:
    """The flow on its mesh, to be started again and again."""

    cells: int = CELLS

    def flow(self) -> FlowSolver:
        """The flow at its start."""
        case = study(self.cells)
        prepared = prepare(case, case.variants[0])
        stencil = Stencil(make_mesh(prepared))
        walls = prepared.boundaries
        for wall in walls:
            wall.kind = "slip"
        assert prepared.fluid is not None
        flow = FlowSolver(stencil, prepared.fluid, boundary_conditions(stencil, walls), settings=Settings("central", pressure_tolerance=1e-3))  # fmt: skip
        flow.reference_speed = 1.0
        flow.velocity = velocity(stencil.mesh.centre, 0.0)
        faces = stencil.mesh.face_centres(slice(stencil.active))
        flow.flux = np.einsum("ij,ij->i", velocity(faces, 0.0), stencil.area)
        x, y = stencil.mesh.centre[:, 0], stencil.mesh.centre[:, 1]
        flow.start_pressure((np.cos(2 * x) + np.cos(2 * y)) / 4)
        return flow

    def after(self, step: float, order: int) -> tuple[np.ndarray, Stencil]:
        """The velocity (C, 3) at the end, reached by steps of a length in s."""
        flow = self.flow()
        timing = Timing(DURATION, "fixed", step, order=2 if order == 2 else 1, outer=30, residual=1e-8)
        return run_in_time(flow, timing, {}).fields.velocity, flow.stencil


def observed(order: int, steps: tuple[float, float, float]) -> float:
    """The order in time that three halved steps show, whatever the mesh's own error is."""
    found = [Decay().after(step, order)[0] for step in steps]
    before, after = (float(np.sqrt(((a - b) ** 2).mean())) for a, b in pairwise(found))
    return float(np.log2(before / after))


def run() -> list[Found]:
    """Orders of accuracy in time."""
    steps = (0.2, 0.1, 0.05)
    mesh = f"{CELLS}² cells, steps of {', '.join(f'{s:g}' for s in steps)} s"
    end, stencil = Decay().after(steps[-1], 2)
    wanted = velocity(stencil.mesh.centre, DURATION)
    energy, exact = (float((stencil.mesh.volume[:, None] * u**2).sum()) for u in (end, wanted))
    return [
        Comparison("order in time, second-order differences", SOURCE, 1.9, observed(2, steps), 0, mesh, at_least=True),
        Comparison("order in time, implicit Euler", SOURCE, 0.9, observed(1, steps), 0, mesh, at_least=True),
        Comparison("kinetic energy left", SOURCE, exact, energy, 0.01, mesh),
    ]
