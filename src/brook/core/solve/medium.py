"""What fills the cells that a flow is computed in."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.numerics import Stencil, face_mean


@dataclass(frozen=True, eq=False)
class Medium:
    """density (C,) in kg/m³ and viscosity (C,) in Pa s of the fluid in each cell, and its density (B,) on boundaries."""

    stencil: Stencil
    density: np.ndarray
    viscosity: np.ndarray
    on_boundary: np.ndarray

    @classmethod
    def uniform(cls, stencil: Stencil, fluid: ConstantFluid) -> Medium:
        return cls(
            stencil, np.full(stencil.cells, fluid.density), np.full(stencil.cells, fluid.viscosity),
            np.full(stencil.boundary_count, fluid.density),
        )  # fmt: skip

    @cached_property
    def density_of_faces(self) -> np.ndarray:
        """In kg/m³, on inner faces (inner,)."""
        return face_mean(self.stencil, self.density)

    @cached_property
    def viscosity_of_faces(self) -> np.ndarray:
        """In Pa s, on inner faces (inner,)."""
        return face_mean(self.stencil, self.viscosity)

    @cached_property
    def varies(self) -> bool:
        """Whether the viscosity differs from cell to cell of a body."""
        body = self.stencil.mesh.body
        first = np.zeros(len(self.stencil.mesh.bodies))
        first[body] = self.viscosity
        return bool(np.any(np.abs(self.viscosity - first[body]) > 1e-12 * first[body]))
