"""Natural convection in a square, one side warm, the other cold: the bench mark of de Vahl Davis (1983) for small
differences, that of Le Quéré et al. (2005) for a gas between 240 K and 960 K; a layer that is warm below, after Clever & Busse
(1974)."""

from __future__ import annotations

import numpy as np

from brook.core.checks import prepare
from brook.core.materials.fluid import GAS_CONSTANT
from brook.core.results.picture import polygons
from brook.core.results.plane import Triangles, point_values
from brook.core.results.quantities import View
from brook.core.solve import Fields, Outcome
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

SOURCE = "de Vahl Davis 1983"
# Mean Nusselt number, largest horizontal velocity on the vertical mid-line and vertical one on the horizontal, by Ra.
FIGURES = {
    1e3: (1.118, 3.649, 3.697),
    1e4: (2.243, 16.178, 19.617),
    1e5: (4.519, 34.73, 68.59),
    1e6: (8.800, 64.63, 219.36),
}
PRANDTL = 0.71
CELLS = {1e3: 48, 1e4: 48, 1e5: 64, 1e6: 160}
TOLERANCE = 0.01


def study(rayleigh: float, cells: int) -> Study:
    """A square of 1 m with a fluid of density, capacity and expansion 1 and a drop of 1 K: α = 1 / sqrt(Ra Pr) m²/s."""
    diffusivity = 1 / (rayleigh * PRANDTL) ** 0.5
    outer = {"name": "square", "left": "0 m", "bottom": "0 m", "width": "1 m", "height": "1 m",
             "patches": {"left": "warm", "right": "cold", "bottom": "floor", "top": "lid"}}  # fmt: skip
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": f"{PRANDTL * diffusivity!r} Pa s",
             "heat_capacity": "1 J/(kg K)", "conductivity": f"{diffusivity!r} W/(m K)", "expansion": "1 K^-1"}  # fmt: skip
    heat = {"start": "300 K", "buoyancy": "boussinesq", "gravity_y": "-1 m/s^2", "patches": [
        {"kind": "temperature", "patch": "warm", "temperature": "300.5 K"},
        {"kind": "temperature", "patch": "cold", "temperature": "299.5 K"},
    ]}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "convection",
        "variants": [{"name": "square", "title": "Square", "geometry": {"outer": outer}}],
        "mesh_plan": {"bulk": f"{2.0 / cells!r} m", "wall": f"{0.4 / cells!r} m", "growth": "1.1"},
        "set_up": {"fluid": fluid, "heat": heat},
        "run_rules": {"residual": "1e-6"},
    })  # fmt: skip


def solved(rayleigh: float, cells: int) -> Outcome:
    """The flow at a Rayleigh number on so many cells each way."""
    case = study(rayleigh, cells)
    prepared = prepare(case, case.variants[0])
    return solve(case, prepared, make_mesh(prepared))


def measured(outcome: Outcome, rayleigh: float) -> tuple[float, float, float]:
    """Nusselt number of the warm side, and both largest velocities counted in diffusivity over width."""
    fields = outcome.fields
    diffusivity = 1 / (rayleigh * PRANDTL) ** 0.5
    heat = fields.more["heat"][1][fields.stencil.boundary_faces(fields.mesh.patch("warm"))].sum()
    depth = float(np.ptp(fields.mesh.points[:, 2]))
    shapes = polygons(fields.mesh)
    triangles, view = Triangles.of(fields.mesh, shapes), View(fields)
    along = np.linspace(0.002, 0.998, 800)
    half = np.full(len(along), 0.5)
    u = triangles.at(point_values(view, "velocity_x", shapes), np.stack([half, along], axis=1))
    v = triangles.at(point_values(view, "velocity_y", shapes), np.stack([along, half], axis=1))
    return -float(heat) / depth / diffusivity, float(u.max()) / diffusivity, float(v.max()) / diffusivity


def run(rayleigh: float) -> list[Found]:
    """The heated square at a Rayleigh number."""
    outcome = solved(rayleigh, CELLS[rayleigh])
    mesh = f"{outcome.fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"
    names = ("mean Nusselt number", "u_max on the vertical mid-line", "v_max on the horizontal mid-line")
    pairs = zip(names, FIGURES[rayleigh], measured(outcome, rayleigh), strict=True)
    return [Comparison(name, SOURCE, wanted, found, TOLERANCE, mesh) for name, wanted, found in pairs]


GAS_SOURCE = "Le Quéré et al. 2005"
# Mean Nusselt number and pressure over that of the start, with constant properties and with those by Sutherland's formula.
GAS_FIGURES = {"constant": (8.85978, 0.856338), "Sutherland": (8.6866, 0.924487)}
GAS_START, GAS_SHARE, GAS_RAYLEIGH, GAS_CELLS = 600.0, 0.6, 1e6, 96
GAS_LAW = " * (T/600 K)^1.5 * 710.5 K / (T + 110.5 K)"


