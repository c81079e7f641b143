"""What fills the cells that a flow is computed in."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.materials.rheology import shear_rate
from brook.core.numerics import Stencil, face_mean

if TYPE_CHECKING:
    from brook.core.solve.coarse import Agglomerates
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.turbulence.walls import Walls


@dataclass(frozen=True, eq=False)
class Medium:
    """density (C,) in kg/m³ and viscosity (C,) in Pa s of the fluid in each cell, its density (B,) on boundaries, and its
    viscosity `at_walls` (B,) where that differs from the cell's.

    Of a turbulent flow the `eddy` viscosity (C,) is a part of the viscosity, and `walls` have a law: their viscosity is what
    makes it of the step to the wall."""

    stencil: Stencil
    density: np.ndarray
    viscosity: np.ndarray
    on_boundary: np.ndarray
    at_walls: np.ndarray | None = None
    eddy: np.ndarray | None = None
    walls: Walls | None = None

    @property
    def molecular(self) -> np.ndarray:
        """The viscosity (C,) without that of eddies, in Pa s."""
        return self.viscosity if self.eddy is None else self.viscosity - self.eddy

    @classmethod
    def uniform(cls, stencil: Stencil, fluid: ConstantFluid) -> Medium:
        """One fluid everywhere."""
        return cls(
            stencil, np.full(stencil.cells, fluid.density), np.full(stencil.cells, fluid.viscosity),
            np.full(stencil.boundary_count, fluid.density),
        )  # fmt: skip

    def density_of_faces(self) -> np.ndarray:
        """In kg/m³, on inner faces (inner,); computed each time."""
        return face_mean(self.stencil, self.density)

    def viscosity_of_faces(self) -> np.ndarray:
        """In Pa s, on inner faces (inner,); computed each time."""
        return face_mean(self.stencil, self.viscosity)

    @cached_property
    def viscosity_on_boundary(self) -> np.ndarray:
        """In Pa s (B,)."""
        return self.viscosity[self.stencil.face_cell] if self.at_walls is None else self.at_walls

    @property
    def turning(self) -> np.ndarray:
        """The viscosity (B,) in Pa s of what a velocity gradient along a boundary makes of friction there: without the law of the
        wall, which has all of it."""
        if self.walls is None:
            return self.viscosity_on_boundary
        found = self.viscosity_on_boundary.copy()
        found[self.walls.faces] = self.molecular[self.walls.cell]
        return found

    @cached_property
    def varies(self) -> bool:
        """Whether the viscosity differs from cell to cell of a body."""
        if self.eddy is not None:
            return True
        body = self.stencil.mesh.body
        first = np.zeros(len(self.stencil.mesh.bodies))
        first[body] = self.viscosity
        return bool(np.any(np.abs(self.viscosity - first[body]) > 1e-12 * first[body]))


@dataclass(eq=False)
class HeldMedium:
    """What an equation last found the medium to be; None and, for viscosities, all cells but `of` (C,) are left as they come."""

    density: np.ndarray | None = None
    on_boundary: np.ndarray | None = None
    viscosity: np.ndarray | None = None
    at_walls: np.ndarray | None = None
    of: np.ndarray | None = None

    def contribute(self, medium: Medium, flow: FlowSolver, on_boundary: np.ndarray | None) -> Medium:
        """As `Contribution.contribute` says."""
        density = medium.density if self.density is None else self.density
        on_faces = medium.on_boundary if self.on_boundary is None else self.on_boundary
        viscosity, at_walls = medium.viscosity, medium.at_walls
        if self.viscosity is not None and self.at_walls is not None and self.of is not None:
            viscosity, at_walls = self.viscosity, self.at_walls
            if not self.of.all():
                there = self.of[medium.stencil.face_cell]
                viscosity = np.where(self.of, self.viscosity, medium.viscosity)
                at_walls = np.where(there, self.at_walls, medium.viscosity_on_boundary)
        return Medium(medium.stencil, density, viscosity, on_faces, at_walls)

    def coarse(self, agglomerates: Agglomerates) -> None:
        """The medium of the moment will do."""


@dataclass(frozen=True, eq=False)
class ShearLaws:
    """Of the fluids of a flow, and `of` (C,): which of them fills each cell, how their viscosity depends on shear."""

    fluids: tuple[ConstantFluid, ...]
    of: np.ndarray

    def coarse(self, agglomerates: Agglomerates) -> ShearLaws:
        """The same on agglomerates of cells."""
        return ShearLaws(self.fluids, agglomerates.first(self.of))

    def contribute(self, medium: Medium, flow: FlowSolver, on_boundary: np.ndarray | None) -> Medium:
        """The medium with the viscosity at the velocity gradient of the flow. At boundaries, of velocities (B, 3), the rate is
        that between a cell and its boundary where this is the larger: at walls a cell's own falls short."""
        if on_boundary is None:
            return self._as_it_was(medium, flow.medium)
        return self.on(medium, flow.momentum.gradient, on_boundary - flow.velocity[flow.stencil.face_cell])

    def _as_it_was(self, medium: Medium, before: Medium) -> Medium:
        bound = np.array([fluid.law is not None for fluid in self.fluids])[self.of]
        there = bound[medium.stencil.face_cell]
        return replace(
            medium, viscosity=np.where(bound, before.viscosity, medium.viscosity),
            at_walls=np.where(there, before.viscosity_on_boundary, medium.viscosity_on_boundary),
        )  # fmt: skip

    def on(self, medium: Medium, slope: np.ndarray, step: np.ndarray) -> Medium:
        """The medium with the viscosity at a velocity gradient (C, 3, 3); `step` (B, 3) leads from the velocity of a cell
        to that of its boundary."""
        s = medium.stencil
        rate, viscosity = shear_rate(slope), medium.viscosity.copy()
        at_walls = medium.viscosity_on_boundary.copy()
        height = np.linalg.norm(s.area[s.inner :], axis=1) / s.geometric_diffusion[s.inner :]
        rate_there = np.maximum(np.linalg.norm(step, axis=1) / height, rate[s.face_cell])
        for k, fluid in enumerate(self.fluids):
            if fluid.law is not None:
                here, there = self.of == k, self.of[s.face_cell] == k
                viscosity[here] = fluid.law.at(rate[here])
                at_walls[there] = fluid.law.at(rate_there[there])
        return replace(medium, viscosity=viscosity, at_walls=at_walls)
