"""Fans that stand between cells: a step of pressure by the volume flow Q that goes through all of one, s = -Δp(Q) along the way it blows.

What a face passes is taken for its share of Q where the fluxes look at how a step changes, ds/dF = -Δp'(Q) (A/A_f)/ρ: exact for a flow that grows
everywhere alike, and nothing at the end, as it counts from the flux of before.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brook.core.solve.curves import at_flow
from brook.core.units import DIMENSIONS, show

NEAR = 1e-3  # of a flow, by which the steepness of a curve is looked at
AT_REST = 1e-6  # m/s, at which it is looked at where nothing flows


@dataclass(frozen=True, eq=False)
class Blower:
    """Inner `faces` (n,) that a fan covers, +1 or -1 for faces that look the way it blows (n,), their areas in m² (n,), its rise of pressure in Pa
    by the volume flow in m³/s, and whether that is known only up to a lower flow."""

    name: str
    faces: np.ndarray
    sign: np.ndarray
    area: np.ndarray
    rise: Callable[[float], float]
    is_beyond: Callable[[float], bool]

    def flow(self, flux: np.ndarray, rho: np.ndarray) -> float:
        """The volume flow in m³/s the way it blows, of mass fluxes and densities (n,) at its faces."""
        return float((self.sign * flux / rho).sum())

    def steps(self, flux: np.ndarray, rho: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The steps (n,) in Pa that it makes over its faces, and how much more they are for each kg/s more (n,). One that fluid goes back through
        has the rise that it has at rest. Raises `ValueError` where its curve has no value."""
        flow, whole = max(self.flow(flux, rho), 0.0), float(self.area.sum())
        more = flow + NEAR * max(flow, AT_REST * whole)
        here, beyond = self._rise(flow), self._rise(more)
        falls = max(here - beyond, 0.0) / (more - flow)
        return -self.sign * here, falls * whole / (self.area * rho)

    def notes(self, flux: np.ndarray, rho: np.ndarray) -> list[str]:
        """What is to be said of it."""
        flow = self.flow(flux, rho)
        if flow < 0:
            return [f"fluid goes back through {self.name}: what else drives it is stronger"]
        if self.is_beyond(flow):
            return [
                f"the curve of {self.name} ends before {show(flow, DIMENSIONS['volume_flow'])}, and is taken as level beyond"
            ]
        return []

    def _rise(self, flow: float) -> float:
        return at_flow(self.rise, flow, f"the rise of pressure of {self.name}")
