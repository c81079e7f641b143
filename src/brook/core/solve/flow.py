"""Laminar flow, steady or in time: SIMPLEC on any polyhedral mesh.

Van Doormaal & Raithby (1984) for SIMPLEC; Rhie & Chow (1983) for the face flux, with Majumdar's (1988) term and one
like it for each earlier moment, so that the converged flux depends neither on relaxation nor on the time step.
Further corrections of an iteration are those of PISO (Issa 1986).
"""

from __future__ import annotations

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.numerics import (
    Matrix,
    Stencil,
    convection,
    correction_of_diffusion,
    correction_of_upwind,
    divergence,
    face_mean,
    gradient,
    kernels,
    laplacian,
    turned_diffusion,
)  # fmt: skip
from brook.core.numerics.linear import PressureSolver, sweep_vector, usual_pressure_solver
from brook.core.numerics.operators import Convection
from brook.core.solve.fields import Fields
from brook.core.solve.medium import Medium, ShearLaws
from brook.core.solve.passenger import HeatCarried
from brook.core.solve.past import Moment, Past
from brook.core.solve.residuals import Residuals
from brook.core.solve.setup import FIXED, OPEN, SLIP, BoundaryConditions

RUNAWAY = 1000.0
# Relaxation of a second start after a first one ran away.
GENTLE = 0.8
STATE = {
    "velocity": "velocity", "pressure": "pressure", "flux": "flux", "pressure_gradient": "_pressure_gradient",
    "mean_flux": "_mean_flux",
}  # fmt: skip


class Diverged(RuntimeError):
    """The iteration ran away: `quantity`, `place` (3,) in m and the likely `cause`."""

    def __init__(self, quantity: str, place: np.ndarray, cause: str):
        super().__init__(cause)
        self.quantity = quantity
        self.place = place
        self.cause = cause


