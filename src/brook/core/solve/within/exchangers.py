"""Heat exchangers as pieces of a flow: each metre along them brings it a part of the way to the temperature of the other side.

dT/dx = -ln(1 - E)/L (T' - T), so that a stream that goes straight through leaves at T + E (T' - T), whatever it came in at: K = ρ c |u| V (-ln(1 - E))/L of
each cell is put into the equation of heat as a sink K T and a source K T'. E may be a formula of the volume flow Q = ∫ u dV/L; Kays and London (1984) have
tables of it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from brook.core.mesh import Mesh
from brook.core.solve.curves import at_flow
from brook.core.units import DIMENSIONS, show

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

MOST = 0.999  # of the way to the other side's temperature


@dataclass(eq=False)
class Exchanger:
    """`share` (C,) of the cells of a flow that lie in it, across `axis`, `deep` in m, the effectiveness by the volume flow in m³/s, whether that is known only up
    to a lower flow, and the temperature of the other side in K."""

    name: str
    share: np.ndarray
    axis: int
    deep: float
    takes: Callable[[float], float]
    is_beyond: Callable[[float], bool]
    other: float
    given: float = 0.0  # W, at the last step
    through: float = 0.0  # m³/s, then

    def flow(self, flow: FlowSolver) -> float:
        """The volume flow in m³/s along its axis, either way."""
        return abs(float(self.share @ (flow.stencil.mesh.volume * flow.velocity[:, self.axis]))) / self.deep

    def conductance(self, flow: FlowSolver, capacity: np.ndarray, temperature: np.ndarray) -> np.ndarray:
        """K (C,) in W/K of the cells of a flow with such capacities in J/(kg K) and temperatures in K. Raises `ValueError` where the effectiveness has no value, or
        is no share."""
        through = self.through = self.flow(flow)
        share = at_flow(self.takes, through, f"the effectiveness of {self.name}")
        if not 0 <= share <= 1:
            raise ValueError(
                f"the effectiveness of {self.name} is {share:.4g} at {through:.4g} m³/s; it is a share from 0 to 1"
            )
        each = -np.log(1 - min(share, MOST)) / self.deep
        found: np.ndarray = (
            self.share
            * flow.stencil.mesh.volume
            * flow.medium.density
            * capacity
            * np.abs(flow.velocity[:, self.axis])
            * each
        )
        self.given = float(found @ (self.other - temperature))
        return found

    def body(self, mesh: Mesh) -> str:
        """The body that most of it lies in."""
        return mesh.bodies[int(np.argmax(np.bincount(mesh.body, self.share * mesh.volume)))]

    def notes(self) -> list[str]:
        """What it gave to the stream, and where its effectiveness is not known."""
        found = [f"{self.name} {'gives' if self.given >= 0 else 'takes'} {show(abs(self.given), DIMENSIONS['power'])}"]
        if self.is_beyond(self.through):
            through = show(self.through, DIMENSIONS["volume_flow"])
            found.append(
                f"the effectiveness of {self.name} is known up to less than {through}, and taken as level beyond"
            )
        return found
