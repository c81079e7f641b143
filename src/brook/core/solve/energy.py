"""The energy equation of a flow: a temperature of the whole mesh, which changes weight and properties of what flows in a part."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.mesh.polyhedral import EVERY
from brook.core.numerics import Stencil, gradient
from brook.core.physics.conditions import OPEN
from brook.core.solve.fields import Fields
from brook.core.solve.heat import Eddies, Heat
from brook.core.solve.medium import HeldMedium
from brook.core.solve.model import GivenForce
from brook.core.solve.put import Put
from brook.core.solve.states import State
from brook.core.solve.time_levels import TimeLevel
from brook.core.solve.turbulence.walls import eddy_conductivity
from brook.core.solve.within.exchangers import Exchanger

if TYPE_CHECKING:
    from brook.core.numerics.multigrid import Levels
    from brook.core.solve.flow import FlowSolver

ROUGH, FINE = 0.1, 0.01  # to what the heat equation is solved in an iteration of a steady flow, and of one in time
BUOYANT = 0.95  # relaxation of the temperature where it drives the flow
THINNEST = 0.05  # of the density at the start: no expansion goes further
WAITS = 9  # iterations of a steady flow in a row for which a temperature may wait that only rides along


@dataclass(frozen=True, eq=False)
class FlowPart:
    """Which cells (n,), faces (F,) and boundary faces (B,) of the whole mesh those of the part are in which something flows;
    `outer` are these with the faces of periodic pairs, as fields have them."""

    cells: np.ndarray | slice
    faces: np.ndarray | slice
    boundary: np.ndarray | slice
    outer: np.ndarray | slice

    @property
    def is_whole(self) -> bool:
        """Whether something flows everywhere."""
        return isinstance(self.cells, slice)

    @classmethod
    def of(cls, whole: Stencil, bodies: list[int]) -> FlowPart:
        """The part that some bodies make."""
        mesh = whole.mesh
        mine = np.isin(mesh.body, bodies)
        inner = mesh.inner_count
        if mine.all():
            return cls(EVERY, EVERY, EVERY, EVERY)
        within = np.nonzero(mine[mesh.owner[:inner]] & mine[mesh.neighbour])[0]
        outer = inner + np.nonzero(mine[whole.owner[inner:]])[0]
        boundary = outer[outer >= whole.inner] - whole.inner
        return cls(np.nonzero(mine)[0], np.concatenate([within, outer]), boundary, outer - inner)


@dataclass(frozen=True, eq=False)
class Fluids:
    """The fluid of each body that flows, and `of` (n,): which of them fills each cell of the flow."""

    fluids: tuple[ConstantFluid, ...]
    of: np.ndarray

    def constant(self, name: str) -> np.ndarray:
        """A constant property (n,) of each cell."""
        return np.array([getattr(f, name) for f in self.fluids])[self.of]

    def at(
        self, name: str, temperature: np.ndarray, of: np.ndarray, varying: bool = True, start: float = 0.0
    ) -> np.ndarray:
        """A property at temperatures (m,) in K of the fluids numbered in `of` (m,): what is known of it, or constant but for
        the density, which falls by the expansion from what it is at a temperature of `start`."""
        found = np.empty(len(temperature))
        for k, fluid in enumerate(self.fluids):
            here = of == k
            at = fluid.at(name, temperature[here]) if varying or fluid.varied or name == "density" else None
            if at is not None:
                found[here] = at
            elif name == "density":
                found[here] = fluid.density * np.maximum(1 - fluid.expansion * (temperature[here] - start), THINNEST)
            else:
                found[here] = getattr(fluid, name)
        return found


def spread(values: np.ndarray, places: np.ndarray | slice, count: int) -> np.ndarray:
    """Values at places of a whole of so many, nothing elsewhere."""
    if isinstance(places, slice):
        return values
    found = np.zeros((count, *values.shape[1:]))
    found[places] = values
    return found


SETTLED = 1e-8  # what may be left of heat, over what passes, before it is told


class EnergyEquation:
    """The heat of a whole mesh, a part of which flows. `effects` are what it does to the flow."""

    name, version = "heat", 1

    def __init__(
        self, heat: Heat, part: FlowPart, fluids: Fluids, gravity: np.ndarray, start: float, buoyancy: str = "none",
        varying: bool = False, friction: bool = False,
    ):  # fmt: skip
        self.heat, self.part, self.fluids = heat, part, fluids
        self.gravity, self.start, self.buoyancy = gravity, start, buoyancy
        self.varying, self.friction = varying, friction
        self.changes = varying or any(f.varied for f in fluids.fluids)
        self.levels = np.ones(len(fluids.fluids))  # density of each body over that at the pressure of the start
        self._masses: dict[int, float] | None = None  # in kg, of bodies that nothing enters or leaves
        self._left, self._waited = np.inf, 0
        self._medium, self._weight = HeldMedium(), GivenForce(None)
        self.effects: tuple[Any, ...] = ()
        self.exchangers: tuple[Exchanger, ...] = ()
        if self.changes or self.changes_density:
            self.effects += (self._medium,)
        if self.drives_flow:
            self.effects += (self._weight,)
            heat.relaxation = BUOYANT

    @property
    def acts_on_flow(self) -> bool:
        """Whether properties or weight depend on the temperature."""
        return self.changes or self.drives_flow

    @property
    def drives_flow(self) -> bool:
        """Whether it moves the flow from rest, as buoyancy does."""
        return self.buoyancy != "none"

    @property
    def changes_density(self) -> bool:
        """Whether cells grow heavier and lighter."""
        return self.buoyancy == "density"

    def share(self, workspace: np.ndarray, levels: Levels | None, flow: FlowSolver) -> None:
        """Takes room and levels of the flow, where both stand on one mesh."""
        if self.heat.stencil is flow.stencil:
            self.heat.share(workspace, levels)

    def whole_flux(self, flux: np.ndarray) -> np.ndarray:
        """The mass flux on all faces (F,), nothing in solids and through walls."""
        if self.part.is_whole:
            return flux
        found = np.zeros(self.heat.stencil.active)
        found[self.part.faces] = flux
        return found

    def begin(self, flow: FlowSolver) -> None:
        """All bodies at their temperature of the start."""
        self.heat.begin()
        self.levels[:] = 1.0
        self._masses, self._left, self._waited = None, np.inf, 0

    # -- at each step -------------------------------------------------------------------------

    def follow(self, flow: FlowSolver, left: float) -> float:
        """One step of the temperature after one of the flow, and what it changes there. Returns the residual of heat.

        In a steady flow that it does not act on, it may wait while the flow itself, of which `left` is left, is further from
        its end; what was left of it then stands. Raises `Diverged`.
        """
        if flow.time_scheme is None and not self.acts_on_flow and self._left < left and self._waited < WAITS:
            self._waited += 1
            return self._left
        tolerance = ROUGH if flow.time_scheme is None else FINE
        self._stir(flow)
        residual = self.heat.advance(self.whole_flux(flow.flux), flow.time_scheme, self._besides(flow), tolerance)
        if not np.isfinite(residual):
            from brook.core.solve.flow import Diverged

            cell = int(np.argmin(np.isfinite(self.heat.temperature)))
            raise Diverged("temperature", self.heat.stencil.mesh.centre[cell], "the temperature ran away")
        self.act(flow)
        self._left, self._waited = residual, 0
        return residual

    def _stir(self, flow: FlowSolver) -> None:
        """Takes over what eddies of the flow carry of the heat, and the law of its walls."""
        eddy, walls, heat = flow.medium.eddy, flow.medium.walls, self.heat
        if eddy is None or walls is None:
            return
        cells, every = self.part.cells, np.arange(heat.stencil.boundary_count)
        capacity, molecular = heat.capacity[cells], heat.conductivity[cells]
        added = spread(eddy_conductivity(eddy, capacity, molecular, walls.prandtl), cells, heat.stencil.cells)
        at_walls = walls.conductivity(flow.medium.density, capacity, molecular)
        heat.eddies = Eddies(added, every[self.part.boundary][walls.faces], at_walls)

    def act(self, flow: FlowSolver) -> None:
        """Gives the flow its weight and properties at the temperatures of now."""
        t = self.heat.temperature[self.part.cells]
        if self.changes:
            self._renew_viscosity(flow, t)
        if self.changes_density:
            self._renew_density(flow, t)
        if self.changes or self.changes_density:
            flow.compose()
        heavier = self.heavier()
        if heavier is not None:
            self._weight.value = (heavier * flow.stencil.mesh.volume)[:, None] * self.gravity

    def heavier(self) -> np.ndarray | None:
        """By how much what fills each cell of the flow (n,) is heavier than at the start, in kg/m³; None where nothing is."""
        of = self.fluids.of
        if self.buoyancy == "boussinesq":
            warmer = self.heat.temperature[self.part.cells] - self.start
            found: np.ndarray = -self.fluids.constant("density") * self.fluids.constant("expansion") * warmer
            return found
        if self._medium.density is None:
            return None
        level = self._density(np.full(len(self.fluids.fluids), self.start), np.arange(len(self.fluids.fluids)))
        return self._medium.density - level[of]

    def _renew_viscosity(self, flow: FlowSolver, temperature: np.ndarray) -> None:
        s, of, mine = flow.stencil, self.fluids.of, self._medium
        mine.viscosity = self.fluids.at("viscosity", temperature, of, self.varying)
        at_walls = self.fluids.at("viscosity", self.heat.boundary[self.part.boundary], of[s.face_cell], self.varying)
        near = mine.viscosity[s.face_cell]
        mine.at_walls = np.where(flow.conditions.kind == OPEN, near, 0.5 * (at_walls + near))
        mine.of = np.array([f.law is None for f in self.fluids.fluids])[of]

    def _renew_density(self, flow: FlowSolver, temperature: np.ndarray) -> None:
        s, of, mine = flow.stencil, self.fluids.of, self._medium
        density = self._density(temperature, of)
        self._keep_mass(flow, density)
        mine.density = density * self.levels[of]
        at_boundary = self._density(self.heat.boundary[self.part.boundary], of[s.face_cell])
        mine.on_boundary = at_boundary * self.levels[of[s.face_cell]]
        if flow.time_scheme is not None:
            old = flow.time_scheme.old(self.name, "density")
            flow.mass_storage = s.mesh.volume * (flow.time_scheme.now * mine.density - old)
        self.heat.density = self.heat.density.copy()
        self.heat.density[self.part.cells] = mine.density

    def _density(self, temperature: np.ndarray, of: np.ndarray) -> np.ndarray:
        """At the pressure of the start."""
        return self.fluids.at("density", temperature, of, self.varying, self.start)

    def _keep_mass(self, flow: FlowSolver, density: np.ndarray) -> None:
        """Raises or lowers the pressure of bodies that nothing enters or leaves so that they hold what they held at first.

        `density` (n,) is that at the pressure of the start.
        """
        s, of = flow.stencil, self.fluids.of
        if self._masses is None:
            first = self._density(np.full(s.cells, self.start), of)
            passing = (flow.conditions.kind == OPEN) | (flow.flux[s.inner :] != 0)
            through = np.unique(of[s.face_cell[passing]])
            mass = np.bincount(of, s.mesh.volume * first, len(self.levels))
            self._masses = {k: float(mass[k]) for k in range(len(mass)) if k not in through}
        held = np.bincount(of, s.mesh.volume * density, len(self.levels))
        for body, kept in self._masses.items():
            self.levels[body] = kept / held[body]

    def _friction(self, flow: FlowSolver) -> np.ndarray | None:
        if not self.friction:
            return None
        s = flow.stencil
        slope = gradient(s, s.every_boundary, flow.velocity, flow.boundary_velocity())
        both = slope + np.swapaxes(slope, 1, 2)
        found = np.zeros(self.heat.stencil.cells)
        found[self.part.cells] = flow.medium.viscosity * np.einsum("cij,cij->c", slope, both) * s.mesh.volume
        return found

    def _besides(self, flow: FlowSolver) -> np.ndarray | None:
        """Heat (C,) in W of friction, and of the rising pressure of closed gases."""
        found = self._exchanged(flow, self._friction(flow))
        gases = [k for k in self._masses or () if self.fluids.fluids[k].pressure]
        if flow.time_scheme is None or not gases:
            return found
        rise = flow.time_scheme.now * self.levels - flow.time_scheme.old(self.name, "levels")
        rate = np.zeros(len(self.levels))
        rate[gases] = [rise[k] * self.fluids.fluids[k].pressure for k in gases]
        found = np.zeros(self.heat.stencil.cells) if found is None else found
        found[self.part.cells] += rate[self.fluids.of] * flow.stencil.mesh.volume
        return found

    def _exchanged(self, flow: FlowSolver, besides: np.ndarray | None) -> np.ndarray | None:
        """Heat (C,) in W that comes from the other sides of heat exchangers too; what it takes there is the sink of the equation."""
        if not self.exchangers:
            return besides
        heat, cells = self.heat, self.part.cells
        found = np.zeros(heat.stencil.cells) if besides is None else besides
        heat.sink = np.zeros(heat.stencil.cells)
        for exchanger in self.exchangers:
            k = exchanger.conductance(flow, heat.capacity[cells], heat.temperature[cells])
            heat.sink[cells] += k
            found[cells] += k * exchanger.other
        return found

    def settle(self, flow: FlowSolver) -> list[str]:
        """Closes the balance of heat for the flow as it is; says where that fell short."""
        self._stir(flow)
        left = self.heat.settle(self.whole_flux(flow.flux), self._exchanged(flow, self._friction(flow)))
        self._exchanged(flow, None)  # what they give, now that temperatures stand
        return [f"heat is balanced only to {left:.0e}"] if left > SETTLED else []

    def put(self, flow: FlowSolver) -> list[Put]:
        """What heat exchangers give, and friction."""
        friction, name = self._friction(flow), flow.stencil.mesh.bodies[0]
        found = [Put(e.name, e.body(flow.stencil.mesh), e.given) for e in self.exchangers]
        return found + ([Put("friction", name, float(friction.sum()))] if friction is not None else [])

    def notes(self) -> list[str]:
        """Temperatures beyond what is known of a substance."""
        return [*self.heat.notes(self.changes_density), *(note for e in self.exchangers for note in e.notes())]

    # -- what is kept -------------------------------------------------------------------------

    def state(self) -> State:
        """The temperature."""
        return self.heat.state()

    def mixed(self) -> list[tuple[np.ndarray, bool]]:
        """The temperature where it acts on the flow; what is only carried follows by itself."""
        return [(self.heat.temperature, True)] if self.acts_on_flow else []

    def restore(self, state: State, flow: FlowSolver) -> None:
        """Takes over a state with a temperature; one without leaves it as it is. Raises `ValueError` for another mesh's."""
        if state:
            self.heat.restore(state)
        self._left = np.inf
        self.act(flow)

    def time_level(self, flow: FlowSolver) -> State:
        """The temperature and, where it changes, the density."""
        found = {"value": self.heat.value.copy()}
        if self.changes_density:
            found |= {"density": flow.medium.density.copy(), "levels": self.levels.copy()}
        return found

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """Begins a step as if the temperature went on to change."""
        self.heat.extrapolate(now, before, ratio)

    def onto(self, fields: Fields) -> Fields:
        """The fields on the whole mesh, with the temperature; nothing moves in solids."""
        s, more = self.heat.stencil.unpaired, dict(fields.more)
        cells, faces, outer = self.part.cells, self.part.faces, self.part.outer
        flux = spread(fields.flux, faces, s.active)

        for name, (inside, boundary) in fields.more.items():
            more[name] = (spread(inside, cells, s.cells), spread(boundary, outer, s.boundary_count))
        density = self.heat.density.copy()
        density[cells] = fields.density
        more["temperature"] = (self.heat.temperature, self.heat.on_boundary())
        more["heat"] = (np.zeros(s.cells), self.heat.through_boundary(flux))
        more["capacity"] = (self.heat.capacity, np.zeros(s.boundary_count))
        return Fields(
            s, density, spread(fields.viscosity, cells, s.cells), spread(fields.velocity, cells, s.cells),
            spread(fields.pressure, cells, s.cells), flux,
            spread(fields.boundary_velocity, outer, s.boundary_count), spread(fields.boundary_pressure, outer, s.boundary_count),
            more,
        )  # fmt: skip