class SteadyFlow:
    """The state of a steady flow on its way to convergence; `iterate` takes one step."""

    def __init__(
        self,
        stencil: Stencil,
        fluid: ConstantFluid | Medium,
        conditions: BoundaryConditions,
        scheme: Convection = "limited",
        relaxation: float = 0.96,
        coupling: float | None = None,
        sweeps: int = 8,
        pressure_tolerance: float = 0.05,
        pressure_solver: PressureSolver | None = None,
        force: np.ndarray | None = None,
        passenger: HeatCarried | None = None,
        law: ShearLaws | None = None,
    ):
        self.stencil, self.conditions = stencil, conditions
        self.medium = fluid if isinstance(fluid, Medium) else Medium.uniform(stencil, fluid)
        self.scheme, self.relaxation, self.sweeps = scheme, relaxation, sweeps
        # the pressure correction sees a little more resistance than SIMPLEC's own: docs/decisions/0005
        self.coupling = 1 - 1.5 * (1 - relaxation) if coupling is None else coupling
        self.pressure_tolerance = pressure_tolerance
        self.force = force  # on the fluid in each cell (C, 3) in N
        self.corrections = 1
        self.law = law
        self.past: Past | None = None  # what a flow in time was before this step
        self.swelling: np.ndarray | None = None  # mass (C,) in kg/s by which cells grow heavier
        self.pressure_solver = pressure_solver or usual_pressure_solver(stencil.cells)
        self.fixed, self.open, self.slip = (np.nonzero(conditions.kind == k)[0] for k in (FIXED, OPEN, SLIP))
        # a boundary pressure is known only where it is given: elsewhere the gradient is one-sided
        self._all = stencil.every_boundary
        self._known = stencil.gradient_vectors(conditions.kind == OPEN)
        self._start()
        self.passenger = passenger
        if passenger is not None:
            passenger.act(self)

    def gentler(self) -> SteadyFlow:
        """The same flow from its start state, with smaller steps."""
        return SteadyFlow(
            self.stencil, self.medium, self.conditions, self.scheme, GENTLE, GENTLE, self.sweeps,
            self.pressure_tolerance, force=self.force, passenger=self.passenger, law=self.law,
        )  # fmt: skip

    def start_pressure(self, pressure: np.ndarray) -> None:
        """Takes over a pressure (C,) and what follows from it and from the velocity and flux as they are."""
        self.pressure = pressure.copy()
        self._pressure_gradient = gradient(self.stencil, self._known, self.pressure, self.conditions.pressure)
        self._remember_mean_flux()

    def moment(self) -> Moment:
        """What later steps in time need of now."""
        fields = {} if self.passenger is None else self.passenger.moment(self)
        return Moment(self.velocity.copy(), self.pressure.copy(), self.flux.copy(), self.flux - self._mean_flux, fields)

    def draw_out(self, now: Moment, before: Moment, ratio: float) -> None:
        """Begins a step as if the change since `before` went on, `ratio` being this step over the last."""
        self.velocity = now.velocity + ratio * (now.velocity - before.velocity)
        self.flux = now.flux + ratio * (now.flux - before.flux)
        self.start_pressure(now.pressure + ratio * (now.pressure - before.pressure))
        if self.passenger is not None:
            self.passenger.draw_out(now, before, ratio)

    def courant(self, step: float) -> float:
        """The largest Courant number of a cell for a step in s: what flows through in it over what the cell holds."""
        s = self.stencil
        through = np.bincount(s.owner, np.abs(self.flux), s.cells)
        through += np.bincount(s.neighbour, np.abs(self.flux[: s.inner]), s.cells)
        return float((0.5 * step * through / (self.medium.density * s.mesh.volume)).max())

    def change(self, conditions: BoundaryConditions) -> None:
        """Takes over other values on boundaries of the same kinds. Raises `ValueError` for other kinds."""
        if not np.array_equal(conditions.kind, self.conditions.kind):
            raise ValueError("what holds on a boundary may not change while a flow is computed, only its values")
        self.conditions = conditions
        self._give_flux()

    @property
    def is_gentle(self) -> bool:
        return self.relaxation <= GENTLE

    def state(self) -> dict[str, np.ndarray]:
        """Copies of all arrays that the next iteration starts from."""
        arrays = {name: getattr(self, attribute).copy() for name, attribute in STATE.items()}
        return arrays if self.passenger is None else arrays | self.passenger.state()

    def restore(self, arrays: dict[str, np.ndarray]) -> None:
        """Takes over a state; raises `ValueError` for one of another mesh.

        What the boundaries say now stays: the flux through them is the flow's own wherever it is given.
        """
        given = self.flux[self.stencil.inner :].copy()
        for name, attribute in STATE.items():
            if arrays[name].shape != getattr(self, attribute).shape:
                raise ValueError(f"{name} of the start state belongs to another mesh")
            setattr(self, attribute, arrays[name].copy())
        kept = self.flux[self.stencil.inner :][self.open].copy()
        self.flux[self.stencil.inner :] = given
        self.flux[self.stencil.inner :][self.open] = kept
        if self.passenger is not None:
            self.passenger.restore(arrays, self)

    # -- start state --------------------------------------------------------------------------

    def _start(self) -> None:
        """Potential flow: the flux that fits the boundaries and has no rotation."""
        s = self.stencil
        self.velocity = np.zeros((s.cells, 3))
        self.pressure = np.zeros(s.cells)
        self.flux = np.zeros(s.active)
        self._give_flux()
        self._pressure_gradient = np.zeros((s.cells, 3))
        self._mean_flux = np.zeros(s.active)
        self.reference_speed = self._reference_speed()
        if np.any(self.flux):
            mobility = np.ones(s.cells)
            correction = self._solve_correction(mobility, 1e-6)
            self._apply_to_flux(correction, mobility)
            self.velocity = -self._gradient_of_correction(correction)
        self._remember_mean_flux()

    def _give_flux(self) -> None:
        """The flux through boundaries of given velocity."""
        through = np.einsum("ij,ij->i", self.conditions.velocity, self.stencil.area[self.stencil.inner :])
        self.flux[self.stencil.inner :][self.fixed] = (self.medium.on_boundary * through)[self.fixed]

    def _reference_speed(self) -> float:
        """The largest speed that the boundaries suggest, in m/s."""
        speeds = np.linalg.norm(self.conditions.velocity, axis=1)
        levels = self.conditions.pressure[self.open]
        drop = float(np.ptp(levels)) if len(levels) else 0.0
        return max(float(speeds.max(initial=0.0)), (2 * drop / float(self.medium.density.min())) ** 0.5)

    # -- boundary values ----------------------------------------------------------------------

    def boundary_velocity(self) -> np.ndarray:
        s, inner = self.stencil, self.stencil.inner
        value = self.conditions.velocity.copy()
        near = self.velocity[s.face_cell]
        normal = s.boundary_normal
        through = np.einsum("ij,ij->i", near[self.slip], normal[self.slip])
        value[self.slip] = near[self.slip] - through[:, None] * normal[self.slip]
        size = np.linalg.norm(s.area[inner:][self.open], axis=1)
        speed = self.flux[inner:][self.open] / (self.medium.on_boundary[self.open] * size)
        back = (speed[:, None] * normal[self.open])[speed < 0]
        value[self.open] = near[self.open]
        value[self.open[speed < 0]] = back
        return value

    def _boundary_pressure(self) -> np.ndarray:
        s = self.stencil
        cell = s.face_cell
        reached = self.pressure[cell] + np.einsum("ij,ij->i", self._pressure_gradient[cell], s.line[s.inner :])
        return np.where(self.conditions.kind == OPEN, self.conditions.pressure, reached)

    def backflow(self) -> float:
        """Share of the flow through pressure patches that comes back in."""
        through = self.flux[self.stencil.inner :][self.open]
        total = float(np.abs(through).sum())
        return float(-through[through < 0].sum()) / total if total > 0 else 0.0

    # -- one iteration ------------------------------------------------------------------------

    def iterate(self) -> Residuals:
        """One SIMPLEC step. Raises `Diverged`."""
        s, alpha = self.stencil, self.relaxation
        on_boundary = self.boundary_velocity()
        slope = gradient(s, self._all, self.velocity, on_boundary)
        if self.law is not None:
            self.medium = self.law.on(self.medium, slope, on_boundary - self.velocity[s.face_cell])
        viscosity = self.medium.viscosity_of_faces
        equation = convection(s, self.flux) - laplacian(s, viscosity)
        diagonal, source = self._boundary_terms(equation, on_boundary, slope)
        source += correction_of_upwind(s, self.flux, self.velocity, slope, self.scheme)
        source += correction_of_diffusion(s, viscosity, slope)
        if self.medium.varies:
            source += turned_diffusion(s, viscosity, self.medium.viscosity_on_boundary, slope)
        # slipping walls hold one component only: what counts is the one that moves most easily
        own = diagonal[:, :2].min(axis=1) if s.mesh.is_plane or s.mesh.is_wedge else diagonal.min(axis=1)
        inert = np.zeros(s.cells)
        if self.past is not None:
            mass = self.medium.density * s.mesh.volume
            inert = self.past.now * mass
            diagonal += inert[:, None]
            source += mass[:, None] * self.past.pull
        if self.force is not None:
            source += self.force
        push = -self._pressure_gradient * s.mesh.volume[:, None]

        momentum = self._momentum_residual(equation, diagonal, source, push, on_boundary)
        right = source + push + (1 - alpha) / alpha * diagonal * self.velocity
        sweep_vector(equation, diagonal / alpha, right, self.velocity, self.sweeps)

        self._predict_flux(s.mesh.volume / own, slope)
        residual = self._mass_residual(slope)
        mobility = s.mesh.volume / ((own + inert) / self.coupling - equation.diagonal)
        self._correct(mobility)
        for _ in range(1, self.corrections):
            # PISO: the momentum equation once more, its neighbours as they are now
            others = np.empty((s.cells, 3))
            kernels.off_diagonal_product(s.owner, s.neighbour, equation.lower, equation.upper, self.velocity, others)
            push_now = -self._pressure_gradient * s.mesh.volume[:, None]
            self.velocity = alpha * (right - push + push_now - others) / diagonal
            slope = gradient(s, self._all, self.velocity, on_boundary)
            self._predict_flux(s.mesh.volume / own, slope)
            self._correct(mobility)
        self._catch_runaway()
        heat = self.passenger.follow(self) if self.passenger is not None else 0.0
        return Residuals(momentum, residual, heat)

    def _correct(self, mobility: np.ndarray) -> None:
        """Pressure, velocity and flux so that mass is kept."""
        s = self.stencil
        correction = self._solve_correction(mobility, self.pressure_tolerance)
        self._apply_to_flux(correction, mobility)
        self.velocity -= mobility[:, None] * self._gradient_of_correction(correction)
        self.pressure += correction
        if self.conditions.is_closed:
            self.pressure -= np.average(self.pressure, weights=s.mesh.volume)
        self._pressure_gradient = gradient(s, self._known, self.pressure, self.conditions.pressure)
        self._remember_mean_flux()

    def _boundary_terms(
        self, equation: Matrix, on_boundary: np.ndarray, slope: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray]:
        """Diagonal (C, 3) and source (C, 3) of the momentum equations with their boundaries."""
        s, inner = self.stencil, self.stencil.inner
        mu = self.medium.viscosity_on_boundary
        diagonal = np.repeat(equation.diagonal[:, None], 3, axis=1)
        source = np.zeros((s.cells, 3))
        entering = np.maximum(-self.flux[inner:], 0.0)
        drag = mu * s.stiffness[inner:]
        coefficient = entering + np.where(self.conditions.kind == FIXED, drag, 0.0)
        np.add.at(diagonal, s.face_cell, coefficient[:, None])
        np.add.at(source, s.face_cell, coefficient[:, None] * on_boundary)
        cell = s.face_cell[self.fixed]
        skewed = mu[self.fixed][:, None] * np.einsum("fki,fi->fk", slope[cell], s.cross[inner:][self.fixed])
        np.add.at(source, cell, skewed)
        if len(self.slip):
            # only the normal component is held; each component's own part is implicit
            cell, normal = s.face_cell[self.slip], s.boundary_normal[self.slip]
            held = drag[self.slip][:, None] * normal**2
            through = np.einsum("ij,ij->i", self.velocity[cell], normal)
            np.add.at(diagonal, cell, held)
            rest = through[:, None] * normal - normal**2 * self.velocity[cell]
            np.add.at(source, cell, -drag[self.slip][:, None] * rest)
        return diagonal, source

    def _momentum_residual(
        self, equation: Matrix, diagonal: np.ndarray, source: np.ndarray, push: np.ndarray, on_boundary: np.ndarray
    ) -> float:
        s, inner = self.stencil, self.stencil.inner
        image = np.empty((s.cells, 3))
        kernels.off_diagonal_product(s.owner, s.neighbour, equation.lower, equation.upper, self.velocity, image)
        image += diagonal * self.velocity - source
        left = float(np.linalg.norm(push - image, axis=1).sum())
        terms = float(np.linalg.norm(image, axis=1).sum() + np.linalg.norm(push, axis=1).sum())
        carried = np.abs(self.flux[inner:]) * np.linalg.norm(on_boundary, axis=1)
        dragged = np.linalg.norm(on_boundary - self.velocity[s.face_cell], axis=1)
        terms += float(carried.sum() + (self.medium.viscosity_on_boundary * s.stiffness[inner:] * dragged).sum())
        return left / terms if terms > 0 else 0.0

    def _mass_residual(self, slope: np.ndarray) -> float:
        s = self.stencil
        left = float(np.abs(self._gained()).sum())
        stretched = np.abs(np.diagonal(slope, axis1=1, axis2=2)).sum(axis=1)
        terms = float((self.medium.density * s.mesh.volume) @ stretched) + 0.5 * float(
            np.abs(self.flux[s.inner :]).sum()
        )
        # from rest nothing is stretched yet: what is left is then all there is
        return left / (terms + left) if left > 0 else 0.0

    def _gained(self) -> np.ndarray:
        """Mass (C,) in kg/s that leaves cells or makes them heavier: nothing where mass is kept."""
        out = divergence(self.stencil, self.flux)
        return out if self.swelling is None else out + self.swelling

    # -- fluxes -------------------------------------------------------------------------------

    def _predict_flux(self, ease: np.ndarray, slope: np.ndarray) -> None:
        """Rhie-Chow fluxes from the new velocity and the old pressure; `ease` (C,) is volume over the diagonal without
        relaxation and inertia. Both are brought in on the face itself: what is left of them in the end is then nothing."""
        s, rho, inner = self.stencil, self.medium.density_of_faces, self.stencil.inner
        lag = (1 - self.relaxation) * (self.flux - self._mean_flux)
        dense = np.concatenate([rho, self.medium.density[s.face_cell]])
        mobility = np.concatenate([face_mean(s, ease), ease[s.face_cell]])
        mobility *= self.relaxation / (1 + mobility * dense * (self.past.now if self.past is not None else 0.0))
        if self.past is not None:
            share = mobility * dense
            for rate, off in self.past.lags:
                lag -= rate * share * off
        kernels.rhie_chow(
            self.velocity, self.pressure, self._pressure_gradient, mobility[:inner], s.owner, s.neighbour, s.weight,
            s.skew, slope, s.area, s.line, s.stiffness, rho, self.flux[:inner],
        )  # fmt: skip
        self.flux[:inner] += lag[:inner]
        face = inner + self.open
        cell = s.face_cell[self.open]
        through = np.einsum("ij,ij->i", self.velocity[cell], s.area[face])
        slope_along = np.einsum("ij,ij->i", self._pressure_gradient[cell], s.line[face])
        step = self.conditions.pressure[self.open] - self.pressure[cell]
        self.flux[face] = (
            self.medium.on_boundary[self.open] * (through + mobility[face] * s.stiffness[face] * (slope_along - step))
            + lag[face]
        )

    def _remember_mean_flux(self) -> None:
        """Flux of the interpolated velocity alone, for Majumdar's term of the next step."""
        s, rho, inner = self.stencil, self.medium.density_of_faces, self.stencil.inner
        slope = gradient(s, self._all, self.velocity, self.boundary_velocity())
        nothing = np.zeros(inner)
        kernels.rhie_chow(
            self.velocity, self.pressure, self._pressure_gradient, nothing, s.owner, s.neighbour, s.weight,
            s.skew, slope, s.area, s.line, s.stiffness, rho, self._mean_flux[:inner],
        )  # fmt: skip
        cell = s.face_cell[self.open]
        through = np.einsum("ij,ij->i", self.velocity[cell], s.area[inner + self.open])
        self._mean_flux[inner + self.open] = self.medium.on_boundary[self.open] * through

    def _solve_correction(self, mobility: np.ndarray, tolerance: float) -> np.ndarray:
        """p' of ∇·(ρ mobility ∇p') = ∇·flux, in Pa, zero where the pressure is given."""
        s, rho = self.stencil, self.medium.on_boundary[self.open]
        positive = laplacian(s, -self.medium.density_of_faces * face_mean(s, mobility))
        cell = s.face_cell[self.open]
        diagonal = positive.diagonal.copy()
        np.add.at(diagonal, cell, rho * mobility[cell] * s.stiffness[s.inner + self.open])
        right = -self._gained()
        if self.conditions.is_closed:
            diagonal[0] *= 2.0  # fixes the level
            right -= right.mean()
        matrix = Matrix(s, diagonal, positive.lower, positive.upper)
        correction, _ = self.pressure_solver.solve(matrix, right, tolerance)
        return correction

    def _apply_to_flux(self, correction: np.ndarray, mobility: np.ndarray) -> None:
        s, rho, inner = self.stencil, self.medium.density_of_faces, self.stencil.inner
        step = correction[s.neighbour] - correction[s.owner[:inner]]
        self.flux[:inner] -= rho * face_mean(s, mobility) * s.stiffness[:inner] * step
        cell = s.face_cell[self.open]
        rho = self.medium.on_boundary[self.open]
        self.flux[inner + self.open] += rho * mobility[cell] * s.stiffness[inner + self.open] * correction[cell]

    def _gradient_of_correction(self, correction: np.ndarray) -> np.ndarray:
        return gradient(self.stencil, self._known, correction, np.zeros(self.stencil.boundary_count))

    def close_mass(self) -> None:
        """Takes the last imbalance out of the fluxes, to round-off."""
        mobility = np.ones(self.stencil.cells)
        solver, self.pressure_solver = self.pressure_solver, usual_pressure_solver(self.stencil.cells)
        for _ in range(2):
            if np.any(self.flux):
                self._apply_to_flux(self._solve_correction(mobility, 1e-12), mobility)
        self.pressure_solver = solver
        if self.passenger is not None:
            self.passenger.settle(self)

    # -- watch --------------------------------------------------------------------------------

    def _catch_runaway(self) -> None:
        s = self.stencil
        squared = np.einsum("ij,ij->i", self.velocity, self.velocity)
        broken = ~np.isfinite(squared + self.pressure)
        limit = RUNAWAY * self.reference_speed
        if not broken.any() and (self.reference_speed == 0 or squared.max() < limit**2):
            return
        cell = int(np.argmax(broken)) if broken.any() else int(np.argmax(squared))
        what = "pressure" if broken.any() and np.isfinite(squared[cell]) else "speed"
        raise Diverged(
            what, s.mesh.centre[cell], f"the {what} ran away to more than {RUNAWAY:g} times what the boundaries suggest"
        )

    def snapshot(self) -> Fields:
        """A copy of the fields as they are now."""
        fields = Fields(
            self.stencil, self.medium.density, self.medium.viscosity, self.velocity.copy(), self.pressure.copy(), self.flux.copy(),
            self.boundary_velocity(), self._boundary_pressure(),
        )  # fmt: skip
        if self.medium.at_walls is not None:
            fields.more["viscosity"] = (self.medium.viscosity.copy(), self.medium.at_walls.copy())
        return fields if self.passenger is None else self.passenger.onto(fields)
