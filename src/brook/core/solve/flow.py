"""Laminar flow, steady or in time: SIMPLEC on any polyhedral mesh.

Van Doormaal & Raithby (1984) for SIMPLEC; Rhie & Chow (1983) for the face flux, with Majumdar's (1988) term and one
like it for each earlier moment, so that the converged flux depends neither on relaxation nor on the time step.
Further corrections of an iteration are those of PISO (Issa 1986). The passes of an iteration are in `momentum` and
`continuity`.
"""

from __future__ import annotations

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.numerics import Stencil, divergence, gauss_gradient, partial_gradient
from brook.core.numerics.linear import PressureSolver, usual_pressure_solver
from brook.core.numerics.multigrid import OwnMultigrid
from brook.core.solve import boundary_values
from brook.core.solve.apart import Apart
from brook.core.solve.continuity import Continuity, project
from brook.core.solve.fields import Fields
from brook.core.solve.medium import Medium
from brook.core.solve.meters import Meters
from brook.core.solve.model import FlowModel
from brook.core.solve.momentum import NOTHING, Momentum
from brook.core.solve.openings import Openings
from brook.core.solve.residuals import Residuals
from brook.core.solve.settings import Settings
from brook.core.solve.setup import FIXED, OPEN, SLIP, BoundaryConditions
from brook.core.solve.states import SolverState, State, check_state, versioned
from brook.core.solve.time_levels import TimeLevel, TimeScheme
from brook.core.solve.within.acting import Acts

RUNAWAY = 1000.0
UNBALANCED = 1e-6  # of what would flow if boundaries were square to their velocity
HARDLY = 1e-9  # of a cell and what it holds, in a step in time: less than that moves is at rest
KEPT = 1e-9  # what may be left of mass, over what passes, before it is told
STATE = ("velocity", "pressure", "flux", "pressure_gradient")
USUAL, NONE_BESIDES = Settings(), FlowModel()


class Diverged(RuntimeError):
    """The iteration ran away: `quantity`, `place` (3,) in m and the likely `cause`."""

    def __init__(self, quantity: str, place: np.ndarray, cause: str):
        super().__init__(cause)
        self.quantity = quantity
        self.place = place
        self.cause = cause


