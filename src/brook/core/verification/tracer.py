"""Scalars that a flow carries, against exact answers: decay, age, a pulse that moves and spreads, a square one that turns."""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.checks import prepare
from brook.core.numerics import Stencil
from brook.core.solve import Fields
from brook.core.solve.scalar import ScalarConditions, ScalarEquation
from brook.core.solve.time_levels import TimeLevel, TimeScheme
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

TOLERANCE = 0.005
LONG, HIGH, SPEED = 2.0, 0.1, 0.05  # of a duct, in m, and in m/s
DIFFUSIVITY, DECAY, INFLOW = 2e-3, 0.03, 0.8
STEP_RESIDUAL = 1e-8
ALMOST = 1e-3  # of the height of a pulse: what a step of second order in time may swing over it


def duct(scalars: list[dict[str, Any]], cells: int) -> Fields:
    """A stream along slipping walls that carries scalars."""
    outer = {"name": "duct", "left": "0 m", "bottom": "0 m", "width": f"{LONG} m", "height": f"{HIGH} m",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "wall", "top": "wall"}}  # fmt: skip
    size = f"{LONG / cells!r} m"
    study = study_from({
        "format": "brook-study", "version": 1, "title": "duct",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": size, "wall": size},
        "set_up": {
            "fluid": {"kind": "own", "density": "1000 kg/m^3", "viscosity": "0.001 Pa s"}, "scalars": scalars,
            "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": f"{SPEED} m/s"}, {"kind": "pressure", "patch": "outlet"},
                           {"kind": "slip", "patch": "wall"}],
        },
        "run_rules": {"residual": "1e-8"},
    })  # fmt: skip
    prepared = prepare(study, study.variants[0])
    return solve(study, prepared, make_mesh(prepared)).fields


def decayed(at: float) -> float:
    """c at a place in m: u c' = D c'' − λ c, what enters is u c_in, nothing spreads out at the end (Danckwerts 1953)."""
    root = (SPEED**2 + 4 * DIFFUSIVITY * DECAY) ** 0.5
    one, two = ((SPEED + sign * root) / (2 * DIFFUSIVITY) for sign in (1, -1))
    # c = a e^(one (x − L)) + b e^(two x), with c'(L) = 0 and u c(0) − D c'(0) = u c_in
    end = np.array([[one, two * np.exp(two * LONG)],
                    [(SPEED - DIFFUSIVITY * one) * np.exp(-one * LONG), SPEED - DIFFUSIVITY * two]])  # fmt: skip
    a, b = np.linalg.solve(end, np.array([0.0, SPEED * INFLOW]))
    return float(a * np.exp(one * (at - LONG)) + b * np.exp(two * at))


def _at_outlet(fields: Fields, name: str) -> float:
    return float(fields.more[name][1][fields.stencil.boundary_faces(fields.mesh.patch("outlet"))].mean())


def steady() -> list[Found]:
    """Decay, plug flow and a stirred box."""
    dye = {"kind": "tracer", "name": "dye", "diffusivity": f"{DIFFUSIVITY} m^2/s", "decay": f"{DECAY} 1/s",
           "inflows": [{"patch": "inlet", "concentration": f"{INFLOW} kg/m^3"}]}  # fmt: skip
    fields = duct(
        [dye, {"kind": "age", "name": "age"}, {"kind": "age", "name": "stirred", "diffusivity": "1e3 m^2/s"}], 160
    )
    middle = np.argmin(np.abs(fields.mesh.centre[:, 0] - LONG / 2))
    at = float(fields.mesh.centre[middle, 0])
    about = f"{fields.mesh.cell_count} cells"
    exact = "exact, Danckwerts 1953"
    return [
        Comparison("concentration half way, decaying", exact, decayed(at), float(fields.more["dye"][0][middle]), TOLERANCE, about),
        Comparison("concentration at the end, decaying", exact, decayed(LONG), _at_outlet(fields, "dye"), TOLERANCE, about),
        Comparison("mean age at the end of a plug flow / s", "exact", LONG / SPEED, _at_outlet(fields, "age"), TOLERANCE, about),
        Comparison("mean age in a stirred box / s", "exact", LONG / SPEED, float(fields.more["stirred"][0].mean()), TOLERANCE, about),
    ]  # fmt: skip


