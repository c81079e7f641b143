"""Heat that bodies hold where their capacity changes with temperature, beyond what a constant one would hold.

The enthalpy of a body is c T + e(T), c being half way between the least and the largest capacity that it has anywhere:
what e adds then leads to the answer by itself. The equation has c; e is carried besides, with the same value on a face
for both cells, so that no heat is lost.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from brook.core.mesh import Mesh
from brook.core.numerics import Stencil, divergence
from brook.core.solve.time_levels import TimeScheme

AT = np.geomspace(20.0, 5000.0, 20_001)  # K, between which it is straight


class Excess:
    """e(T) of every body, nothing at the temperature `start`; falsy where no capacity changes."""

    def __init__(self, mesh: Mesh, capacities: Iterable[tuple[str, np.ndarray | None, float]], start: float):
        """`capacities` are names of bodies with their capacity (n,) in J/(kg K) at the temperatures `AT`, None where it is
        constant, and that at the start."""
        self.body, self._start = mesh.body, start
        self._known: dict[int, tuple[np.ndarray, np.ndarray]] = {}
        self._constant: dict[int, float] = {}
        for name, capacity, constant in capacities:
            if capacity is None or np.ptp(capacity) <= 1e-12 * constant:
                continue
            held = np.concatenate([[0.0], np.cumsum(0.5 * (capacity[1:] + capacity[:-1]) * np.diff(AT))])
            number = mesh.bodies.index(name)
            self._known[number], self._constant[number] = (held - np.interp(start, AT, held), capacity), constant

    def __bool__(self) -> bool:
        return bool(self._known)

    def fit(self, temperature: np.ndarray, capacity: np.ndarray) -> np.ndarray:
        """The constant capacity (C,) of cells for temperatures (C,) as they are now; `capacity` (C,) is that of before."""
        found = capacity.copy()
        for k, (_, capacities) in self._known.items():
            here = self.body == k
            at = np.interp(temperature[here], AT, capacities)
            self._constant[k] = 0.5 * float(at.min() + at.max())
            found[here] = self._constant[k]
        return found

    def at(self, temperature: np.ndarray, body: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
        """e (n,) in J/kg at temperatures (n,) in bodies (n,), of the cells when none are given, and how it grows (n,)."""
        body = self.body if body is None else body
        held, growth = np.zeros(len(temperature)), np.zeros(len(temperature))
        for k, (enthalpy, capacities) in self._known.items():
            here, constant = body == k, self._constant[k]
            held[here] = np.interp(temperature[here], AT, enthalpy) - constant * (temperature[here] - self._start)
            growth[here] = np.interp(temperature[here], AT, capacities) - constant
        return held, growth

    def on_boundary(
        self, stencil: Stencil, temperature: np.ndarray, entering: np.ndarray, flux: np.ndarray
    ) -> np.ndarray:
        """e (B,) of what flows through boundary faces, of temperatures (C,) or `entering` (B,)."""
        cell = stencil.face_cell
        carried = np.where(flux[stencil.inner :] < 0, entering, temperature[cell])
        return self.at(carried, self.body[cell])[0]

    def kept(
        self, stencil: Stencil, temperature: np.ndarray, entering: np.ndarray, flux: np.ndarray,
        time: TimeScheme | None, density: np.ndarray,
    ) -> np.ndarray:  # fmt: skip
        """What of it cells (C,) get in W, but for what inner faces carry: over boundaries, and out of what they held."""
        held = self.at(temperature)[0]
        through = flux[stencil.inner :] * self.on_boundary(stencil, temperature, entering, flux)
        found = held * divergence(stencil, flux) - np.bincount(stencil.face_cell, through, stencil.cells)
        if time is not None:
            before = sum(
                rate * self.at(level.scalars["heat"]["value"])[0]
                for rate, level in zip(time.factors, time.levels, strict=True)
            )
            found -= density * stencil.mesh.volume * (time.now * held + before)
        return found
