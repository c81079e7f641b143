"""Fields as a VTU file: as hexahedra when all cells are, else all as polyhedra."""

from __future__ import annotations

from pathlib import Path

from brook.core.mesh.files import vtu
from brook.core.solve import Fields

OF_FACES = ("heat", "capacity")  # what more fields hold that says nothing of cells, or is no result


def write_vtu(path: Path, fields: Fields) -> None:
    """Velocity in m/s, speed in m/s and pressure in Pa at cells, with each cell's body and number; the temperature in K, and
    means over time and the fluctuation in m/s, where there are any."""
    data = {"velocity": fields.velocity, "speed": fields.speed, "pressure": fields.pressure}
    data |= {name: cells for name, (cells, _) in fields.more.items() if name not in OF_FACES}
    vtu.write(path, fields.mesh, data, plain=True)
