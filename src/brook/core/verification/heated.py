"""Heat against exact answers: developed pipes and channels, walls in layers, fins, a cooling ball, two streams."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.optimize import brentq

from brook.core.solve import Fields, Outcome
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.verification.case import Comparison, Found

TOLERANCE = 0.01
PECLET = 100.0


def _study(title: str, parts: list[dict[str, Any]], set_up: dict[str, Any], **more: Any) -> Study:
    geometry = {"kind": "space", "parts": parts, **more.pop("geometry", {})}
    return Study.model_validate({
        "title": title, "variants": [{"name": "a", "title": title, "geometry": geometry}], "set_up": set_up,
        "run_rules": {"residual": "1e-7"}, **more,
    })  # fmt: skip


def _solved(study: Study) -> Outcome:
    prepared, surface = ready(study, "a")
    if prepared.problems:
        raise ValueError(str(prepared.problems[0]))
    return solve(study, prepared, meshed(study, prepared, surface, lambda _: None))


def _box(
    name: str, low: tuple[float, float, float], size: tuple[float, float, float], action: str = "add"
) -> dict[str, Any]:
    sides = {side: f"{name}_{side}" for side in ("west", "east", "south", "north", "floor", "lid")}
    lengths = dict(zip(("x", "y", "z", "width", "depth", "height"), (f"{v!r} m" for v in (*low, *size)), strict=True))
    return {"kind": "box", "name": name, "action": action, "patches": sides, **lengths}


def _own(density: float, viscosity: float, capacity: float, conductivity: float) -> dict[str, str]:
    return {"kind": "own", "density": f"{density} kg/m^3", "viscosity": f"{viscosity} Pa s",
            "heat_capacity": f"{capacity} J/(kg K)", "conductivity": f"{conductivity} W/(m K)"}  # fmt: skip


# -- developed flow in heated pipes and channels ----------------------------------------------


def duct(shape: str, wall: dict[str, str]) -> Study:
    """A half channel or a pipe of hydraulic diameter 1 m at a Péclet number of 100, 40 m long."""
    half = "0.5 m" if shape == "pipe" else "0.25 m"
    sheet: dict[str, Any] = {
        "kind": "sheet", "name": shape, "becomes": "wedge" if shape == "pipe" else "slice",
        "columns": [{"to": "40 m", "cells": 120}], "rows": [{"to": half, "cells": 24}],
    }  # fmt: skip
    boundaries = [{"kind": "velocity", "patch": "left", "speed": "1 m/s", "profile": "developed"},
                  {"kind": "pressure", "patch": "right"}]  # fmt: skip
    if shape == "channel":
        boundaries.append({"kind": "symmetry", "patch": "bottom"})
    heat = {"start": "300 K", "patches": [{"kind": "temperature", "patch": "left", "temperature": "300 K"}, wall]}
    return _study(shape, [sheet], {
        "fluid": _own(1, 0.05, 1, 1 / PECLET), "boundaries": boundaries, "heat": heat,
    })  # fmt: skip


def nusselt(fields: Fields, at: float) -> float:
    """Of the wall `top` where the flow has come so far in m: hydraulic diameter and density 1, conductivity 1 / Péclet."""
    mesh, (temperature, boundary) = fields.mesh, fields.more["temperature"]
    columns = np.unique(np.round(mesh.centre[:, 0], 6))
    column = columns[np.argmin(np.abs(columns - at))]
    cells = np.abs(mesh.centre[:, 0] - column) < 1e-5
    through = fields.velocity[cells, 0] * mesh.volume[cells]
    bulk = float(through @ temperature[cells] / through.sum())
    patch = mesh.patch("top")
    here = np.abs(mesh.face_centres(patch.faces)[:, 0] - column) < 1e-5
    faces = np.arange(patch.start, patch.end)[here] - fields.stencil.inner
    flux = -fields.more["heat"][1][faces].sum() / mesh.face_areas(patch.faces)[here].sum()
    return float(flux / (boundary[faces].mean() - bulk) * PECLET)


def graetz() -> list[Found]:
    """Heat in developing flow in a channel and a pipe."""
    found: list[Found] = []
    warm = {"kind": "temperature", "patch": "top", "temperature": "301 K"}
    even = {"kind": "flux", "patch": "top", "flux": "0.01 W/m^2"}
    source = "Shah & London 1978"
    for shape, what, wall, wanted in (("pipe", "wall temperature", warm, 3.657), ("pipe", "flux", even, 4.364),
                                      ("channel", "wall temperature", warm, 7.541), ("channel", "flux", even, 8.235)):  # fmt: skip
        outcome = _solved(duct(shape, wall))
        at = 34.0 if shape == "pipe" else 14.0
        mesh = f"{outcome.fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"
        what = f"Nusselt number, {shape} of even {what}"
        found.append(Comparison(what, source, wanted, nusselt(outcome.fields, at), TOLERANCE, mesh))
    return found


# -- solids -----------------------------------------------------------------------------------


def composite_wall() -> list[Found]:
    """Two plates of conductivity 1 and 0.2 W/(m K), 20 and 10 mm thick, 0.05 m² K/W between them, from 340 K to a film."""
    parts = [_box("inner", (0, 0, 0), (0.02, 0.03, 0.03)), _box("outer", (0.02, 0, 0), (0.01, 0.03, 0.03), "apart")]
    bodies = [{"name": "inner", "holds": "solid", "x": "10 mm", "y": "15 mm", "z": "15 mm"},
              {"name": "outer", "holds": "solid", "x": "25 mm", "y": "15 mm", "z": "15 mm"}]  # fmt: skip
    solid = {"kind": "own_solid", "density": "1000 kg/m^3", "heat_capacity": "1000 J/(kg K)"}
    heat = {
        "start": "300 K", "contacts": [{"patch": "outer_west", "resistance": "0.05 m^2 K/W"}],
        "patches": [{"kind": "temperature", "patch": "inner_west", "temperature": "340 K"},
                    {"kind": "film", "patch": "outer_east", "coefficient": "10 W/(m^2 K)", "surroundings": "290 K"}],
    }  # fmt: skip
    materials = {"inner": {**solid, "conductivity": "1 W/(m K)"}, "outer": {**solid, "conductivity": "0.2 W/(m K)"}}
    study = _study("wall", parts, {"heat": heat, "materials": materials}, geometry={"bodies": bodies},
                   mesh_plan={"bulk": "2.5 mm", "wall": "2.5 mm"})  # fmt: skip
    outcome = _solved(study)
    fields = outcome.fields
    wanted = 50 / (0.02 / 1 + 0.05 + 0.01 / 0.2 + 1 / 10) * 0.03**2
    enters = -_heat(fields, "inner_west")
    leaves = _heat(fields, "outer_east")
    mesh = f"{fields.mesh.cell_count} cells in two bodies, {outcome.state}"
    return [
        Comparison("heat through the wall / W", "exact", wanted, enters, 1e-3, mesh),
        Comparison("heat out over heat in", "exact", 1.0, leaves / enters, 1e-6, mesh),
    ]


def _heat(fields: Fields, patch: str) -> float:
    """Heat in W out through a patch."""
    return float(fields.more["heat"][1][fields.stencil.boundary_faces(fields.mesh.patch(patch))].sum())


def fin() -> list[Found]:
    """A fin 50 mm long and 2 mm thick of 20 W/(m K) in a film of 40 W/(m² K): half of it, its tip without heat."""
    sheet = {"kind": "sheet", "name": "fin", "becomes": "slice", "columns": [{"to": "50 mm", "cells": 100}],
             "rows": [{"to": "1 mm", "cells": 4}]}  # fmt: skip
    solid = {"kind": "own_solid", "conductivity": "20 W/(m K)"}
    heat = {"start": "300 K", "patches": [
        {"kind": "temperature", "patch": "left", "temperature": "360 K"},
        {"kind": "film", "patch": "top", "coefficient": "40 W/(m^2 K)", "surroundings": "300 K"}]}  # fmt: skip
    outcome = _solved(_study("fin", [sheet], {"heat": heat, "materials": {"fluid": solid}}))
    m = (40 / (20 * 0.001)) ** 0.5
    wanted = (40 * 20 * 0.001) ** 0.5 * 60 * np.tanh(m * 0.05)
    mesh = f"{outcome.fields.mesh.cell_count} cells, {outcome.state}"
    found = -_heat(outcome.fields, "left")
    tip = outcome.fields.more["temperature"][0][np.argmax(outcome.fields.mesh.centre[:, 0])]
    return [
        Comparison("heat into the fin / W", "Incropera et al. 2007, exact in one dimension", wanted, found, TOLERANCE, mesh),
        Comparison("temperature of the tip over the root's", "exact in one dimension", 1 / np.cosh(m * 0.05),
                   float((tip - 300) / 60), TOLERANCE, mesh),
    ]  # fmt: skip


def sphere_cooling() -> list[Found]:
    """A ball at a Biot number of 1, its middle after a Fourier number of 0.5: the exact series."""
    ball = {"kind": "sphere", "name": "ball", "diameter": "2 m", "around": 128, "patch": "skin"}
    solid = {"kind": "own_solid", "density": "1 kg/m^3", "heat_capacity": "1 J/(kg K)", "conductivity": "1 W/(m K)"}
    heat = {"start": "400 K", "patches": [
        {"kind": "film", "patch": "skin", "coefficient": "1 W/(m^2 K)", "surroundings": "300 K"}]}  # fmt: skip
    timing = {"kind": "in_time", "duration": "0.5 s", "steps": "fixed", "step": "0.01 s", "residual": "1e-7",
              "keep_every": "0.5 s", "repeats": 20}  # fmt: skip
    bodies = [{"name": "ball", "holds": "solid", "x": "0 m", "y": "0 m", "z": "0 m"}]
    study = _study("ball", [ball], {"heat": heat, "materials": {"ball": solid}, "timing": timing},
                   geometry={"bodies": bodies}, mesh_plan={"bulk": "0.2 m", "wall": "0.1 m"})  # fmt: skip
    outcome = _solved(study)
    fields = outcome.fields
    temperature = fields.more["temperature"][0]
    radius = np.linalg.norm(fields.mesh.centre, axis=1)
    near = radius < 0.5
    centre = np.polyfit(radius[near] ** 2, temperature[near], 1)[1]
    mean = float(temperature @ fields.mesh.volume / fields.mesh.volume.sum())
    roots = [brentq(lambda z: 1 - z / np.tan(z) - 1, k * np.pi + 1e-9, (k + 1) * np.pi - 1e-9) for k in range(12)]
    at_centre = at_mean = 0.0
    for z in roots:
        factor = 4 * (np.sin(z) - z * np.cos(z)) / (2 * z - np.sin(2 * z)) * np.exp(-(z**2) * 0.5)
        at_centre += factor
        at_mean += factor * 3 * (np.sin(z) - z * np.cos(z)) / z**3
    mesh = f"{fields.mesh.cell_count} cells, 50 steps"
    source = "Carslaw & Jaeger 1959, exact"
    return [
        Comparison("middle over start", source, at_centre, float((centre - 300) / 100), TOLERANCE, mesh),
        Comparison("mean over start", source, at_mean, (mean - 300) / 100, TOLERANCE, mesh),
    ]


# -- two streams ------------------------------------------------------------------------------


def counterflow() -> list[Found]:
    """Two even streams past a plate, one against the other: effectiveness by the number of transfer units.

    The contact of both fluids with the plate resists most; what their own depth adds is that of an even stream at even
    flux, a third of its depth over its conductivity.
    """
    length, wide, deep, plate, resists = 0.4, 0.002, 0.004, 0.002, 0.02
    parts = [
        _box("upper", (0, 0, deep + plate), (length, wide, deep)),
        _box("plate", (0, 0, deep), (length, wide, plate), "apart"),
        _box("lower", (0, 0, 0), (length, wide, deep), "apart"),
    ]
    bodies = [{"name": name, "holds": holds, "x": "0.2 m", "y": "1 mm", "z": f"{z} m"}
              for name, holds, z in (("upper", "fluid", 0.008), ("plate", "solid", 0.005), ("lower", "fluid", 0.002))]  # fmt: skip
    speed, capacity, conductivity = 0.05, 4e4, 0.5
    slips = [f"{body}_{side}" for body in ("upper", "lower") for side in ("south", "north", "floor", "lid")] + [
        "plate_lid"
    ]
    fluid = _own(1, 0.001, capacity, conductivity)
    heat = {
        "start": "300 K",
        "patches": [{"kind": "temperature", "patch": "upper_west", "temperature": "350 K"},
                    {"kind": "temperature", "patch": "lower_east", "temperature": "300 K"}],
        "contacts": [{"patch": p, "resistance": f"{resists} m^2 K/W"} for p in ("plate_lid", "lower_lid")],
    }  # fmt: skip
    boundaries = [
        {"kind": "velocity", "patch": "upper_west", "speed": f"{speed} m/s"}, {"kind": "pressure", "patch": "upper_east"},
        {"kind": "velocity", "patch": "lower_east", "speed": f"{speed} m/s"}, {"kind": "pressure", "patch": "lower_west"},
    ] + [{"kind": "slip", "patch": p} for p in slips]  # fmt: skip
    solid = {"kind": "own_solid", "conductivity": "1 W/(m K)"}
    study = _study("streams", parts, {"fluid": fluid, "heat": heat, "boundaries": boundaries, "materials": {"plate": solid}},
                   geometry={"bodies": bodies}, mesh_plan={"bulk": "1 mm", "wall": "1 mm"})  # fmt: skip
    outcome = _solved(study)
    fields = outcome.fields
    rate = speed * deep * wide * capacity  # ρ = 1
    resistance = 2 * resists + plate / 1.0 + 2 * deep / 3 / conductivity
    units = length * wide / resistance / rate
    wanted = units / (1 + units)  # equal streams
    carried = -(_heat(fields, "upper_west") + _heat(fields, "upper_east"))
    mesh = f"{fields.mesh.cell_count} cells in three bodies, {outcome.iterations} iterations, {outcome.state}"
    both = carried - (_heat(fields, "lower_west") + _heat(fields, "lower_east"))
    return [
        Comparison("effectiveness", "Kays & London 1984", wanted, carried / (rate * 50), TOLERANCE, mesh),
        Comparison("heat lost over heat exchanged", "exact", 0.0, both / carried, 1e-6, mesh, scale=1.0),
    ]
