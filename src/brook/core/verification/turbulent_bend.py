"""Turbulent flow round a quarter bend of a pipe: what is lost in it and behind it, after Itō (1960, J. Basic Eng. 82).

K = 0.388 α (R/D)^0.84 Re^−0.17, α = 0.95 + 4.42 (R/D)^−1.96 for a bend of 90° in a smooth pipe. It holds all that is lost beyond the
friction of the straight legs, that of the bend itself as well.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np

from brook.core.solve import Fields, Outcome
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found
from brook.core.verification.turbulent_pipe import Pipe, friction, round_flow

BEFORE, BEHIND = 6.0, 20.0  # straight legs, in diameters of 1 m
FROM, TO = 1.0, 16.0  # where heads are taken, before the bend and behind it
REYNOLDS, SOURCE, TOLERANCE = 1e5, "Itō 1960", 0.08
BEND_RADIUS = (2.0, 4.0)


@dataclass(frozen=True)
class Cells:
    """Along an edge of the square in the middle, which is as many as there are rings, in a diameter along the pipe, and the height of the
    first one in m."""

    across: int = 10
    along: float = 5.0
    first: float = 0.02


def ito(radius: float) -> float:
    """K of a bend of 90° with a radius in diameters."""
    return float(0.388 * (0.95 + 4.42 * radius**-1.96) * radius**0.84 * REYNOLDS**-0.17)


@cache
def flow(radius: float, cells: Cells) -> Outcome:
    """Water comes in developed."""
    x, y = BEFORE + radius, radius + BEHIND
    path = [{"x": f"{-BEFORE} m", "y": "0 m", "z": "0 m"}, {"x": f"{radius} m", "y": "0 m", "z": "0 m", "radius": f"{radius} m"},
            {"x": f"{radius} m", "y": f"{y} m", "z": "0 m"}]  # fmt: skip
    length = x + y - (2 - np.pi / 2) * radius
    part = {"kind": "tube", "name": "bend", "diameter": "1 m", "path": path, "across": cells.across,
            "patches": {"start": "begin", "end": "end", "side": "wall"}, "along": {"cells": round(cells.along * length)},
            "outward": {"cells": cells.across, "last": f"{cells.first} m"}}  # fmt: skip
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{1 / REYNOLDS!r} Pa s"}
    study = study_from({
        "format": "brook-study", "version": 1, "title": "bend",
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [part]}}],
        "set_up": {"fluid": fluid, "turbulence": {"incoming": {"kind": "duct", "diameter": "1 m"}}, "boundaries": [
            {"kind": "velocity", "patch": "begin", "speed": "1 m/s", "profile": "developed"}, {"kind": "pressure", "patch": "end"}]},
        "run_rules": {"residual": "1e-5", "iterations": 1000},
    })  # fmt: skip
    prepared, surface = ready(study, "a")
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def head(fields: Fields, way: int, place: float) -> float:
    """Total pressure in Pa, mean by what passes, at the faces across an axis (0 or 1) nearest to a place on it in m."""
    s = fields.stencil
    inner = s.inner
    across = np.abs(s.area[:inner, way]) / np.linalg.norm(s.area[:inner], axis=1)
    middle = fields.mesh.face_centres(slice(inner))
    upright = across > 0.999
    near = middle[upright][np.argmin(np.abs(middle[upright, way] - place)), way]
    faces = np.nonzero(upright & (np.abs(middle[:, way] - near) < 1e-6))[0]
    one, other, w = s.owner[:inner][faces], s.neighbour[faces], s.weight[faces]
    total = fields.pressure + 0.5 * (fields.velocity**2).sum(axis=1)
    flux = np.abs(fields.flux[faces])
    return float(flux @ (w * total[one] + (1 - w) * total[other]) / flux.sum())


def loss(radius: float, cells: Cells) -> float:
    """K, less the friction that the same cells have in a straight pipe."""
    fields = flow(radius, cells).fields
    straight = friction(round_flow(Pipe(REYNOLDS), cells.across, cells.first)) * (FROM + TO)
    return (head(fields, 0, -FROM) - head(fields, 1, radius + TO)) / 0.5 - straight


def run() -> list[Found]:
    """Of two bends."""
    found: list[Found] = []
    for radius in BEND_RADIUS:
        cells = Cells()
        mesh = f"{flow(radius, cells).fields.mesh.cell_count} cells in rows"
        found.append(Comparison(f"K, R/D {radius:g}", SOURCE, ito(radius), loss(radius, cells), TOLERANCE, mesh))
    return found
