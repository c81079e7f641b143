"""Where a turbulent flow ends at walls: how far cells are from them, and what the law of the wall says of the cells at them."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from brook.core.compiling.kernel import kernel, loop
from brook.core.geometry.nearest import Nearest
from brook.core.numerics import Stencil
from brook.core.numerics.chunks import chunks_of, over
from brook.core.numerics.passes import EXACT
from brook.core.solve.turbulence.wall_law import (
    KAPPA,
    TURBULENT_PRANDTL,
    friction_at,
    height,
    speed_at,
    temperature_at,
    turbulent_prandtl_at,
)

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.medium import Medium

AT_REST = 1e-12  # U y/ν under which nothing moves along a wall
BETA, BETA_STAR = 0.075, 0.09  # of ω next to walls, whatever the model: Wilcox (1993)
BLEND = 10.0  # y⁺ round which ω goes over from its viscous to its logarithmic part


class Walls:
    """Boundary faces `faces` (n,) with a law, rough by grains `grain` (n,) in m, 0 for smooth ones.

    After `look`: `friction_velocity` (n,) in m/s and `height` (n,), y⁺, of each; `viscosity` (n,), what makes the law of the step to the
    wall; for cells (C,) the rate of `shear`, the `production` of k in W/m³ and `omega`, of those `near` a wall; `distance` (C,) in m.
    """

    def __init__(self, stencil: Stencil, faces: np.ndarray, grain: np.ndarray):
        s = stencil
        self.stencil, self.faces, self.grain = s, faces, grain
        self.cell = s.face_cell[faces].astype(np.int64)
        size = np.linalg.norm(s.area[s.inner + faces], axis=1)
        self.normal = s.area[s.inner + faces] / size[:, None]
        self.away = size / s.geometric_diffusion[s.inner + faces]
        self._share = size / np.bincount(self.cell, size, s.cells)[self.cell]
        self._slope, self._omega = np.zeros((2, len(faces)))
        self._chunks = chunks_of(
            len(faces), 500 * len(faces)
        )  # a law takes a microsecond: threads pay from forty faces on
        self._distance, self._nearest = wall_distance(s, faces)
        self.near = np.zeros(s.cells, bool)
        self.near[self.cell] = True
        self._cells = np.unique(self.cell)
        self.prandtl = TURBULENT_PRANDTL  # of eddies far from walls
        self.friction_velocity, self.height, self.shift = np.zeros((3, len(faces)))
        self.viscosity = np.zeros(len(faces))
        self.shear, self.production, self.omega = np.zeros((3, s.cells))
        self.distance = self._distance

    def look(self, medium: Medium, flow: FlowSolver, on_boundary: np.ndarray) -> None:
        """Takes over velocities and what the fluid is at walls, of velocities on_boundary (B, 3)."""
        if not len(self.faces):
            return
        mu, rho = medium.viscosity_on_boundary[self.faces], medium.density[self.cell]
        over(
            self._chunks, _look, flow.velocity, on_boundary, self.faces, self.cell, self.normal, self.away, self.grain, mu, rho,
            self.friction_velocity, self.height, self.shift, self.viscosity, self._slope, self._omega,
        )  # fmt: skip
        _gather(
            self.cell, self._share, mu, rho, self.friction_velocity, self._slope, self._omega, self._cells, self.shear, self.production, self.omega
        )  # fmt: skip
        if self.grain.any():  # rough walls seem to lie deeper
            deeper = self.shift * (mu / rho) / np.maximum(self.friction_velocity, 1e-300)
            self.distance = self._distance + np.where(self.shift > 0, deeper, 0.0)[self._nearest]

    def nearest_of(self, found: np.ndarray) -> np.ndarray:
        """In each cell (C,) what is known (n,) of the wall face nearest to it; nothing where there are none."""
        return found[self._nearest] if len(self.faces) else np.zeros(self.stencil.cells)

    @property
    def buried(self) -> int:
        """How many cells at walls are lower than the grains on them."""
        return int(np.count_nonzero((self.grain > 0) & (self.grain > 2 * self.away)))

    def conductivity(self, density: np.ndarray, capacity: np.ndarray, molecular: np.ndarray) -> np.ndarray:
        """What makes the law of the temperature (n,) of the step to each wall: ρ c u_τ y/T⁺, in W/(m K), for properties (C,) of the
        cells and their molecular conductivity. After `look`."""
        of = self.cell
        found: np.ndarray = molecular[of]
        over(
            self._chunks, _conductivity, density[of], capacity[of], self.friction_velocity, self.away, self.height, self.shift, self.prandtl, found
        )  # fmt: skip
        return found


@loop(fastmath=EXACT)
def _conductivity(first, last, chunk, density, capacity, friction, away, height_at, shift, far, found):
    """ρ c u_τ y/T⁺(y⁺), which is the molecular conductivity as y⁺ goes to nothing; `found` (n,) has that, and gets it."""
    for n in range(first, last):
        if height_at[n] > 0.0:
            stored = density[n] * capacity[n] * friction[n] * away[n]
            prandtl = stored / (height_at[n] * found[n])  # ρ c ν/k
            found[n] = stored / temperature_at(height_at[n], shift[n], prandtl, far)


def eddy_conductivity(eddy: np.ndarray, capacity: np.ndarray, molecular: np.ndarray, far: float) -> np.ndarray:
    """c μ_t/Pr_t of each cell (C,) in W/(m K), for the molecular conductivity, and Pr_t `far` from walls."""
    found = np.zeros(len(eddy))
    over(chunks_of(len(eddy)), _eddy_conductivity, eddy, capacity, molecular, far, found)
    return found


@loop(fastmath=EXACT)
def _eddy_conductivity(first, last, chunk, eddy, capacity, molecular, far, found):
    """c μ_t/Pr_t, Pr_t at c μ_t/k."""
    for c in range(first, last):
        if molecular[c] > 0.0:
            found[c] = capacity[c] * eddy[c] / turbulent_prandtl_at(eddy[c] * capacity[c] / molecular[c], far)


def wall_distance(stencil: Stencil, walls: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """From the centroid of each cell (C,) to the nearest of the boundary faces `walls` (n,), over periodic pairs too, in m, infinite
    where there are none; and which (C,) that is. Exact on flat faces; others are taken as triangles round their middles."""
    mesh = stencil.mesh
    if not len(walls):
        return np.full(stencil.cells, np.inf), np.zeros(stencil.cells, np.int64)
    faces, middle = stencil.inner + walls, mesh.face_centres(slice(stencil.inner, stencil.active))[walls]
    counts = np.diff(mesh.face_offsets)[faces]
    number = np.repeat(np.arange(len(walls)), counts)
    begin = np.repeat(mesh.face_offsets[faces], counts)
    place = np.arange(len(number)) - np.repeat(np.cumsum(counts) - counts, counts)
    one = mesh.points[mesh.face_points[begin + place]]
    two = mesh.points[mesh.face_points[begin + (place + 1) % np.repeat(counts, counts)]]
    corners = np.stack([middle[number], one, two], axis=1)
    every = [corners]
    for joint in stencil.halo.joints:
        flat = corners.reshape(-1, 3)
        every += [joint.motion.places(flat).reshape(-1, 3, 3), joint.motion.places_back(flat).reshape(-1, 3, 3)]
    whole = np.concatenate(every)
    found, triangle = Nearest.of(whole, np.zeros(len(whole), np.int64)).find(mesh.centre)
    far = np.linalg.norm(found - mesh.centre, axis=1)
    return np.maximum(far, 1e-300), np.tile(number, len(every))[triangle]


@loop(fastmath=EXACT)
def _look(first, last, chunk, velocity, on_boundary, faces, cell, normal, away, grain, viscosity, density, friction, height_at, shift_at,
          drag, slope, omega):  # fmt: skip
    """u_τ from U/u_τ = S(y⁺ + Δ⁺) − S(Δ⁺) with S the inverse of Spalding's law; g = dU⁺/dy⁺, into slope (n,); drag μ_w = ρ u_τ² y/U; and ω =
    φ (ω_v + ω_l) + (1 − φ) √(ω_v² + ω_l²), ω_v = 6ν/(β y²), ω_l = u_τ/(√β* κ y), φ = tanh((y⁺/10)²), of rough walls at y + Δ, into
    omega (n,)."""
    for n in range(first, last):
        c, b, y = cell[n], faces[n], away[n]
        nu = viscosity[n] / density[n]
        u0, u1, u2 = (
            velocity[c, 0] - on_boundary[b, 0],
            velocity[c, 1] - on_boundary[b, 1],
            velocity[c, 2] - on_boundary[b, 2],
        )
        through = u0 * normal[n, 0] + u1 * normal[n, 1] + u2 * normal[n, 2]
        speed = math.sqrt(max(u0 * u0 + u1 * u1 + u2 * u2 - through * through, 0.0))
        g, u_tau, shift, dragged = 1.0, 0.0, 0.0, viscosity[n]
        if speed * y / nu > AT_REST:
            u_tau, shift = friction_at(speed, y, nu, grain[n])
            g = 1.0 / height(speed / u_tau if shift == 0.0 else speed_at(y * u_tau / nu + shift))[1]
            dragged = density[n] * u_tau * u_tau * y / speed
        seen = y + (shift * nu / u_tau if u_tau > 0.0 else 0.0)
        viscous, logarithmic = 6.0 * nu / (BETA * seen * seen), u_tau / (math.sqrt(BETA_STAR) * KAPPA * seen)
        blend = math.tanh((seen * u_tau / nu / BLEND) ** 2)
        omega[n] = blend * (viscous + logarithmic) + (1.0 - blend) * math.sqrt(viscous**2 + logarithmic**2)
        friction[n], height_at[n], shift_at[n], drag[n], slope[n] = u_tau, y * u_tau / nu, shift, dragged, g


@kernel(fastmath=EXACT)
def _gather(cell, share, viscosity, density, friction, slope, face_omega, cells, shear, production, omega):
    """The shear u_τ² g/ν, the production ρ u_τ⁴ g (1 − g)/ν and ω of cells at walls: means over the faces of each, of which every one has
    a share (n,)."""
    for c in cells:
        shear[c], production[c], omega[c] = 0.0, 0.0, 0.0
    for n in range(len(cell)):
        c, g, rate = cell[n], slope[n], friction[n] * friction[n] * density[n] / viscosity[n]
        shear[c] += share[n] * rate * g
        production[c] += share[n] * density[n] * friction[n] * friction[n] * rate * g * (1.0 - g)
        omega[c] += share[n] * face_omega[n]
