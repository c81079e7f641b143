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


@dataclass(frozen=True, eq=False)
class Eddies:
    """What eddies add to the conductivity (C,), and the conductivity `at_walls` (n,) that makes the law of the wall of the step to
    boundary faces `faces` (n,)."""

    conductivity: np.ndarray
    faces: np.ndarray
    at_walls: np.ndarray


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
        self.conductivity = substance.conductivity
        self.eddies: Eddies | None = None
        self.told: list[str] = []  # of where heat is set free

    @property
    def temperature(self) -> np.ndarray:
        """The value (C,), in K."""
        return self.value

    def renew(self) -> None:
        """Capacities and conductivities at the temperatures of now; next to boundaries half way between cell and wall."""
        if self._excess:
            self.capacity = self._excess.fit(self.value, self.capacity)
        conductivity, s = self.conductivity, self.stencil
        changed = False
        for filling in self.fillings:
            found = filling.at("conductivity", self.value[filling.cells])
            if found is None:
                continue
            if not changed:
                conductivity, changed = conductivity.copy(), True
            conductivity[filling.cells] = found
        if changed:
            self.conductivity = self.diffusivity = conductivity
            self.boundary_diffusivity = self._at_boundary(conductivity)
        if self.eddies is not None:
            near = self._at_boundary(conductivity) if changed else conductivity[s.face_cell]
            self.diffusivity = conductivity + self.eddies.conductivity
            self.boundary_diffusivity = near + self.eddies.conductivity[s.face_cell]
            self.boundary_diffusivity[self.eddies.faces] = self.eddies.at_walls
            self.stirred = True

    def _at_boundary(self, conductivity: np.ndarray) -> np.ndarray:
        """Next to boundaries (B,), half way between cell and wall where it changes with temperature."""
        s = self.stencil
        near = conductivity[s.face_cell]
        body = s.mesh.body[s.face_cell]
        for filling in self.fillings:
            here = np.nonzero(body == s.mesh.bodies.index(filling.name))[0]
            found = filling.at("conductivity", self.boundary[here])
            if found is not None:
                near[here] = 0.5 * (near[here] + found)
        return near

    def notes(self, density: bool = False) -> list[str]:
        """What was held at a limit because nothing is known beyond, or could not be done; `density` says that that of fluids changes
        anyway."""
        idle = [
            f"nothing comes in through {back.joint.patch}, so it was not brought to a temperature"
            for back in self.returned
            if not back.enters
        ]
        return [*self.told, *idle] + [
            f"in {filling.name} {words}"
            for filling in self.fillings
            if filling.changes or (density and isinstance(filling.material, ConstantFluid))
            for words in filling.material.beyond(self.value[filling.cells])
        ]
