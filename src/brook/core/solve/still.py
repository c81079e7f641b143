"""Heat in bodies in which nothing flows, run as a flow is."""

from __future__ import annotations

import numpy as np

from brook.core.solve.fields import Fields
from brook.core.solve.heat import Heat
from brook.core.solve.residuals import Residuals
from brook.core.solve.settings import Settings
from brook.core.solve.states import SolverState, check_state, versioned
from brook.core.solve.time_levels import TimeLevel, TimeScheme
from brook.core.solve.within.acting import NOTHING_ACTS

SETTLED = 1e-8  # of the heat that passes: what may be left before it is told


class SolidSolver:
    """Solids alone: the same steps as `FlowSolver`, of the temperature only."""

    name, version = "heat", 1
    mixes = False
    reference_speed = 0.0

    def __init__(self, heat: Heat):
        self.heat, self.stencil, self.settings = heat, heat.stencil, Settings()
        self.time_scheme: TimeScheme | None = None
        self.acts = NOTHING_ACTS
        self._nothing = np.zeros(heat.stencil.active)

    def iterate(self) -> Residuals:
        """One step of the temperature. Raises `Unsolved`."""
        return Residuals({"heat": self.heat.advance(self._nothing, self.time_scheme, tolerance=1e-4)})

    def gentler(self) -> SolidSolver:
        """The same: heat alone never runs away."""
        return self

    @property
    def versions(self) -> dict[str, int]:
        """Of the state of the temperature."""
        return {self.name: self.version}

    def state(self) -> SolverState:
        """The temperature."""
        return {self.name: versioned(self.heat.state(), self.version)}

    def restore(self, state: SolverState) -> list[str]:
        """Takes over a state; raises `ValueError` for one of another kind or mesh."""
        left = check_state(state, self.name, self.versions)
        self.heat.restore(state[self.name])
        return left

    def time_level(self) -> TimeLevel:
        """The temperature of now."""
        none = np.zeros((self.stencil.cells, 3))
        scalars = {self.name: {"value": self.heat.value.copy()}}
        return TimeLevel(self.stencil.mesh.volume, none, none[:, 0], self._nothing, self._nothing, scalars)

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """Begins a step as if the temperature went on to change."""
        self.heat.extrapolate(now, before, ratio)

    def courant(self, step: float) -> float:
        """Nothing flows."""
        return 0.0

    def change(self, conditions: object) -> None:
        """Nothing flows, so nothing changes."""

    def close(self) -> list[str]:
        """Closes the balance of heat; says where it fell short."""
        left = self.heat.settle(self._nothing)
        return [f"heat is balanced only to {left:.0e}"] if left > SETTLED else []

    def notes(self) -> list[str]:
        """What was held at a limit because nothing is known beyond."""
        return self.heat.notes()

    def backflow(self) -> float:
        """Nothing flows."""
        return 0.0

    def fields(self) -> Fields:
        """The temperature, with nothing that moves."""
        s = self.stencil
        more = {
            "temperature": (self.heat.temperature.copy(), self.heat.on_boundary().copy()),
            "heat": (np.zeros(s.cells), self.heat.through_boundary(self._nothing).copy()),
        }
        s = s.unpaired
        cells, faces = np.zeros(s.cells), np.zeros(s.boundary_count)
        return Fields(
            s, self.heat.density.copy(), cells, np.zeros((s.cells, 3)), cells, self._nothing,
            np.zeros((s.boundary_count, 3)), faces, more,
        )  # fmt: skip

    def snapshot(self) -> Fields:
        """The same: fields are copies here."""
        return self.fields().copied()
