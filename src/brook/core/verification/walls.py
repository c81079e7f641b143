"""Walls that drag: a cylinder in a wide stream, a flat plate, a turning cylinder in a still one."""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.results.forces import face_forces
from brook.core.solve import Outcome
from brook.core.study import Study
from brook.core.verification.case import Comparison, Curve, Found
from brook.core.verification.pipe import solved

TOLERANCE = 0.01


def _study(title: str, part: dict[str, Any], viscosity: float, boundaries: list[dict[str, Any]]) -> Study:
    return Study.model_validate({
        "title": title,
        "variants": [{"name": "a", "title": title, "geometry": {"kind": "space", "parts": [part]}}],
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{viscosity!r} Pa s"},
                   "boundaries": boundaries},
        "run_rules": {"residual": "1e-6"},
    })  # fmt: skip


def _mesh(outcome: Outcome) -> str:
    return f"{outcome.fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"


# -- a cylinder in a wide stream --------------------------------------------------------------

# the bands in which published results lie: their middles and half widths
FREE = {20: ((2.03, 0.03), (0.93, 0.02)), 40: ((1.53, 0.03), (2.225, 0.125))}
AROUND = 240
SPREAD = "Dennis & Chang 1970; Fornberg 1980; Tritton 1959: band of published figures"


def free_cylinder(reynolds: int) -> Study:
    """A cylinder of 1 m in a stream of 1 m/s, with 120 m of room round it."""
    part = {"kind": "collar", "name": "bar", "diameter": "1 m", "outer": "120 m", "around": AROUND,
            "outward": {"cells": 190, "first": "0.006 m"}, "depth": "1 m"}  # fmt: skip
    return _study("cylinder in a stream", part, 1 / reynolds, [
        {"kind": "stream", "patch": "upstream", "velocity_x": "1 m/s"}, {"kind": "pressure", "patch": "downstream"},
    ])  # fmt: skip


def free(reynolds: int) -> list[Found]:
    """A cylinder in a free stream at a Reynolds number."""
    outcome = solved(free_cylinder(reynolds))
    fields, mesh = outcome.fields, outcome.fields.mesh
    pressure, friction = face_forces(fields, mesh.patch("body"))
    drag = 2 * float((pressure + friction)[:, 0].sum())
    x, y = mesh.centre[:, 0], mesh.centre[:, 1]
    step = 2 * np.pi / AROUND
    ray = np.round(np.abs(np.arctan2(y, x)) / step - 0.5).astype(int)
    radius = np.hypot(x, y)
    along = []
    for k in (0, 1):  # the rays half a cell and one and a half beside the axis
        behind = (radius < 5) & (ray == k)
        rings, of = np.unique(np.round(radius[behind], 9), return_inverse=True)
        along.append(np.bincount(of, fields.velocity[behind, 0]) / np.bincount(of))
    axis = (9 * along[0] - along[1]) / 8  # as by a parabola
    turn = int(np.argmax((axis[:-1] < 0) & (axis[1:] >= 0)))
    length = rings[turn] - axis[turn] * (rings[turn + 1] - rings[turn]) / (axis[turn + 1] - axis[turn]) - 0.5
    (wanted, band), (wake, wake_band) = FREE[reynolds]
    line, marks = (rings - 0.5, axis), ([wake - wake_band, wake + wake_band], [0.0, 0.0])
    return [
        Curve.of("Velocity behind the cylinder, on the axis", "distance / diameter", "u / speed of the stream", line, marks,
                 "ends of the wake: the published band"),
        Comparison("drag coefficient, in the published band", SPREAD, wanted, drag, band, _mesh(outcome), scale=1.0),
        Comparison("length of the wake / diameter, in the published band", SPREAD, wake, float(length), wake_band,
                   _mesh(outcome), scale=1.0),
    ]  # fmt: skip


# -- a flat plate -----------------------------------------------------------------------------


