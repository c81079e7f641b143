"""The fields of a flow at one moment, in SI units."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from brook.core.mesh import Mesh
from brook.core.numerics import Stencil, gradient


@dataclass(frozen=True, eq=False)
class Fields:
    """velocity (C, 3) in m/s, pressure (C,) in Pa, mass flux (F,) in kg/s outward from the owner.

    Boundary values stand in the order of the active boundary faces: velocity (B, 3), pressure (B,).
    """

    stencil: Stencil
    density: float
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

    def scalar(self, quantity: str) -> tuple[np.ndarray, np.ndarray]:
        """Cell values (C,) and boundary values (B,) of a quantity. Raises `KeyError`."""
        if quantity == "speed":
            return self.speed, np.linalg.norm(self.boundary_velocity, axis=1)
        if quantity == "pressure":
            return self.pressure, self.boundary_pressure
        component = {"velocity_x": 0, "velocity_y": 1, "velocity_z": 2}[quantity]
        return self.velocity[:, component], self.boundary_velocity[:, component]

    def slope(self, quantity: str) -> np.ndarray:
        """Gradient (C, 3) of a quantity."""
        value, boundary = self.scalar(quantity)
        return gradient(
            self.stencil, self.stencil.every_boundary, np.ascontiguousarray(value), np.ascontiguousarray(boundary)
        )

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
            path, density=self.density, velocity=self.velocity, pressure=self.pressure, flux=self.flux,
            boundary_velocity=self.boundary_velocity, boundary_pressure=self.boundary_pressure,
        )  # fmt: skip

    @classmethod
    def load(cls, path: Path, stencil: Stencil) -> Fields:
        with np.load(path) as data:
            return cls(
                stencil, float(data["density"]), data["velocity"], data["pressure"], data["flux"],
                data["boundary_velocity"], data["boundary_pressure"],
            )  # fmt: skip
