"""Fields as a VTU file: as hexahedra when all cells are, else all as polyhedra."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES
from brook.core.mesh.files import vtu
from brook.core.results.quantities import View
from brook.core.solve import Fields

OF_FACES = ("heat", "capacity")  # what more fields hold that says nothing of cells, or is no result


def write_vtu(path: Path, fields: Fields) -> None:
    """Velocity in m/s, speed in m/s and pressure in Pa at cells, with each cell's body and number; the temperature in K, and
    means over time and the fluctuation in m/s, where there are any."""
    data = {"velocity": fields.velocity, "speed": fields.speed, "pressure": fields.pressure}
    data |= {name: cells for name, (cells, _) in fields.more.items() if name not in OF_FACES}
    vtu.write(path, fields.mesh, data, plain=True)


def write_patches_vtu(path: Path, view: View) -> None:
    """The faces of patches with their pressure in Pa, velocity and friction along each axis in Pa, and where there are any temperature in K, heat flux into the fluid in W/m² and y⁺."""
    fields = view.fields
    stencil = fields.stencil
    patches = [p for p in fields.mesh.patches if p.name not in (PLANE_SIDES, WEDGE_SIDES)]
    here = np.concatenate([np.arange(p.start, p.end) for p in patches]) - stencil.inner if patches else np.zeros(0, int)
    known = {"pressure": fields.boundary_pressure, "velocity": fields.boundary_velocity}
    if fields.speed.any():
        known["friction"] = np.stack([view.values(f"friction_{axis}")[1] for axis in "xyz"], axis=1)
    known |= {name: view.values(name)[1] for name in ("temperature", "heat_flux") if "temperature" in fields.more}
    known |= {name: fields.more[name][1] for name in ("y_plus",) if name in fields.more}
    vtu.write_faces(path, fields.mesh, {name: values[here] for name, values in known.items()})
