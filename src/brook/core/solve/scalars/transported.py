"""A scalar that rides along with a flow and does nothing to it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from brook.core.numerics import Stencil
from brook.core.solve.fields import Fields
from brook.core.solve.scalar import ScalarConditions, ScalarEquation
from brook.core.solve.states import State
from brook.core.solve.time_levels import TimeLevel, TimeScheme

if TYPE_CHECKING:
    from brook.core.numerics.multigrid import Levels
    from brook.core.solve.flow import FlowSolver

ROUGH, FINE = 0.1, 0.01  # to what it is solved in an iteration of a steady flow, and of one in time
HELD_BACK = 0.01  # share of what flows through a cell that it is held back by in a step of a steady flow
HUNTED = 0.18  # the same once the kinks of the bounded scheme keep values hunting
PATIENCE = 12  # steps in which a residual has to fall by half before it counts as that
MOST = 200  # iterations alone at the end of a steady flow
WAITS = 4  # iterations of a steady flow in a row for which it may wait
ALMOST = 1e-6  # of its values: by how much a scalar may lie beyond what is around it
SCHMIDT = 0.7  # of eddies: momentum over what they spread of a substance
SETTLED = 1e-8  # what may be left, over what passes, before it is told


class TransportedScalar:
    """`equation` is one for each kilogram of fluid: ∂(ρφ)/∂t + ∇·(mφ) = ∇·(ρD ∇φ) + S − ρλφ, with D in m²/s and λ in 1/s.

    What pages show is φ, or φ ρ where it is told `per_volume`.
    """

    version = 1
    acts_on_flow = drives_flow = changes_density = False
    effects: tuple[Any, ...] = ()

    def __init__(self, equation: ScalarEquation, diffusivity: float, decay: float = 0.0, per_volume: bool = False):
        self.equation, self.name = equation, equation.name
        equation.flow_inertia = HELD_BACK
        self.diffusivity, self.decay, self.per_volume = diffusivity, decay, per_volume
        self._left, self._waited = np.inf, 0
        self._scheme: TimeScheme | None = None  # of the step that is being done
        self._steps, self._plain_steps = 0, 0
        self._least, self._stood = np.inf, 0

    def share(self, workspace: np.ndarray, levels: Levels | None, flow: FlowSolver) -> None:
        """Takes room and levels of the flow."""
        self.equation.share(workspace, levels)

    def begin(self, flow: FlowSolver) -> None:
        """All cells as they are at the start."""
        self.equation.begin()
        self._left, self._waited, self._least, self._stood = np.inf, 0, np.inf, 0

    def follow(self, flow: FlowSolver, left: float) -> float:
        """One step after one of the flow; in a steady flow it may wait while that, of which `left` is left, is further from its
        end. Raises `Diverged`."""
        if flow.time_scheme is None and self._left < left and self._waited < WAITS:
            self._waited += 1
            return self._left
        self._fit(flow)
        residual = self._advanced(flow)
        if not np.isfinite(residual):
            from brook.core.solve.flow import Diverged

            cell = int(np.argmin(np.isfinite(self.equation.value)))
            raise Diverged(self.name, flow.stencil.mesh.centre[cell], f"the {self.name} ran away")
        self._left, self._waited = residual, 0
        return residual

    def _advanced(self, flow: FlowSolver) -> float:
        """One step of the equation. In time, one that would leave what lies around is followed to first order: with that it
        cannot, however long it is."""
        given = flow.time_scheme
        if given is None:
            return self._hunting(self.equation.advance(flow.flux, None, None, ROUGH))
        self.equation.flow_inertia = 0.0
        before = self._scheme
        if (
            before is None or before.levels[0] is not given.levels[0] or before.step != given.step
        ):  # a step may be halved
            self._scheme, self._steps = given, self._steps + 1
        assert self._scheme is not None
        residual = self.equation.advance(flow.flux, self._scheme, None, FINE)
        if len(self._scheme.levels) > 1 and self._strays(flow, self._scheme):
            self._scheme, self._plain_steps = given.first_order, self._plain_steps + 1
            residual = max(residual, self.equation.advance(flow.flux, self._scheme, None, FINE))
        return residual

    def _hunting(self, residual: float) -> float:
        """Looks whether residuals fall; where they do not, cells are held back more. Gives the residual."""
        self._stood += 1
        if residual < 0.5 * self._least:
            self._least, self._stood = residual, 0
        elif self._stood >= PATIENCE:
            self.equation.flow_inertia = HUNTED
        return residual

    def _strays(self, flow: FlowSolver, scheme: TimeScheme) -> bool:
        """Whether values lie beyond those of before and of what enters."""
        equation, value = self.equation, self.equation.value
        before = scheme.levels[0].scalars[self.name]["value"]
        entering = equation.conditions.entering[flow.flux[flow.stencil.inner :] < 0]
        low = min(float(before.min()), float(entering.min(initial=np.inf)))
        high = max(float(before.max()), float(entering.max(initial=-np.inf)))
        if self.decay:
            low = min(low, 0.0)
        if equation.source.any():
            high = np.inf
        reach = ALMOST * max(abs(low), abs(high) if np.isfinite(high) else float(np.abs(value).max()))
        return bool(value.min() < low - reach or value.max() > high + reach)

    def _fit(self, flow: FlowSolver) -> None:
        """Takes over what the fluid is now."""
        density = flow.medium.density
        self.equation.density, self.equation.diffusivity = density, density * self.diffusivity
        if flow.medium.eddy is not None:
            self.equation.diffusivity = self.equation.diffusivity + flow.medium.eddy / SCHMIDT
            self.equation.stirred = True
        if self.decay:
            self.equation.sink = density * flow.stencil.mesh.volume * self.decay

    def act(self, flow: FlowSolver) -> None:
        """Nothing: it only rides along."""

    def settle(self, flow: FlowSolver) -> list[str]:
        """Goes on alone with the flow as it is; says where that fell short."""
        self._fit(flow)
        left = self.equation.settle(flow.flux, most=MOST)
        return [f"{self.name} is balanced only to {left:.0e}"] if left > SETTLED else []

    def state(self) -> State:
        """The value in cells and on boundaries, and in how many steps of how many it was followed to first order."""
        return {**self.equation.state(), "steps": np.array([self._steps, self._plain_steps])}

    def restore(self, state: State, flow: FlowSolver) -> None:
        """Takes over a state. Raises `ValueError` for one of another mesh."""
        if state:
            self.equation.restore(state)
        if "steps" in state:
            self._steps, self._plain_steps = state["steps"].tolist()
        self._left, self._waited = np.inf, 0

    def mixed(self) -> list[tuple[np.ndarray, bool]]:
        """Nothing: it follows by itself."""
        return []

    def time_level(self, flow: FlowSolver) -> State:
        """The value."""
        return {"value": self.equation.value.copy()}

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """A step begins where the last one ended: drawn out, a front would overshoot what lies around."""

    def onto(self, fields: Fields) -> Fields:
        """Fields with the scalar in cells and on boundaries."""
        value, boundary = self.equation.value, self.equation.on_boundary()
        if self.per_volume:
            value, boundary = value * fields.density, boundary * fields.density[fields.stencil.face_cell]
        fields.more[self.name] = (value, boundary)
        return fields

    def notes(self) -> list[str]:
        """Where it is not known, and how often it was followed to first order."""
        found = []
        if self.equation.stagnant:
            found.append(f"{self.name} is not known in {self.equation.stagnant} cells that nothing flows through")
        if not self._plain_steps:
            return found
        return [
            *found,
            f"{self.name} was followed to first order in {self._plain_steps} of {self._steps} steps, to stay within its bounds",
        ]


def given(patches: dict[str, Any], stencil: Stencil, back: np.ndarray | float) -> ScalarConditions:
    """Values on boundary faces: of what flows in through `patches`, by their names; what flows back in elsewhere is `back`.

    What enters is m φ to the last gram, nothing spreads back out against the stream (Danckwerts 1953).
    """
    count = stencil.boundary_count
    entering = np.full(count, back)
    for patch in stencil.patches:
        if patch.name in patches:
            entering[stencil.boundary_faces(patch)] = patches[patch.name]
    return ScalarConditions(np.zeros(count), entering, np.zeros(count), entering)
