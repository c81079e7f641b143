"""A turbulence model of two equations in a flow: what it makes of the viscosity before an iteration, and its own step after."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from brook.core.numerics import Stencil
from brook.core.numerics.operators import Convection
from brook.core.numerics.passes.pair import HELD
from brook.core.physics.drive import FAST
from brook.core.solve.drive import Drive
from brook.core.solve.fields import Fields
from brook.core.solve.medium import Medium
from brook.core.solve.states import State
from brook.core.solve.time_levels import TimeLevel
from brook.core.solve.turbulence.closure import Closure
from brook.core.solve.turbulence.curved import Curved
from brook.core.solve.turbulence.lifted import Lifted, added
from brook.core.solve.turbulence.pair import LEAST, MOST, ScalarPair
from brook.core.solve.turbulence.sst import Sst
from brook.core.solve.turbulence.walls import BETA_STAR, Walls

if TYPE_CHECKING:
    from brook.core.numerics.multigrid import Levels
    from brook.core.solve.coarse import Agglomerates
    from brook.core.solve.flow import FlowSolver

FLOOR = 1e-10  # of the square of what moves at most: k is never less
DEVELOPED = 0.16  # intensity in a duct at a Reynolds number of 1, by which it falls as Re^(-1/8)
DUCT = 0.07  # length of eddies over the width of a duct
FADED = 1e-12  # of the median of the second scalar, under which a cell holds nothing of it
USUAL = 0.05  # intensity of a flow through which nothing enters
SST = Sst()


@dataclass(frozen=True)
class Incoming:
    """Turbulence of what comes in: `intensity` over its mean speed and, of both, the one that is given: the `length` of its eddies in
    m, or the `ratio` of eddy viscosity to viscosity. From a long duct of a hydraulic `diameter` in m both follow."""

    intensity: float
    length: float | None = None
    ratio: float | None = None
    diameter: float | None = None

    def values(self, speed: float, viscosity: float) -> tuple[float, float]:
        """k in m²/s² and ω in 1/s at a mean speed in m/s and a kinematic viscosity in m²/s: k = 3/2 (I U)², ω = √k/(C_μ^¼ ℓ) or
        k/(ratio ν); from a duct I = 0.16 Re^(-1/8) and ℓ = 0.07 D."""
        if self.diameter is not None:
            reynolds = max(speed * self.diameter / viscosity, 1.0)
            return Incoming(DEVELOPED * reynolds ** (-1 / 8), DUCT * self.diameter).values(speed, viscosity)
        k = 1.5 * (self.intensity * speed) ** 2
        if self.length is not None:
            return k, k**0.5 / (BETA_STAR**0.25 * self.length)
        assert self.ratio is not None
        return k, k / (self.ratio * viscosity)


class Turbulence:
    """k and a second scalar of a flow, as its `closure` has them. `walls` has a law on each wall face; `incoming` (one for each patch that is
    no wall, by its name) says what comes in there."""

    name, version = "turbulence", 1
    acts_on_flow = True
    drives_flow = changes_density = False
    effects: tuple[Any, ...] = ()

    def __init__(
        self, stencil: Stencil, walls: Walls, incoming: dict[str, Incoming], scheme: Convection = "tapered", closure: Closure = SST,
        still: np.ndarray | None = None, lifted: Lifted | None = None, curved: bool = False,
    ):  # fmt: skip
        """In cells that are `still` (C,) nothing stirs. Where they are `lifted`, buoyancy makes and takes eddies too; where
        they are `curved`, streamlines that curve do."""
        self.stencil, self.walls, self.incoming, self.closure = stencil, walls, incoming, closure
        self.pair = ScalarPair(stencil, ("k", closure.second), scheme, closure.steep)
        self.eddy = np.zeros(stencil.cells)
        self.still, self.lifted, self.curved = still, lifted, Curved(stencil) if curved else None
        self._least = 1e-300
        self._last: np.ndarray | None = None  # k and ω after the last step, as mixtures may not stray far from them

    @property
    def k(self) -> np.ndarray:
        """Turbulent kinetic energy (C,) in m²/s²."""
        return self.pair.one

    @property
    def omega(self) -> np.ndarray:
        """Specific dissipation rate (C,) in 1/s."""
        return self.closure.omega_of(self.pair.one, self.pair.two)

    # -- as a contribution to the medium ------------------------------------------------------

    def contribute(self, medium: Medium, flow: FlowSolver, on_boundary: np.ndarray | None) -> Medium:
        """The medium with the eddy viscosity, and at walls what the law of the wall makes of it."""
        if on_boundary is not None:
            self._look(medium, flow, on_boundary)
        at_walls = medium.viscosity_on_boundary + self.eddy[self.stencil.face_cell]
        if on_boundary is not None or self.walls.viscosity.any():
            at_walls[self.walls.faces] = self.walls.viscosity
        return replace(
            medium, viscosity=medium.viscosity + self.eddy, at_walls=at_walls, eddy=self.eddy, walls=self.walls
        )

    def _look(self, medium: Medium, flow: FlowSolver, on_boundary: np.ndarray) -> None:
        self.walls.look(medium, flow, on_boundary)
        self._enter(medium, flow)
        if self.curved is not None:
            self.curved.look(flow.velocity, flow.momentum.gradient, self.omega)
            self.pair.turned = self.curved.factor
        self.closure.look(self.pair, self.walls, medium, flow, self.eddy)
        if self.lifted is not None:
            made = self.lifted.made(flow, medium, self.eddy, self.walls)
            added(self.pair, self.closure, self.stencil.mesh.volume, medium.density, made)
        if self.still is not None:
            self._quieten(medium)

    def _quieten(self, medium: Medium) -> None:
        """Takes eddies out of cells that are still: nothing makes k there, and the second scalar stays as it is."""
        still, pair = self.still, self.pair
        self.eddy[still], pair.source[0, still], pair.hold[still] = 0.0, 0.0, 2 * HELD
        pair.one_diffusivity[still] = pair.two_diffusivity[still] = medium.viscosity[still]

    def coarse(self, agglomerates: Agglomerates) -> None:
        """The medium of the moment will do."""

    # -- as an equation -----------------------------------------------------------------------

    def share(self, workspace: np.ndarray, levels: Levels | None, flow: FlowSolver) -> None:
        """Takes room of the flow."""
        self.pair.share(workspace)

    def _enter(self, medium: Medium, flow: FlowSolver) -> None:
        """What comes in through each patch, by its mean speed of now."""
        s = self.stencil
        for patch in s.patches:
            if patch.name not in self.incoming:
                continue
            here = s.boundary_faces(patch)
            flux, cell = np.minimum(flow.flux[s.inner :][here], 0.0), s.face_cell[here]
            entering = flux < 0
            if not entering.any():
                continue
            size = np.linalg.norm(s.area[patch.faces][entering], axis=1).sum()
            rho = medium.on_boundary[here][entering].mean()
            nu = float(medium.viscosity[cell[entering]].mean() / rho)
            k, omega = self.incoming[patch.name].values(-float(flux.sum()) / (rho * size), nu)
            k = max(k, self._least)
            self.pair.entering[0, here] = k
            self.pair.entering[1, here] = self.closure.of_omega(np.array(k), np.array(omega))

    def begin(self, flow: FlowSolver) -> None:
        """What comes in, everywhere, with the ω of walls; where nothing does, what a duct of this width would hold."""
        s, walls, medium = self.stencil, self.walls, flow.medium
        nu, width = medium.viscosity / medium.density, float(np.min([self.walls.distance.max(), 1e30]))
        if not np.isfinite(width) or width >= 1e30:
            width = float(s.mesh.volume.sum()) ** (1 / 3)
        speed = max(flow.reference_speed, self._driven(flow, width), float(nu.max()) / width)
        self._least = FLOOR * speed**2
        self._enter(medium, flow)
        into = np.maximum(-flow.flux[s.inner :], 0.0)
        if into.sum() > 0:
            one, two = self.pair.entering
            k, omega = (float(into @ v / into.sum()) for v in (one, self.closure.omega_of(one, two)))
        else:
            k, omega = Incoming(USUAL, length=2 * DUCT * width).values(speed, 0.0)
        self.closure.begin(self.pair, walls, nu, max(k, self._least), omega)
        self.eddy[:] = medium.density * self.k / self.omega
        if self.still is not None:
            self.eddy[self.still] = 0.0
        walls.viscosity[:] = 0.0
        if self.curved is not None:
            self.curved.factor[:] = 1.0
        self._last = None  # that of a flow that ran away holds nothing to stay near to
        flow.compose()

    def _driven(self, flow: FlowSolver, width: float) -> float:
        """The speed in m/s that forces on the fluid suggest; a drop over a periodic pair sets the flow going at it."""
        before = flow.model.equations[: flow.model.equations.index(self)]
        for equation in before:  # those have begun, and know what they do
            equation.act(flow)
        total = np.zeros(3)
        for explicit, _ in flow.model.forces(flow):
            if explicit is not None:
                total += explicit.sum(axis=0)
        mass = float(flow.medium.density @ self.stencil.mesh.volume)
        speed = FAST * (float(np.linalg.norm(total)) / mass * width) ** 0.5
        for equation in before:
            if isinstance(equation, Drive) and not flow.velocity.any():
                equation.set_going(flow, speed)
        return speed

    def follow(self, flow: FlowSolver, left: float) -> dict[str, float]:
        """One step of both after one of the flow; gives the residuals. Raises `Diverged`."""
        found = self.pair.advance(self.name, flow.flux, flow.medium.density, flow.time_scheme)
        self._keep_positive()
        if flow.time_scheme is None:
            self._last = np.array([self.pair.one, self.pair.two], np.float32)
        if not np.isfinite(sum(found.values())):
            from brook.core.solve.flow import Diverged

            cell = int(np.argmin(np.isfinite(self.k + self.omega)))
            raise Diverged("turbulence", self.stencil.mesh.centre[cell], "the turbulence ran away")
        return found

    def _keep_positive(self) -> None:
        np.maximum(self.pair.one, self._least, out=self.pair.one)
        np.maximum(self.pair.two, 1e-300, out=self.pair.two)

    def act(self, flow: FlowSolver) -> None:
        """Keeps what was mixed as near to the last step as a step may go; the viscosity follows with the next iteration."""
        if self._last is not None:
            for value, last in zip((self.pair.one, self.pair.two), self._last, strict=True):
                np.clip(value, LEAST * last, MOST * last, out=value)
        self._keep_positive()

    def settle(self, flow: FlowSolver) -> list[str]:
        """Nothing: what k and ω are balanced to is told by their residuals."""
        return []

    def state(self) -> State:
        """k and ω, and the viscosity they made."""
        return {
            "k": self.k.copy(),
            "omega": self.omega.copy(),
            "eddy": self.eddy.copy(),
            "at_walls": self.walls.viscosity.copy(),
        }

    def restore(self, state: State, flow: FlowSolver) -> None:
        """Takes over a state; one of a laminar flow leaves turbulence at its start. Raises `ValueError` for one of another mesh."""
        if state:
            if state["k"].shape != self.k.shape:
                raise ValueError("the turbulence of the start state belongs to another mesh")
            self._last = None
            self.pair.one[:], self.eddy[:] = state["k"], state["eddy"]
            self.pair.two[:] = self.closure.of_omega(state["k"], state["omega"])
            if state["at_walls"].shape == self.walls.viscosity.shape:
                self.walls.viscosity[:] = state["at_walls"]
        flow.compose()

    def mixed(self) -> list[tuple[np.ndarray, bool]]:
        """k, and the second, whose steps are not judged: its spread is that of the walls."""
        return [(self.pair.one, True), (self.pair.two, False)]

    def time_level(self, flow: FlowSolver) -> State:
        """Both scalars."""
        return {name: value.copy() for name, value in zip(self.pair.names, (self.pair.one, self.pair.two), strict=True)}

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """A step begins where the last one ended."""

    def onto(self, fields: Fields) -> Fields:
        """Fields with k, ω, the eddy viscosity, and y⁺ and friction velocity of walls."""
        s = self.stencil
        k, second = self.pair.boundary(fields.flux)
        omega = self.closure.omega_of(k, second)
        for name, value, boundary in (
            ("turbulent_energy", self.k, k), ("dissipation_rate", self.omega, omega), ("eddy_viscosity", self.eddy, self.eddy[s.face_cell]),
        ):  # fmt: skip
            fields.more[name] = (value, s.with_pairs(value, boundary))
        height, friction = self.walls.height, np.zeros(s.boundary_count)
        friction[self.walls.faces] = self.walls.friction_velocity
        nothing, inside = np.zeros(s.cells), self.walls.nearest_of(height)
        there = inside[s.face_cell]  # where no wall is, as for cells, that of the nearest
        there[self.walls.faces] = height
        fields.more["y_plus"] = (inside, s.with_pairs(inside, there))
        fields.more["friction_velocity"] = (nothing, s.with_pairs(nothing, friction))
        return fields

    def notes(self) -> list[str]:
        """Where k was held at its least, grains that are higher than cells, and that there is no wall."""
        stirred = slice(None) if self.still is None else ~self.still
        count = int(np.count_nonzero(self.k[stirred] <= self._least))
        found = [f"k is held at its least, {self._least:.0e} m²/s², in {count} cells"] if count else []
        count = int(np.count_nonzero(self.pair.two[stirred] <= FADED * float(np.median(self.pair.two))))
        if count:
            found.append(f"{self.pair.names[1]} is next to nothing in {count} cells, which stir as if they had no end")
        high = self.walls.buried
        if high:
            found.append(
                f"grains of rough walls are higher than {high} of the cells at them: friction there is a few per cent too high; "
                "choose a first layer higher than the grains"
            )
        if not len(self.walls.faces):
            found.append("no wall holds this flow: it has no turbulence but what comes in")
        return found
