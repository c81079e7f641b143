"""The fields of a flow at one moment, in SI units."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from brook.core.mesh import Mesh
from brook.core.numerics import Stencil


@dataclass(frozen=True, eq=False)
class Fields:
    """density in kg/m³, viscosity in Pa s, velocity (C, 3) in m/s, pressure (C,) in Pa, mass flux (F,) in kg/s outward from the owner.

    Boundary values stand in the order of the active boundary faces: velocity (B, 3), pressure (B,).
    """

    stencil: Stencil
    density: float
    viscosity: float
    velocity: np.ndarray
    pressure: np.ndarray
    flux: np.ndarray
    boundary_velocity: np.ndarray
    boundary_pressure: np.ndarray

    @property
    def mesh(self) -> Mesh:
        return self.stencil.mesh

    @cached_property
    def speed(self) -> np.ndarray:
        return np.linalg.norm(self.velocity, axis=1)

    def flow(self, patch_name: str) -> float:
        """Volume flow out through a patch in m³/s. Raises `KeyError`."""
        return float(self.flux[self.mesh.patch(patch_name).faces].sum()) / self.density

    def inflow(self) -> float:
        """Volume flow in through all boundaries together, in m³/s."""
        boundary = self.flux[self.stencil.inner :]
        return float(-boundary[boundary < 0].sum()) / self.density

    def imbalance(self) -> float:
        """Net volume flow through all boundaries over the inflow; in a closed domain the net flow itself."""
        net = abs(float(self.flux[self.stencil.inner :].sum())) / self.density
        inflow = self.inflow()
        return net / inflow if inflow > 0 else net

    def save(self, path: Path) -> None:
        np.savez(
            path, density=self.density, viscosity=self.viscosity, velocity=self.velocity, pressure=self.pressure, flux=self.flux,
            boundary_velocity=self.boundary_velocity, boundary_pressure=self.boundary_pressure,
        )  # fmt: skip

    @classmethod
    def load(cls, path: Path, stencil: Stencil) -> Fields:
        with np.load(path) as data:
            return cls(
                stencil, float(data["density"]), float(data["viscosity"]), data["velocity"], data["pressure"], data["flux"],
                data["boundary_velocity"], data["boundary_pressure"],
            )  # fmt: skip
