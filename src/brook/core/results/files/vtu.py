"""Fields as VTU: as hexahedra when all cells are, else all as polyhedra. Several moments are a file each, with a collection (.pvd) that says when, packed into one."""

from __future__ import annotations

import tempfile
import zipfile
from pathlib import Path

from brook.core.mesh.files import vtu
from brook.core.results.files.base import Moment, Series, cell_values
from brook.core.results.quantities import View
from brook.core.solve import Fields


def write_vtu(path: Path, fields: Fields) -> None:
    """Velocity in m/s, speed in m/s and pressure in Pa at cells, with each cell's body and number; the temperature in K, and
    means over time and the fluctuation in m/s, where there are any."""
    vtu.write(path, fields.mesh, cell_values(View(fields))[0], plain=True)


def write(path: Path, series: Series) -> None:
    """One moment as a file; several as a ZIP of them."""
    if series.count == 1:
        _one(path, series, next(series.moments()))
        return
    lines = []
    with (
        zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as packed,
        tempfile.TemporaryDirectory(dir=path.parent) as folder,
    ):
        for k, moment in enumerate(series.moments(), 1):
            name = f"{series.of}-{k:04d}.vtu"
            part = Path(folder) / name
            _one(part, series, moment)
            packed.write(part, name)
            part.unlink()
            lines.append(f'<DataSet timestep="{moment.time:.9g}" part="0" file="{name}"/>\n')
        head = (
            '<?xml version="1.0"?>\n<VTKFile type="Collection" version="1.0" byte_order="LittleEndian">\n<Collection>\n'
        )
        packed.writestr(f"{series.of}.pvd", f"{head}{''.join(lines)}</Collection>\n</VTKFile>\n")


def _one(path: Path, series: Series, moment: Moment) -> None:
    if series.of == "patches":
        vtu.write_faces(path, series.mesh, moment.values)
    else:
        vtu.write(path, series.mesh, moment.values, plain=True)