class FlowSolver:
    """The state of a flow on its way to convergence, or to the end of a step in time; `iterate` takes one step."""

    name, version = "flow", 1

    def __init__(
        self, stencil: Stencil, fluid: ConstantFluid | Medium, conditions: BoundaryConditions, model: FlowModel = NONE_BESIDES,
        settings: Settings = USUAL, pressure_solver: PressureSolver | None = None, start: bool = True,
    ):  # fmt: skip
        """`start` begins with potential flow; without it `begin` has to follow."""
        self.stencil, self.conditions, self.model, self.settings = stencil, conditions, model, settings
        self.medium = fluid if isinstance(fluid, Medium) else Medium.uniform(stencil, fluid)
        self._molecular = self.medium  # before anything contributes to it
        self.unsolved = 0  # times that the pressure equation was not solved to its tolerance
        self.time_scheme: TimeScheme | None = None  # of a flow in time
        self.shift: np.ndarray | None = None  # mass flux (F,) in kg/s that is added wherever one is predicted
        self.mass_storage: np.ndarray | None = None  # mass (C,) in kg/s by which cells grow heavier
        self.pressure_solver = pressure_solver or usual_pressure_solver(stencil.cells)
        self.fixed, self.open, self.slip = (np.nonzero(conditions.kind == k)[0] for k in (FIXED, OPEN, SLIP))
        self.openings = Openings(stencil, self.open, conditions)
        self.meters = Meters(stencil, conditions)
        self._set_conditions(conditions)
        # a boundary pressure is known only where it is given: elsewhere the gradient is one-sided
        self.pressure_fit = stencil.fit(conditions.kind == OPEN)
        self.momentum = Momentum(stencil)
        self.mass = Continuity(stencil, self.momentum)
        self._apart = Apart(self) if len(np.unique(stencil.mesh.body)) > 1 else None
        if isinstance(self.pressure_solver, OwnMultigrid):
            self.pressure_solver.work_in(self.mass.workspace)
        if start:
            given = self._given_flux()
            self._refuse_unbalanced(given)
            self.begin(given)
            for equation in model.equations:
                equation.begin(self)
        levels = self.pressure_solver.levels if isinstance(self.pressure_solver, OwnMultigrid) else None
        for equation in model.equations:
            equation.share(self.momentum.workspace, levels, self)
            equation.act(self)

    def _set_conditions(self, conditions: BoundaryConditions) -> None:
        """Takes over what boundaries say, as it is `said`: with velocities by meters, and pressures as the frame of the flow has them."""
        self._said = conditions
        if self.model.frame is not None and not self.stencil.is_agglomerated:
            conditions = self.model.frame.reduced(conditions)
        self.conditions = self.meters.at_start(conditions, self.medium.on_boundary)

    def gentler(self) -> FlowSolver:
        """The same flow from its start state, with smaller steps."""
        return FlowSolver(self.stencil, self._molecular, self._said, self.model, self.settings.gentler())

    def compose(self, on_boundary: np.ndarray | None = None) -> None:
        """The medium as all contributions make it; those that depend on the velocity look at it where that on boundaries (B, 3)
        is given, and stay as they are otherwise."""
        if self.model.contributions:
            medium = self._molecular
            for part in self.model.contributions:
                medium = part.contribute(medium, self, on_boundary)
            self.medium = medium

    def mixed(self) -> list[tuple[np.ndarray, bool]]:
        """The arrays of the state, flat, that an acceleration mixes, and whether their steps are judged."""
        found = [(self.velocity.reshape(-1), True), (self.pressure, True), (self.flux, False)]
        found += [(values, False) for values in self.openings.mixed()]
        return found + [pair for equation in self.model.equations for pair in equation.mixed()]

    def take_mixture(self) -> None:
        """What follows from a mixed state."""
        given = self.openings.pressure(self.conditions)
        gauss_gradient(self.stencil, self.pressure_fit, self.pressure, given, self.pressure_gradient)
        for equation in self.model.equations:
            equation.act(self)

    def start_pressure(self, pressure: np.ndarray) -> None:
        """Takes over a pressure (C,) and what it does."""
        self.pressure = pressure.copy()
        given = self.openings.pressure(self.conditions)
        self.pressure_gradient = gauss_gradient(self.stencil, self.pressure_fit, self.pressure, given)

    def time_level(self) -> TimeLevel:
        """What later steps in time need of now."""
        scalars = {equation.name: equation.time_level(self) for equation in self.model.equations}
        self.momentum.renew_gradient(self, self.boundary_velocity())
        self.momentum.transfer(self)
        return TimeLevel(
            self.stencil.mesh.volume,
            self.velocity.copy(),
            self.pressure.copy(),
            self.flux.copy(),
            self.momentum.off.copy(),
            scalars,
        )

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """Begins a step as if the change since `before` went on, `ratio` being this step over the last."""
        self.velocity = now.velocity + ratio * (now.velocity - before.velocity)
        self.flux = now.flux + ratio * (now.flux - before.flux)
        self.start_pressure(now.pressure + ratio * (now.pressure - before.pressure))
        for equation in self.model.equations:
            equation.extrapolate(now, before, ratio)

    def courant(self, step: float) -> float:
        """The largest Courant number of a cell for a step in s: what flows through in it over what the cell holds."""
        s = self.stencil
        return float((step * s.passing(self.flux) / (self.medium.density * s.mesh.volume)).max())

    def change(self, conditions: BoundaryConditions) -> None:
        """Takes over other values on boundaries of the same kinds. Raises `ValueError` for other kinds."""
        if not np.array_equal(conditions.kind, self.conditions.kind):
            raise ValueError("what holds on a boundary may not change while a flow is computed, only its values")
        driven = self.conditions.driven
        self._set_conditions(conditions)
        self.openings.change(conditions)
        if conditions.driven != driven:
            for equation in self.model.equations:
                equation.act(self)
        given = self._given_flux()
        self._refuse_unbalanced(given)
        self.flux[self.stencil.inner :][self.fixed] = given[self.fixed]
        self.start_pressure(self.pressure)

    @property
    def acts(self) -> Acts:
        """What acts in it by the time."""
        return self.model.acts

    @property
    def mixes(self) -> bool:
        """Whether its states may be mixed to come home sooner."""
        return not self.settings.is_gentle

    def state(self) -> SolverState:
        """Copies of all arrays that the next iteration starts from, by equation."""
        flow: State = {name: getattr(self, name).copy() for name in STATE}
        flow["given_pressure"] = self.conditions.pressure.copy()
        further = {e.name: versioned(e.state(), e.version) for e in self.model.equations}
        return {self.name: versioned(flow, self.version), **further}

    @property
    def versions(self) -> dict[str, int]:
        """Of the states of the flow and its equations."""
        return {self.name: self.version} | {e.name: e.version for e in self.model.equations}

    def restore(self, state: SolverState) -> list[str]:
        """Takes over a state; says what is not taken over of it. Raises `ValueError` for one of another kind or mesh.

        What the boundaries say now stays: the flux through them is the flow's own wherever it is given. An equation that is
        new begins from its start.
        """
        left = check_state(state, self.name, self.versions)
        arrays = state[self.name]
        self.openings.take_over()
        given = self.flux[self.stencil.inner :].copy()
        for name in STATE:
            if arrays[name].shape != getattr(self, name).shape:
                raise ValueError(f"{name} of the start state belongs to another mesh")
            setattr(self, name, arrays[name].copy())
        if not np.array_equal(arrays.get("given_pressure", NOTHING), self.conditions.pressure):
            self.start_pressure(self.pressure)
        kept = self.flux[self.stencil.inner :][self.open].copy()
        self.flux[self.stencil.inner :] = given
        self.flux[self.stencil.inner :][self.open] = kept
        for equation in self.model.equations:
            equation.restore(state.get(equation.name, {}), self)
        return left

    # -- start state --------------------------------------------------------------------------

    def begin(self, through: np.ndarray) -> None:
        """Potential flow: the flux that fits the mass flow (B,) in kg/s out through boundaries and has no rotation."""
        s = self.stencil
        self.velocity = np.zeros((s.cells, 3))
        self.flux = np.concatenate([np.zeros(s.inner), through])
        self.pressure, self.pressure_gradient = np.zeros(s.cells), np.zeros((s.cells, 3))
        self.reference_speed = self._reference_speed()
        if np.any(self.flux):
            self.velocity = project(self, 1e-6)
        elif self.openings.depends:
            self._begin_through(self.openings.at_rest(self.conditions)[self.open])

    def _begin_through(self, pressure: np.ndarray) -> None:
        """Potential flow between openings whose pressures (n,) differ, half as fast as these alone would make it."""
        velocity = project(self, 1e-6, pressure)
        through = self.flux[self.stencil.inner :][self.open] / self.medium.on_boundary[self.open]
        fastest = float(
            np.abs(through / np.linalg.norm(self.stencil.area[self.stencil.inner + self.open], axis=1)).max()
        )
        if fastest > 0:
            slower = self.openings.fastest(0.5 * self.reference_speed) / fastest
            self.velocity, self.flux = slower * velocity, slower * self.flux

    @property
    def is_driven(self) -> bool:
        """Whether an equation moves the flow from rest, as heat does: coarser meshes lead nowhere then."""
        return any(equation.drives_flow for equation in self.model.equations)

    def start_from(self, velocity: np.ndarray, pressure: np.ndarray) -> None:
        """Takes over a velocity (C, 3) and a pressure (C,) that are about right; mass is kept."""
        s, inner = self.stencil, self.stencil.inner
        self.openings.take_over()
        self.velocity = velocity
        seen, owner, w = s.across(velocity), s.owner[:inner], s.weight
        mean = np.zeros(inner)  # component by component, for room
        for k in range(3):
            mean += (w * seen[owner, k] + (1 - w) * seen[s.neighbour, k]) * s.area[:inner, k]
        self.flux[:inner] = self.medium.density_of_faces() * mean
        cell = s.face_cell[self.open]
        through = np.einsum("ij,ij->i", velocity[cell], s.area[inner + self.open])
        self.flux[inner + self.open] = self.medium.on_boundary[self.open] * through
        self.velocity = velocity + project(self, 1e-2)
        self.start_pressure(pressure)

    def _given_flux(self) -> np.ndarray:
        """The mass flow (B,) in kg/s out through boundaries of given velocity."""
        through = np.einsum("ij,ij->i", self.conditions.velocity, self.stencil.area[self.stencil.inner :])
        return np.where(self.conditions.kind == FIXED, self.medium.on_boundary * through, 0.0)

    def _refuse_unbalanced(self, given: np.ndarray) -> None:
        """Raises `ValueError` where all that flows through boundaries (B,) is given and more is to enter than to leave."""
        if not self.conditions.is_closed or any(e.changes_density for e in self.model.equations):
            return
        speeds = np.linalg.norm(self.conditions.velocity, axis=1)
        net = float(given.sum())
        through = float(
            (self.medium.on_boundary * speeds) @ np.linalg.norm(self.stencil.area[self.stencil.inner :], axis=1)
        )
        if abs(net) > UNBALANCED * through:
            more, less = ("leave", "enter") if net > 0 else ("enter", "leave")
            raise ValueError(
                f"{abs(net):.3g} kg/s more are to {more} than to {less}, and no boundary lets the rest through: name an "
                "outlet, or let the stream lie on all sides"
            )

    def _reference_speed(self) -> float:
        """The largest speed that the boundaries suggest, in m/s."""
        speeds = np.linalg.norm(self.conditions.velocity, axis=1)
        levels = self.openings.at_rest(self.conditions)[self.open]
        drop = float(np.ptp(levels)) if len(levels) else 0.0
        found = max(float(speeds.max(initial=0.0)), (2 * drop / float(self.medium.density.min())) ** 0.5)
        first = self.stencil.mesh.inner_count
        for joint in self.stencil.halo.joints:
            said = self.conditions.driven.get(joint.patch)
            if said is not None and said.kind == "mass_flow":
                area = float(np.linalg.norm(self.stencil.area[first + joint.near], axis=1).sum())
                found = max(found, abs(said.value) / (float(self.medium.density.min()) * area))
        return found

    # -- boundary values ----------------------------------------------------------------------

    def boundary_velocity(self) -> np.ndarray:
        """On boundary faces (B, 3), in m/s."""
        s, found = self.stencil, np.empty((self.stencil.boundary_count, 3))
        boundary_values.velocities(
            self.conditions.kind, self.conditions.velocity, self.velocity, s.face_cell, s.area[s.inner :],
            self.flux[s.inner :], self.medium.on_boundary, found,
        )  # fmt: skip
        return found

    def _boundary_pressure(self) -> np.ndarray:
        s, found = self.stencil, np.empty(self.stencil.boundary_count)
        given = self.openings.pressure(self.conditions)
        slope = partial_gradient(s, self.pressure_fit, self.pressure, given, at_boundary=True)
        boundary_values.pressures(
            self.conditions.kind, given, self.pressure, slope, s.face_cell, s.boundary_line, found
        )
        return found

    def notes(self) -> list[str]:
        """What was held at a limit because nothing is known beyond, and what was not solved as well as it was asked to be."""
        found = [
            *self.model.told,
            *self.conditions.told.values(),
            *(note for equation in self.model.equations for note in equation.notes()),
        ]
        found += self.openings.notes(self.flux[self.stencil.inner :], self.medium.on_boundary, self.time_scheme is None)
        if self.model.steps is not None:
            found += self.model.steps.notes(self)
        if self.unsolved:
            found.append(
                f"the pressure equation was not solved to its tolerance in {self.unsolved} iteration"
                f"{'s' if self.unsolved > 1 else ''}"
            )
        return found

    def backflow(self) -> float:
        """Share of the flow through pressure patches that comes back in."""
        through = self.flux[self.stencil.inner :][self.open][~self.openings.entering]
        total = float(np.abs(through).sum())
        return float(-through[through < 0].sum()) / total if total > 0 else 0.0

    # -- one iteration ------------------------------------------------------------------------

    def assemble_momentum(self) -> tuple[np.ndarray, float]:
        """The momentum equations as they stand; gives the velocity on boundaries (B, 3) and what is left of them over their
        terms."""
        self.openings.follow(self)
        self.meters.follow(self)
        on_boundary = self.boundary_velocity()
        self.momentum.renew_gradient(self, on_boundary)
        self.compose(on_boundary)
        left = self.momentum.assemble(self, on_boundary)
        return on_boundary, left if self._apart is None else self._apart.moving(self, on_boundary)

    def iterate(self) -> Residuals:
        """One SIMPLEC step. Raises `Diverged`."""
        s, momentum, mass = self.stencil, self.momentum, self.mass
        on_boundary, moving = self.assemble_momentum()
        momentum.move(self)
        mass.predict(self, momentum)
        left = mass.balance(self)
        through = float(np.abs(self.flux[s.mesh.inner_count :]).sum())  # boundaries, and where it goes round
        terms = momentum.stretched + 0.5 * through + self.hardly_kept()
        # from rest nothing is stretched yet: what is left is then all there is
        kept = left / (terms + left) if left > 0 else 0.0
        if self._apart is not None:
            kept = self._apart.kept(self)
        solved, pushed = (
            (self.velocity.copy(), self.pressure_gradient.copy()) if self.settings.corrections > 1 else (None, None)
        )
        fastest = mass.correct(self, momentum)
        for _ in range(1, self.settings.corrections):
            assert solved is not None
            assert pushed is not None
            momentum.follow_pressure(self, solved, pushed)
            momentum.renew_gradient(self, on_boundary)
            mass.predict(self, momentum)
            mass.balance(self)
            fastest = mass.correct(self, momentum)
        self._catch_runaway(fastest)
        left = max(moving, kept)
        further = {equation.name: equation.follow(self, left) for equation in self.model.equations}
        named: dict[str, float] = {}
        for name, value in further.items():
            named |= value if isinstance(value, dict) else {} if value is None else {name: value}
        return Residuals({"momentum": moving, "mass": kept, **named})

    def hardly_kept(self) -> float:
        """Mass in kg/s that counts as none: a billionth of what cells hold, for each step in time; 0 for a steady flow."""
        if self.time_scheme is None:
            return 0.0
        return HARDLY * self.time_scheme.now * float(self.medium.density @ self.stencil.mesh.volume)

    def hardly_moved(self) -> float:
        """Momentum in N that counts as none: of a billionth of a cell in each step in time; 0 for a steady flow."""
        if self.time_scheme is None:
            return 0.0
        volume = self.stencil.mesh.volume
        return HARDLY * self.time_scheme.now**2 * float(self.medium.density @ (volume * np.cbrt(volume)))

    def close(self) -> list[str]:
        """Takes the last imbalance out of the fluxes, to round-off, and settles other equations; says where that fell short."""
        for _ in range(2):
            if np.any(self.flux):
                project(self, 1e-12)
        short = []
        if (left := self.unkept()) > KEPT:
            short.append(f"mass is kept only to {left:.0e} of what flows through the cells")
        return short + [words for equation in self.model.equations for words in equation.settle(self)]

    def unkept(self) -> float:
        """Mass that enters cells without being kept, over what flows through them."""
        s = self.stencil
        left = divergence(s, self.flux)
        if self.mass_storage is not None:
            left = left + self.mass_storage
        through = float(s.passing(self.flux).sum())
        return float(np.abs(left).sum()) / through if through > 0 else 0.0

    # -- watch --------------------------------------------------------------------------------

    def _catch_runaway(self, fastest: float) -> None:
        """Raises `Diverged` where the largest speed is no number or far too large."""
        s = self.stencil
        if fastest < RUNAWAY * self.reference_speed or (self.reference_speed == 0 and np.isfinite(fastest)):
            return
        squared = np.einsum("ij,ij->i", self.velocity, self.velocity)
        broken = ~np.isfinite(squared + self.pressure)
        cell = int(np.argmax(broken)) if broken.any() else int(np.argmax(squared))
        what = "pressure" if broken.any() and np.isfinite(squared[cell]) else "speed"
        raise Diverged(
            what, s.mesh.centre[cell], f"the {what} ran away to more than {RUNAWAY:g} times what the boundaries suggest"
        )

    def fields(self) -> Fields:
        """The fields as they are now, which the next iteration writes over."""
        s, medium = self.stencil, self.medium
        fields = Fields(
            s.unpaired, medium.density, medium.molecular, self.velocity, self.pressure, self.flux,
            s.with_pairs(self.velocity, self.boundary_velocity()), s.with_pairs(self.pressure, self._boundary_pressure()),
        )  # fmt: skip
        if medium.at_walls is not None:
            fields.more["viscosity"] = (medium.viscosity, s.with_pairs(medium.viscosity, medium.at_walls))
        if self.model.frame is not None:
            fields = self.model.frame.onto(fields)
        for equation in reversed(self.model.equations):  # heat, which leads to a larger mesh, comes first of all
            fields = equation.onto(fields)
        return fields

    def snapshot(self) -> Fields:
        """A copy of the fields as they are now."""
        return self.fields().copied()