def plate() -> Study:
    """A plate 1 m long, 0.04 mm thick, in a wide stream of 1 m/s that comes from 0.4 m before it; Re 500 000 at its end."""
    columns = [{"to": "0 m", "cells": 60, "last": "0.5 mm"}, {"to": "1 m", "cells": 140, "first": "0.5 mm"}]
    rows = [
        {"to": "0.04 mm", "cells": 1},
        {"to": "15 mm", "cells": 80, "first": "0.04 mm"},
        {"to": "4 m", "cells": 50, "first": "0.5 mm"},
    ]
    hollow = {"from_column": 2, "to_column": 2, "from_row": 1, "to_row": 1, "patch": "plate"}
    part = {"kind": "sheet", "name": "stream", "x": "-0.4 m", "columns": columns, "rows": rows, "hollows": [hollow]}
    return _study("plate", part, 2e-6, [
        {"kind": "velocity", "patch": "left", "speed": "1 m/s"}, {"kind": "pressure", "patch": "right"},
        {"kind": "slip", "patch": "top"}, {"kind": "symmetry", "patch": "bottom"},
    ])  # fmt: skip


def flat_plate() -> list[Found]:
    """A plate along a stream, laminar."""
    outcome = solved(plate())
    mesh = outcome.fields.mesh
    patch = mesh.patch("plate")
    _, friction = face_forces(outcome.fields, patch)
    along = mesh.face_centres(patch.faces)[:, 0]
    upper = along > 1e-9  # all but the edge that the stream meets
    order = np.argsort(along[upper])
    at = along[upper][order]
    stress = (friction[:, 0] / mesh.face_areas(patch.faces))[upper][order]
    found: list[Found] = []
    for x in (0.3, 0.6, 0.9):
        factor = 2 * float(np.interp(x, at, stress)) * (x / 2e-6) ** 0.5
        found.append(Comparison(f"c_f √Re_x at {x:g} m", "Blasius 1908", 0.664, factor, TOLERANCE, _mesh(outcome)))
    there = at > 0.01
    few = np.array([1e4, 2e4, 5e4, 1e5, 2e5, 4.5e5])
    line, points = (at[there] / 2e-6, 2 * stress[there]), (few, 0.664 / few**0.5)
    return [*found, Curve.of("Friction along the plate", "Re_x", "c_f", line, points, "Blasius 1908", logarithmic=True)]


# -- a turning cylinder -----------------------------------------------------------------------


def rings() -> Study:
    """A cylinder of radius 1 m turns at 1 rad/s in a still one of radius 2 m."""
    part = {"kind": "collar", "name": "gap", "diameter": "2 m", "outer": "4 m", "around": 96,
            "outward": {"cells": 32}, "depth": "1 m"}  # fmt: skip
    return _study("turning cylinder", part, 0.1, [{"kind": "turning", "patch": "body", "rate": "1 s^-1"}])


def taylor_couette() -> list[Found]:
    """Between cylinders of which the inner one turns."""
    outcome = solved(rings())
    fields, mesh = outcome.fields, outcome.fields.mesh
    found: list[Found] = []
    torque = 4 * np.pi * 0.1 * 4 / 3  # 4 π μ ω R₁² R₂² / (R₂² - R₁²), for each metre
    for names, sign in ((("body",), -1.0), (("upstream", "downstream"), 1.0)):
        total = 0.0
        for name in names:
            patch = mesh.patch(name)
            _, friction = face_forces(fields, patch)
            total += sign * float(np.cross(mesh.face_centres(patch.faces), friction)[:, 2].sum())
        where = "the inner wall" if sign < 0 else "the outer wall"
        found.append(Comparison(f"torque on {where} / N m", "exact", torque, total, TOLERANCE, _mesh(outcome)))
    radius = np.hypot(mesh.centre[:, 0], mesh.centre[:, 1])
    speed = np.hypot(fields.velocity[:, 0], fields.velocity[:, 1])
    exact = (4 / radius - radius) / 3
    worst = float(np.abs(speed - exact).max())
    found.append(
        Comparison(
            "largest error of speed / that of the wall", "exact", 0.0, worst, TOLERANCE, _mesh(outcome), scale=1.0
        )
    )
    order = np.argsort(radius)[:: max(1, len(radius) // 200)]
    few = np.linspace(1, 2, 9)
    line, points = (radius[order], speed[order]), (few, (4 / few - few) / 3)
    return [*found, Curve.of("Speed across the gap", "radius / m", "speed / m/s", line, points, "exact")]
