"""Developed flow and heat through periodic pairs: a channel, a round pipe, and a quarter of it whose sides are a pair that is turned.

Each is driven by a drop of pressure, and then by the mass flow that this makes: the drop has to come out again. Between plates
f Re = 96, u_max = 1.5 u_mean; in a pipe f Re = 64, u_max = 2 u_mean. Nusselt numbers of walls that heat by the same flux
everywhere, or are as warm everywhere: Shah & London 1978. A square array of rods, periodic both ways, resists a creeping stream
across it as Sangani & Acrivos (1982, Int. J. Multiphase Flow 8) found.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from brook.core.checks import prepare
from brook.core.mesh import Mesh
from brook.core.solve import Outcome
from brook.core.stages.meshing import make_mesh
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

VISCOSITY, DENSITY, CONDUCTIVITY, CAPACITY = (
    0.05,
    1.0,
    0.1,
    200.0,
)  # Péclet numbers of hundreds: along the stream nothing is conducted
LENGTH, DROP = 0.1, 0.06  # of a period, in m, and over it, in Pa
ENTERS, WARM, FLUX = 20.0, 40.0, 3.0  # °C, °C and W/m²
TOLERANCE, SAME, ROUGHER = 0.003, 1e-8, 0.005  # rods are cut of cells
EXACT, TABLES, ARRAYS = "exact", "Shah & London 1978", "Sangani & Acrivos 1982"
WALLS = {
    "flux": [{"kind": "flux", "patch": "wall", "flux": f"{FLUX} W/m^2"},
             {"kind": "returning", "patch": "begin", "temperature": f"{ENTERS} degC"}],
    "temperature": [{"kind": "temperature", "patch": "wall", "temperature": f"{WARM} degC"},
                    {"kind": "returning", "patch": "begin", "temperature": f"{ENTERS} degC", "way": "scale",
                     "about": f"{WARM} degC"}],
}  # fmt: skip


def _study(geometry: dict[str, Any], size: float, drive: dict[str, Any], pairs: list[Any], heated: str) -> Study:
    fluid = {"kind": "own", "density": f"{DENSITY} kg/m^3", "viscosity": f"{VISCOSITY} Pa s",
             "conductivity": f"{CONDUCTIVITY} W/(m K)", "heat_capacity": f"{CAPACITY} J/(kg K)"}  # fmt: skip
    shift = {"kind": "shift", "patch": "begin", "x": f"{LENGTH} m"}
    return study_from({
        "format": "brook-study", "version": 1, "title": "periodic",
        "variants": [{"name": "a", "title": "A", "geometry": geometry}],
        "mesh_plan": {"bulk": f"{size!r} m", "wall": f"{size!r} m", "pairs": [shift, *pairs]},
        "set_up": {"fluid": fluid, "boundaries": [{"kind": "periodic", "patch": "begin", **drive}],
                   **({"heat": {"start": f"{ENTERS} degC", "patches": WALLS[heated]}} if heated else {})},
        "run_rules": {"residual": "1e-11", "iterations": 4000},
    })  # fmt: skip


def channel(drive: dict[str, Any], across: int = 48, heated: str = "") -> Outcome:
    """A period of a channel 1 m high."""
    sides = {"left": "begin", "right": "end", "bottom": "wall", "top": "wall"}
    outer = {"name": "channel", "left": "0 m", "bottom": "0 m", "width": f"{LENGTH} m", "height": "1 m",
             "patches": sides}  # fmt: skip
    study = _study({"outer": outer}, 1 / across, drive, [], heated)
    prepared = prepare(study, study.variants[0])
    return solve(study, prepared, make_mesh(prepared))


def pipe(drive: dict[str, Any], across: int = 16, heated: str = "", wedge: bool = False) -> Outcome:
    """A period of a pipe of 1 m, or the quarter of it whose sides are turned onto each other."""
    patches = {"start": "begin", "end": "end", "side": "wall"}
    path = [{"x": "0 m", "y": "0 m", "z": "0 m"}, {"x": f"{LENGTH} m", "y": "0 m", "z": "0 m"}]
    part = {"kind": "tube", "name": "pipe", "diameter": "1 m", "path": path, "across": across, "patches": patches,
            "along": {"cells": 3}, "outward": {"cells": across}}  # fmt: skip
    turn = [{"kind": "turn", "patch": "one_side", "axis": "x", "angle": "90 deg"}] if wedge else []
    study = _study({"kind": "space", "parts": [part]}, 0.1, drive, turn, heated)
    prepared, surface = ready(study, "a")
    mesh = meshed(study, prepared, surface, lambda _: None)
    return solve(study, prepared, _quarter(mesh) if wedge else mesh)


def _quarter(mesh: Mesh) -> Mesh:
    """What of a mesh lies at y > 0, z > 0, with the cuts as patches."""
    _, y, z = mesh.centre.T
    rest = ((y < 0) | (z < 0)).astype(np.int32)
    cut = rest[mesh.owner[: mesh.inner_count]] != rest[mesh.neighbour]
    middle = mesh.face_centres(slice(mesh.inner_count))
    wall = np.where(cut, np.where(np.abs(middle[:, 2]) < 1e-9, 0, 1), -1)
    halved = replace(mesh, body=rest, bodies=(mesh.bodies[0], "rest"), wall=wall, walls=("one_side", "other_side"))
    return halved.part([0])


def wedge(drive: dict[str, Any], across: int = 16, heated: str = "") -> Outcome:
    """A quarter of that pipe."""
    return pipe(drive, across, heated, True)


def driven(by: str, value: float) -> dict[str, Any]:
    """What a study says of a pair driven by so much, in Pa or kg/s."""
    return {"drive": by, by: f"{value!r} {'Pa' if by == 'drop' else 'kg/s'}"}


def friction(outcome: Outcome, width: float) -> tuple[float, float, float]:
    """f Re, u_max over u_mean, and the mass flow in kg/s; `width` in m is four times the area over the rim."""
    fields = outcome.fields
    flow = -fields.mass_flow("begin")
    area = float(fields.mesh.face_areas(fields.mesh.patch("begin").faces).sum())
    mean = flow / (DENSITY * area)
    drop = _mean_pressure(outcome, "begin") - _mean_pressure(outcome, "end")
    return drop / LENGTH * 2 * width**2 / (VISCOSITY * mean), float(fields.velocity[:, 0].max()) / mean, flow


def _mean_pressure(outcome: Outcome, name: str) -> float:
    fields, s = outcome.fields, outcome.fields.stencil
    patch = fields.mesh.patch(name)
    area = fields.mesh.face_areas(patch.faces)
    return float(area @ fields.boundary_pressure[s.boundary_faces(patch)] / area.sum())


def nusselt(outcome: Outcome, width: float) -> float:
    """From the mean flux and temperature of the wall."""
    fields, s = outcome.fields, outcome.fields.stencil
    inside, boundary = fields.more["temperature"]
    wall = s.boundary_faces(fields.mesh.patch("wall"))
    heat = -float(fields.more["heat"][1][wall].sum())
    area = fields.mesh.face_areas(fields.mesh.patch("wall").faces)
    weight = fields.mesh.volume * fields.velocity[:, 0]
    bulk = float(weight @ inside / weight.sum())
    warm = float(area @ boundary[wall] / area.sum())
    return heat / area.sum() * width / (CONDUCTIVITY * (warm - bulk))


def rods(share: float, across: int, way: str) -> tuple[float, int]:
    """Force on a rod for each metre, over μ times the mean velocity, where rods fill a share of the room; and how many cells."""
    sides = {"left": "begin", "right": "end", "bottom": "south", "top": "north"}
    outer = {
        "name": "unit",
        "left": "0 m",
        "bottom": "0 m",
        "width": f"{LENGTH} m",
        "height": f"{LENGTH} m",
        "patches": sides,
    }
    diameter = float(2 * LENGTH * np.sqrt(share / np.pi))
    rod = {"kind": "circle", "name": "rod", "centre_x": f"{LENGTH / 2} m", "centre_y": f"{LENGTH / 2} m",
           "diameter": f"{diameter!r} m", "patch": "rod"}  # fmt: skip
    other = [{"kind": "shift", "patch": "south", "y": f"{LENGTH} m"}]
    raw = _study({"outer": outer, "shapes": [rod]}, LENGTH / across, driven("drop", 1e-9), other, "").model_dump(
        mode="json"
    )
    raw["mesh_plan"]["way"] = way
    study = Study.model_validate(raw)
    prepared = prepare(study, study.variants[0])
    fields = solve(study, prepared, make_mesh(prepared)).fields
    mean = -fields.flow("begin") / LENGTH
    return 1e-9 * LENGTH / (VISCOSITY * mean), fields.mesh.cell_count


def run() -> list[Found]:
    """Channel, pipe and wedge, driven both ways and heated both ways."""
    found: list[Found] = []
    shapes = [("channel", channel, 2.0, 96.0, 1.5, 140 / 17, 7.5407), ("pipe", pipe, 1.0, 64.0, 2.0, 48 / 11, 3.6568),
              ("wedge", wedge, 1.0, 64.0, 2.0, 48 / 11, 3.6568)]  # fmt: skip
    for name, flow, width, drag, peak, flux, warm in shapes:
        given = flow(driven("drop", DROP))
        ratio, fastest, through = friction(given, width)
        asked = flow(driven("mass_flow", through))
        mesh = f"{given.fields.mesh.cell_count} cells"
        back = friction(asked, width)[0] / ratio
        numbers = [nusselt(flow(driven("drop", DROP), heated=how), width) for how in WALLS]
        found += [
            Comparison(f"f Re, {name}", EXACT, drag, ratio, TOLERANCE, mesh),
            Comparison(f"u_max / u_mean, {name}", EXACT, peak, fastest, TOLERANCE, mesh),
            Comparison(f"drop found for the mass flow of a drop, over it, {name}", EXACT, 1.0, back, SAME, mesh),
            Comparison(f"Nu at even flux, {name}", TABLES, flux, numbers[0], TOLERANCE, mesh),
            Comparison(f"Nu at even temperature, {name}", TABLES, warm, numbers[1], TOLERANCE, mesh),
        ]
    for share, way, wanted in ((0.2, "lines", 51.53), (0.3, "boxes", 102.90)):
        force, cells = rods(share, 64, way)
        found.append(
            Comparison(f"force on rods that fill {share:g}, {way}", ARRAYS, wanted, force, ROUGHER, f"{cells} cells")
        )
    return found