class Carried:
    """A scalar in a square of 1 m, carried by a velocity that does not depend on it."""

    def __init__(self, cells: int, diffusivity: float):
        side = {"left": "side", "right": "side", "bottom": "side", "top": "side"}
        outer = {
            "name": "square",
            "left": "-0.5 m",
            "bottom": "-0.5 m",
            "width": "1 m",
            "height": "1 m",
            "patches": side,
        }
        size = f"{1 / cells!r} m"
        study = study_from({
            "format": "brook-study", "version": 1, "title": "square",
            "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer}}],
            "mesh_plan": {"bulk": size, "wall": size},
            "set_up": {"boundaries": [{"kind": "stream", "patch": "side"}]},
        })  # fmt: skip
        self.stencil = Stencil(make_mesh(prepare(study, study.variants[0])))
        s, none = self.stencil, np.zeros(self.stencil.boundary_count)
        self.equation = ScalarEquation(
            "pulse", s, ScalarConditions(none, none, none, none), np.zeros(s.cells), scheme="bounded"
        )
        self.equation.diffusivity = np.full(s.cells, diffusivity)
        self.places = s.mesh.centre[:, :2]
        self.faces = s.mesh.face_centres(slice(s.active))
        self.lowest, self.highest = np.inf, -np.inf

    def through(self, velocity: np.ndarray, duration: float, steps: int) -> np.ndarray:
        """The values after so long in s with velocities (F, 3) on faces."""
        s, equation, step = self.stencil, self.equation, duration / steps
        flux = np.einsum("ij,ij->i", velocity, s.area)
        levels: tuple[TimeLevel, ...] = (self._level(),)
        for k in range(steps):
            scheme = TimeScheme.of(levels, step, step if k else None)
            for _ in range(60):
                if equation.advance(flux, scheme, None, 1e-3) < STEP_RESIDUAL:
                    break
            levels = (self._level(), levels[0])
            self.lowest = min(self.lowest, float(equation.value.min()))
            self.highest = max(self.highest, float(equation.value.max()))
        return equation.value

    def _level(self) -> TimeLevel:
        none = np.zeros(0)
        return TimeLevel(
            self.stencil.mesh.volume, none, none, none, none, {"pulse": {"value": self.equation.value.copy()}}
        )


def moving() -> list[Found]:
    """A pulse of Gauss's shape that a stream carries and diffusion flattens."""
    wide, spread, speed, duration = 0.08, 1e-3, np.array([0.2, 0.1, 0.0]), 1.0
    carried = Carried(128, spread)

    def exact(time: float) -> np.ndarray:
        area = wide**2 + 2 * spread * time
        off = carried.places - np.array([-0.1, -0.05]) - time * speed[:2]
        return wide**2 / area * np.exp(-(off**2).sum(axis=1) / (2 * area))

    carried.equation.value = exact(0.0)
    found = carried.through(np.broadcast_to(speed, carried.faces.shape), duration, 100)
    wanted = exact(duration)
    about = f"{carried.stencil.cells} cells, 100 steps"
    off = float(np.sqrt(((found - wanted) ** 2).mean() / (wanted**2).mean()))
    return [
        Comparison(
            "largest value of a moving pulse", "exact", float(wanted.max()), float(found.max()), TOLERANCE, about
        ),
        Comparison("error of a moving pulse, root mean square", "exact", 0.0, off, TOLERANCE, about, scale=1.0),
        Comparison("what a moving pulse holds", "kept", float(wanted.sum()), float(found.sum()), 1e-6, about),
    ]


def turning() -> list[Found]:
    """A square pulse that turns once about the middle: it never leaves 0 to 1, and nothing of it is lost."""
    carried = Carried(64, 0.0)
    x, y = carried.places.T
    carried.equation.value = ((np.abs(x - 0.2) < 0.1) & (np.abs(y) < 0.1)).astype(float)
    before = carried.equation.value.sum()
    turn = np.stack([-carried.faces[:, 1], carried.faces[:, 0], np.zeros(len(carried.faces))], axis=1)
    found = carried.through(2 * np.pi * turn, 1.0, 400)
    about = f"{carried.stencil.cells} cells, 400 steps"
    return [
        Comparison("smallest value of a turning square pulse", "bounds", 0.0, carried.lowest, ALMOST, about, scale=1.0),
        Comparison("largest value of a turning square pulse, over 1", "bounds", 0.0, max(carried.highest - 1, 0.0), ALMOST, about, scale=1.0),
        Comparison("what a turning square pulse holds", "kept", float(before), float(found.sum()), 1e-6, about),
    ]  # fmt: skip


def run() -> list[Found]:
    """What stands still, what moves and what turns."""
    return steady() + moving() + turning()
