"""Heat in fluids and solids as one scalar equation, that of the temperature.

∂(ρ c T)/∂t + ∇·(m c T) = ∇·(k ∇T) + sources; walls between bodies have a contact resistance where there is one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.materials.solid import Solid
from brook.core.numerics import Stencil
from brook.core.numerics.operators import Convection
from brook.core.solve.excess import AT, Excess
from brook.core.solve.scalar import Contacts, ScalarConditions, ScalarEquation


@dataclass(frozen=True, eq=False)
class Substance:
    """Of each cell (C,): conductivity in W/(m K), heat capacity in J/(kg K) and density in kg/m³."""

    conductivity: np.ndarray
    capacity: np.ndarray
    density: np.ndarray


@dataclass(frozen=True, eq=False)
class Filling:
    """What fills a body: its material and its cells (n,). `varying` says that properties of the library change too."""

    name: str
    material: ConstantFluid | Solid
    cells: np.ndarray
    varying: bool

    def at(self, name: str, temperature: np.ndarray) -> np.ndarray | None:
        """A property at temperatures (n,) in K, None for one that does not change."""
        return self.material.at(name, temperature) if self.changes else None

    @property
    def changes(self) -> bool:
        """Whether its properties change with temperature."""
        return self.varying or bool(self.material.varied)


class Heat(ScalarEquation):
    """The temperature (C,) in K of all bodies."""

    def __init__(
        self, stencil: Stencil, substance: Substance, conditions: ScalarConditions, start: np.ndarray, source: np.ndarray,
        contacts: Contacts | None = None, scheme: Convection = "limited", fillings: tuple[Filling, ...] = (),
    ):  # fmt: skip
        """`source` (C,) in W; `fillings` tell which conductivities and heat capacities change with temperature."""
        excess = Excess(
            stencil.mesh,
            [(f.name, f.at("heat_capacity", AT), f.material.heat_capacity) for f in fillings],
            float(start.mean()),
        )
        super().__init__("heat", stencil, conditions, start, contacts, scheme, excess or None)
        self.capacity, self.density, self.diffusivity = substance.capacity, substance.density, substance.conductivity
        self.source, self.fillings = source, fillings

    @property
    def temperature(self) -> np.ndarray:
        """The value (C,), in K."""
        return self.value

    def renew(self) -> None:
        """Capacities and conductivities at the temperatures of now; next to boundaries half way between cell and wall."""
        if self._excess:
            self.capacity = self._excess.fit(self.value, self.capacity)
        conductivity, s = self.diffusivity, self.stencil
        changed = False
        for filling in self.fillings:
            found = filling.at("conductivity", self.value[filling.cells])
            if found is None:
                continue
            if not changed:
                conductivity, changed = conductivity.copy(), True
            conductivity[filling.cells] = found
        if not changed:
            return
        self.boundary_diffusivity = conductivity[s.face_cell]
        body = s.mesh.body[s.face_cell]
        for filling in self.fillings:
            here = np.nonzero(body == s.mesh.bodies.index(filling.name))[0]
            found = filling.at("conductivity", self.boundary[here])
            if found is not None:
                self.boundary_diffusivity[here] = 0.5 * (self.boundary_diffusivity[here] + found)
        self.diffusivity = conductivity

    def notes(self, density: bool = False) -> list[str]:
        """What was held at a limit because nothing is known beyond, or could not be done; `density` says that that of fluids changes
        anyway."""
        idle = [
            f"nothing comes in through {back.joint.patch}, so it was not brought to a temperature"
            for back in self.returned
            if not back.enters
        ]
        return idle + [
            f"in {filling.name} {words}"
            for filling in self.fillings
            if filling.changes or (density and isinstance(filling.material, ConstantFluid))
            for words in filling.material.beyond(self.value[filling.cells])
        ]