def gas_study(varying: bool) -> tuple[Study, float]:
    """A square of 1 m with an ideal gas at 600 K and 1 atm, and its conductivity in W/(m K) there. Viscosity and gravity
    are such that Ra = 10⁶ for the whole difference."""
    pressure, constant, capacity, gravity = 101_325.0, 287.0, 1004.5, 9.81
    density = pressure / (constant * GAS_START)
    viscosity = density * (PRANDTL * gravity * 2 * GAS_SHARE / GAS_RAYLEIGH) ** 0.5
    conductivity = viscosity * capacity / PRANDTL
    law = GAS_LAW if varying else ""
    raw = study(GAS_RAYLEIGH, GAS_CELLS).model_dump(mode="json")
    raw["set_up"]["fluid"] = {
        "kind": "gas", "molar_mass": f"{GAS_CONSTANT / constant!r} kg/mol", "pressure": f"{pressure} Pa",
        "temperature": f"{GAS_START} K", "viscosity": f"{viscosity!r} Pa s{law}", "heat_capacity": f"{capacity} J/(kg K)",
        "conductivity": f"{conductivity!r} W/(m K){law}",
    }  # fmt: skip
    raw["set_up"]["heat"] |= {"start": f"{GAS_START} K", "buoyancy": "density", "gravity_y": f"{-gravity} m/s^2"}
    for patch, sign in zip(raw["set_up"]["heat"]["patches"], (1, -1), strict=True):
        patch["temperature"] = f"{GAS_START * (1 + sign * GAS_SHARE)} K"
    return study_from(raw), conductivity


def gas() -> list[Found]:
    """The square filled with a gas whose density changes by half."""
    found: list[Found] = []
    for name, wanted in GAS_FIGURES.items():
        case, conductivity = gas_study(name == "Sutherland")
        prepared = prepare(case, case.variants[0])
        outcome = solve(case, prepared, make_mesh(prepared))
        fields = outcome.fields
        depth = float(np.ptp(fields.mesh.points[:, 2]))
        heat = -fields.more["heat"][1][fields.stencil.boundary_faces(fields.mesh.patch("warm"))].sum() / depth
        assert prepared.fluid is not None
        product = float(np.median(fields.density * fields.more["temperature"][0]))  # the same everywhere
        pressure = product / (prepared.fluid.density * GAS_START)
        mesh = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"
        found += [
            Comparison(f"mean Nusselt number, {name} properties", GAS_SOURCE, wanted[0],
                       float(heat) / (conductivity * 2 * GAS_SHARE * GAS_START), TOLERANCE, mesh),
            Comparison(f"pressure over that of the start, {name} properties", GAS_SOURCE, wanted[1], pressure, TOLERANCE, mesh),
        ]  # fmt: skip
    return found


BELOW_SOURCE = "Clever & Busse 1974"
# Mean Nusselt number of a layer between walls, warm below, in rolls of wave number 3.117, by Ra; Pr = 0.71. Their series
# is cut off: at Ra = 5·10⁴ it gives 4.245, where meshes from 900 to 8200 cells agree on 4.155.
BELOW_FIGURES = {5e3: 2.116, 1e4: 2.661}
BELOW_LONG, BELOW_TILT = np.pi / 3.117, 1e-3


def below_study(rayleigh: float, cells: int) -> Study:
    """Half a roll in a layer 1 m high that stands askew by a thousandth, as at rest it would never begin to turn."""
    raw = study(rayleigh, cells).model_dump(mode="json")
    outer = raw["variants"][0]["geometry"]["outer"]
    outer |= {
        "width": f"{BELOW_LONG!r} m",
        "patches": {"left": "side", "right": "side", "bottom": "warm", "top": "cold"},
    }
    raw["set_up"]["heat"]["gravity_x"] = f"{BELOW_TILT} m/s^2"
    raw["set_up"]["boundaries"] = [{"kind": "symmetry", "patch": "side"}]
    return study_from(raw)


def nusselt_below(fields: Fields, rayleigh: float) -> float:
    """Heat through the layer over that which would be conducted."""
    depth = float(np.ptp(fields.mesh.points[:, 2]))
    heat = -fields.more["heat"][1][fields.stencil.boundary_faces(fields.mesh.patch("warm"))].sum() / depth
    return float(heat / BELOW_LONG * (rayleigh * PRANDTL) ** 0.5)


def below() -> list[Found]:
    """A layer that is warm below, under and over the onset of convection."""
    found: list[Found] = []
    for rayleigh, wanted in BELOW_FIGURES.items():
        case = below_study(rayleigh, 48)
        prepared = prepare(case, case.variants[0])
        outcome = solve(case, prepared, make_mesh(prepared))
        fields = outcome.fields
        nusselt = nusselt_below(fields, rayleigh)
        mesh = f"{fields.mesh.cell_count} cells, {outcome.iterations} iterations, {outcome.state}"
        found.append(
            Comparison(f"mean Nusselt number, Ra = {rayleigh:.0f}", BELOW_SOURCE, wanted, nusselt, TOLERANCE, mesh)
        )
    return found
