"""Fields as CGNS: the zones of the mesh with a solution in their cells for each moment, in SI units."""

from __future__ import annotations

from pathlib import Path

import h5py
import numpy as np

from brook.core.mesh.files.cgns_out import letters, node, written
from brook.core.results.files.base import Series
from brook.core.units import Dimension

# how the standard calls what we name otherwise; what it has no name for keeps ours
NAMES = {
    "pressure": "Pressure", "temperature": "Temperature", "density": "Density", "speed": "VelocityMagnitude",
    "velocity": "Velocity", "viscosity": "ViscosityMolecular", "eddy_viscosity": "ViscosityEddy",
    "total_pressure": "PressureStagnation", "total_temperature": "TemperatureStagnation", "vorticity_size": "VorticityMagnitude",
    "turbulent_energy": "TurbulentEnergyKinetic", "dissipation_rate": "TurbulentDissipationRate",
}  # fmt: skip
LONGEST = 32
# what the standard counts powers of: mass, length, time, temperature, angle
EXPONENTS = (1, 0, 2, 3)


def write(path: Path, series: Series) -> None:
    """All moments in one file. Values of cells only."""
    mesh = series.mesh
    cells = [np.nonzero(mesh.body == k)[0] for k in range(len(mesh.bodies))]
    with written(path, mesh) as (base, zones):
        node(base, "DataClass", "DataClass_t", letters("Dimensional"))
        node(base, "DimensionalUnits", "DimensionalUnits_t", _rows(["Kilogram", "Meter", "Second", "Kelvin", "Radian"]))
        times, titles = [], []
        for k, moment in enumerate(series.moments(), 1):
            title = f"Moment{k:06d}" if series.count > 1 else "Solution"
            for zone, here in zip(zones, cells, strict=True):
                solution = node(zone, title, "FlowSolution_t", None)
                node(solution, "GridLocation", "GridLocation_t", letters("CellCenter"))
                for name, values in moment.values.items():
                    _put(solution, name, values[here], series.dimensions.get(name))
            times.append(moment.time)
            titles.append(title)
        if series.count > 1:
            _in_time(base, zones, times, titles)


def _put(solution: h5py.Group, name: str, values: np.ndarray, dimension: Dimension | None) -> None:
    parts = {"": values} if values.ndim == 1 else dict(zip("XYZ", values.T, strict=True))
    for axis, part in parts.items():
        known = NAMES.get(name)
        title = f"{known or name}{axis if known or not axis else f'_{axis}'}"
        if len(title) > LONGEST:
            raise ValueError(
                f"'{title}' is too long a name for CGNS, which takes {LONGEST} letters; give the field a shorter one"
            )
        array = node(solution, title, "DataArray_t", np.ascontiguousarray(part, float))
        if dimension is not None:
            powers = [float(dimension.exponents[k]) for k in EXPONENTS]
            node(array, "DimensionalExponents", "DimensionalExponents_t", np.array([*powers, 0.0]))


def _in_time(base: h5py.Group, zones: list[h5py.Group], times: list[float | None], titles: list[str]) -> None:
    node(base, "SimulationType", "SimulationType_t", letters("TimeAccurate"))
    steps = node(base, "Moments", "BaseIterativeData_t", np.array([len(times)], np.int32))
    node(steps, "TimeValues", "DataArray_t", np.array(times, float))
    for zone in zones:
        mine = node(zone, "Moments", "ZoneIterativeData_t", None)
        node(mine, "FlowSolutionPointers", "DataArray_t", _rows(titles))


def _rows(words: list[str]) -> np.ndarray:
    """Words filled up to 32 letters, one a row."""
    return np.stack([np.frombuffer(w.ljust(LONGEST).encode(), np.int8) for w in words])
