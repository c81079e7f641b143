"""Heat in bodies in which nothing flows, run as a flow is."""

from __future__ import annotations

import numpy as np

from brook.core.solve.fields import Fields
from brook.core.solve.heat import Heat
from brook.core.solve.past import Moment, Past
from brook.core.solve.residuals import Residuals

SETTLED = 1e-8  # of the heat that passes: what may be left before it is told


class StillBodies:
    """Solids alone: the same steps as `SteadyFlow`, of the temperature only."""

    is_gentle = False
    corrections, relaxation, coupling, sweeps = 1, 1.0, 1.0, 1
    reference_speed = 0.0

    def __init__(self, heat: Heat):
        self.heat, self.stencil = heat, heat.stencil
        self.past: Past | None = None
        self._nothing = np.zeros(heat.stencil.active)

    def iterate(self) -> Residuals:
        return Residuals({"heat": self.heat.advance(self._nothing, self.past, tolerance=1e-4)})

    def gentler(self) -> StillBodies:
        return self

    def state(self) -> dict[str, np.ndarray]:
        return {"temperature": self.heat.temperature.copy(), "boundary_temperature": self.heat.boundary.copy()}

    def restore(self, arrays: dict[str, np.ndarray]) -> None:
        """Takes over a state; raises `ValueError` for one of another mesh."""
        if arrays["temperature"].shape != self.heat.temperature.shape:
            raise ValueError("temperature of the start state belongs to another mesh")
        self.heat.temperature = arrays["temperature"].copy()
        self.heat.boundary = arrays["boundary_temperature"].copy()

    def moment(self) -> Moment:
        none = np.zeros((self.stencil.cells, 3))
        return Moment(none, none[:, 0], self._nothing, self._nothing, {"temperature": self.heat.temperature.copy()})

    def draw_out(self, now: Moment, before: Moment, ratio: float) -> None:
        one, two = now.fields["temperature"], before.fields["temperature"]
        self.heat.temperature = one + ratio * (one - two)

    def courant(self, step: float) -> float:
        return 0.0

    def change(self, conditions: object) -> None:
        """Nothing flows, so nothing changes."""

    def close_mass(self) -> list[str]:
        left = self.heat.settle(self._nothing)
        return [f"heat is balanced only to {left:.0e}"] if left > SETTLED else []

    def notes(self) -> list[str]:
        """What was held at a limit because nothing is known beyond."""
        return self.heat.notes()

    def backflow(self) -> float:
        return 0.0

    def fields(self) -> Fields:
        s = self.stencil
        more = {
            "temperature": (self.heat.temperature.copy(), self.heat.boundary.copy()),
            "heat": (np.zeros(s.cells), self.heat.leaving().copy()),
        }
        cells, faces = np.zeros(s.cells), np.zeros(s.boundary_count)
        return Fields(
            s, self.heat.substance.density.copy(), cells, np.zeros((s.cells, 3)), cells, self._nothing,
            np.zeros((s.boundary_count, 3)), faces, more,
        )  # fmt: skip

    def snapshot(self) -> Fields:
        return self.fields().copied()
