"""Heat in fluids and solids as one system of equations.

∂(ρ c T)/∂t + ∇·(ρ u c T) = ∇·(k ∇T) + sources, second order in space; walls between bodies couple both sides in the
matrix, with a contact resistance where there is one. Patankar (1980) for the harmonic mean of conductivities.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from brook.core.materials import ConstantFluid
from brook.core.materials.solid import Solid
from brook.core.numerics import Matrix, Stencil, gradient, passes
from brook.core.numerics.chunks import over
from brook.core.numerics.general import Coupling, GeneralSolver
from brook.core.numerics.multigrid import Levels
from brook.core.numerics.operators import SCHEME_NUMBER, Convection, softness_of
from brook.core.solve.excess import AT, Excess
from brook.core.solve.states import State
from brook.core.solve.time_levels import TimeScheme

NOTHING = np.zeros(0)
ROUNDED = 1e-11  # of the heat that cells hold, in a step in time


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
        return self.varying or bool(self.material.varied)


@dataclass(frozen=True, eq=False)
class HeatConditions:
    """On boundary faces (B,): a film of `coefficient` in W/(m² K), infinite where the temperature is given, to
    `surroundings` in K, and a `flux` in W/m² into the body besides. What enters has the temperature `entering` in K."""

    coefficient: np.ndarray
    surroundings: np.ndarray
    flux: np.ndarray
    entering: np.ndarray


@dataclass(frozen=True, eq=False)
class Contacts:
    """Boundary faces `one` (n,) and `other` (n,) that lie on each other, as places in boundary arrays, and the
    resistance (n,) between them in m² K/W."""

    one: np.ndarray
    other: np.ndarray
    resistance: np.ndarray

    @classmethod
    def none(cls) -> Contacts:
        return cls(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0))


class Heat:
    """The temperature (C,) in K of all bodies; `advance` takes one step towards the answer for a mass flux."""

    def __init__(
        self, stencil: Stencil, substance: Substance, conditions: HeatConditions, start: np.ndarray, source: np.ndarray,
        contacts: Contacts | None = None, scheme: Convection = "limited", fillings: tuple[Filling, ...] = (),
    ):  # fmt: skip
        """`fillings` tell which conductivities and heat capacities change with temperature."""
        self.stencil, self.substance, self.conditions = stencil, substance, conditions
        self.source, self.scheme = source, scheme  # (C,) in W
        self.contacts = contacts or Contacts.none()
        self.temperature = start.astype(float).copy()
        self.boundary = self.temperature[stencil.face_cell].copy()
        self.relaxation = 1.0
        self.fillings = fillings
        self._excess = Excess(
            stencil.mesh,
            [(f.name, f.at("heat_capacity", AT), f.material.heat_capacity) for f in fillings],
            float(start.mean()),
        )
        self._at_edges = substance.conductivity[stencil.face_cell]  # conductivity (B,) next to boundaries
        self._solver = GeneralSolver()
        self._slope = np.zeros((stencil.cells, 3))
        self._more, self._entries = np.zeros(stencil.inner), np.zeros(2 * stencil.inner)
        self._diagonal, self._rest = np.zeros(stencil.cells), np.zeros(stencil.cells)
        self._sums = np.zeros(len(stencil.cell_chunks) - 1)
        self._paired = np.zeros(stencil.boundary_count, bool)
        self._paired[self.contacts.one] = self._paired[self.contacts.other] = True
        self._leaving = np.zeros(stencil.boundary_count)  # W out of the bodies through each boundary face
        self.carried = np.zeros(stencil.active)  # mass flux (F,) in kg/s with which the temperature was found

    def share(self, room: np.ndarray, levels: Levels | None) -> None:
        """Takes room (3 * inner,) for what outlives no step, and the levels of a multigrid, from whoever needs them at other
        times."""
        self._solver = GeneralSolver(levels)
        inner = self.stencil.inner
        self._entries, self._more = room[: 2 * inner], room[2 * inner : 3 * inner]

    # -- what boundaries do -------------------------------------------------------------------

    def _conductance(self) -> np.ndarray:
        """From a cell to its boundary face, in W/K (B,)."""
        s = self.stencil
        return self._at_edges * s.stiffness[s.inner :]

    def _film(self, conductance: np.ndarray, through: np.ndarray) -> np.ndarray:
        """From a cell to the surroundings, in W/K (B,): nothing where there is no film, or where something leaves."""
        area = np.linalg.norm(self.stencil.area[self.stencil.inner :], axis=1)
        coefficient = self.conditions.coefficient
        with np.errstate(divide="ignore", invalid="ignore"):
            both = 1 / (1 / conductance + 1 / (coefficient * area))
        found = np.where(np.isinf(coefficient), conductance, np.where(coefficient > 0, both, 0.0))
        return np.where(through > 0, 0.0, found)

    def _skewed(self, slope: np.ndarray) -> np.ndarray:
        """k cross·∇T (B,) in W: what the gradient along a boundary adds to the flux through it."""
        s = self.stencil
        along = np.einsum("fi,fi->f", slope[s.face_cell], s.edge_cross)
        return self._at_edges * along

    def _renew(self) -> None:
        """Capacities and conductivities at the temperatures of now; next to boundaries half way between cell and wall."""
        if self._excess:
            fitted = self._excess.fit(self.temperature, self.substance.capacity)
            self.substance = replace(self.substance, capacity=fitted)
        conductivity, s = self.substance.conductivity, self.stencil
        changed = False
        for filling in self.fillings:
            found = filling.at("conductivity", self.temperature[filling.cells])
            if found is None:
                continue
            if not changed:
                conductivity, changed = conductivity.copy(), True
            conductivity[filling.cells] = found
        if not changed:
            return
        self._at_edges = conductivity[s.face_cell]
        body = s.mesh.body[s.face_cell]
        for filling in self.fillings:
            here = np.nonzero(body == s.mesh.bodies.index(filling.name))[0]
            found = filling.at("conductivity", self.boundary[here])
            if found is not None:
                self._at_edges[here] = 0.5 * (self._at_edges[here] + found)
        self.substance = replace(self.substance, conductivity=conductivity)

    # -- one step -----------------------------------------------------------------------------

    def advance(self, flux: np.ndarray, time: TimeScheme | None = None, extra: np.ndarray | None = None,
                tolerance: float = 0.01) -> float:  # fmt: skip
        """Solves for the temperature with a mass flux (F,) in kg/s; `extra` (C,) are further sources in W.

        Returns the residual before that: what was left of the heat equation over the heat that cells exchange.
        """
        self._renew()
        s, t, sub, rows = self.stencil, self.temperature, self.substance, self.stencil.rows
        inner, cell = s.inner, s.face_cell
        slope = gradient(s, s.every_boundary, t, self.boundary, self._slope)
        excess, growth = self._excess.at(t) if self._excess else (NOTHING, NOTHING)
        over(
            s.face_chunks, passes.carried, t, slope, flux, sub.capacity, sub.conductivity, s.centre, *s.ends,
            s.weight, s.stiffness, s.askew, s.skew, s.area, rows.upper, rows.lower, SCHEME_NUMBER[self.scheme],
            softness_of(t), excess, growth, self._more, self._entries,
        )  # fmt: skip
        conductance = self._conductance()
        film, skewed = self._film(conductance, flux[inner:]), self._skewed(slope)
        area = np.linalg.norm(s.area[inner:], axis=1)
        # a film sees less of the skewed part, a given temperature all of it
        share = np.divide(film, conductance, out=np.zeros_like(film), where=conductance > 0)
        entering = np.maximum(-flux[inner:] * sub.capacity[cell], 0.0)
        into = film * self.conditions.surroundings + share * skewed + area * self.conditions.flux
        source, inert = self.source if extra is None else self.source + extra, NOTHING
        if time is not None:
            mass = sub.density * sub.capacity * s.mesh.volume
            inert, source = time.now * mass, source + mass * time.old("heat", "temperature")
        if self._excess:
            source = source + self._excess.kept(s, t, self.conditions.entering, flux, time, sub.density)
        over(
            s.cell_chunks, passes.gathered, t, self._more, self._entries, source, inert, rows.offsets,
            rows.columns, rows.faces, rows.edge_offsets, rows.edges, film + entering,
            into + entering * self.conditions.entering, self._diagonal, self._rest, self._sums,
        )  # fmt: skip
        coupling, exchanged = self._coupled(conductance, skewed, self._diagonal, self._rest)
        terms = float(self._sums.sum() + np.abs(exchanged).sum() + np.abs(into - film * t[cell]).sum())
        terms += float(np.abs(self.source).sum())
        if time is not None:  # where nothing gets warmer any more, what is left is rounding
            terms += ROUNDED * float(inert @ np.abs(t))
        residual = float(np.abs(self._rest).sum()) / terms if terms != 0 else 0.0
        diagonal = self._diagonal if self.relaxation == 1 else self._diagonal / self.relaxation
        matrix = Matrix(s, diagonal, self._entries)
        self.temperature = t + self._solver.solve(matrix, coupling, self._rest, tolerance, symmetric=not flux.any())
        self._close(flux, conductance, skewed)
        return residual

    def _coupled(
        self, conductance: np.ndarray, skewed: np.ndarray, diagonal: np.ndarray, rest: np.ndarray
    ) -> tuple[Coupling | None, np.ndarray]:
        """Walls between bodies: what couples cells over them, and the heat over each in W as it is now."""
        one, other = self.contacts.one, self.contacts.other
        if not len(one):
            return None, np.zeros(0)
        s = self.stencil
        a, b = s.face_cell[one], s.face_cell[other]
        through = self._through(conductance)
        lag = through * (skewed[other] / conductance[other] - skewed[one] / conductance[one])
        np.add.at(diagonal, a, through)
        np.add.at(diagonal, b, through)
        exchanged = through * (self.temperature[a] - self.temperature[b]) + lag
        np.add.at(rest, a, -exchanged)
        np.add.at(rest, b, exchanged)
        return Coupling(a, b, -through), exchanged

    def _through(self, conductance: np.ndarray) -> np.ndarray:
        """From cell to cell over walls between bodies, in W/K."""
        one, other = self.contacts.one, self.contacts.other
        area = np.linalg.norm(self.stencil.area[self.stencil.inner :][one], axis=1)
        return 1 / (1 / conductance[one] + 1 / conductance[other] + self.contacts.resistance / area)

    def _close(self, flux: np.ndarray, conductance: np.ndarray, skewed: np.ndarray) -> None:
        """Temperatures of boundary faces and the heat that leaves through them, from those of the cells."""
        s, cell, there = self.stencil, self.stencil.face_cell, self.conditions
        near = self.temperature[cell]
        area = np.linalg.norm(s.area[s.inner :], axis=1)
        film = self._film(conductance, flux[s.inner :])
        share = np.divide(film, conductance, out=np.zeros_like(film), where=conductance > 0)
        into = film * (there.surroundings - near) + share * skewed + area * there.flux
        found = near + np.divide(into - skewed, conductance, out=np.zeros_like(into), where=conductance > 0)
        through = flux[s.inner :]
        found = np.where(np.isinf(there.coefficient), there.surroundings, found)
        found = np.where((through < 0) & ~np.isinf(there.coefficient), there.entering, found)
        found = np.where((through > 0), near, found)
        one, other = self.contacts.one, self.contacts.other
        leaving = -into + self.substance.capacity[cell] * through * np.where(through < 0, there.entering, near)
        if self._excess:
            leaving += through * self._excess.at_edges(s, self.temperature, there.entering, flux)
        if len(one):
            a, b = cell[one], cell[other]
            lag = skewed[other] / conductance[other] - skewed[one] / conductance[one]
            heat = self._through(conductance) * (self.temperature[a] - self.temperature[b] + lag)
            found[one] = near[one] - (heat + skewed[one]) / conductance[one]
            found[other] = near[other] + (heat - skewed[other]) / conductance[other]
            leaving[one], leaving[other] = heat, -heat
        self.boundary, self._leaving, self.carried = found, leaving, flux

    def notes(self, density: bool = False) -> list[str]:
        """What was held at a limit because nothing is known beyond; `density` says that that of fluids changes anyway."""
        return [
            f"in {filling.name} {words}"
            for filling in self.fillings
            if filling.changes or (density and isinstance(filling.material, ConstantFluid))
            for words in filling.material.beyond(self.temperature[filling.cells])
        ]

    def state(self) -> State:
        return {"temperature": self.temperature.copy(), "boundary_temperature": self.boundary.copy()}

    def restore(self, state: State) -> None:
        """Takes over a state. Raises `ValueError` for one of another mesh."""
        if state["temperature"].shape != self.temperature.shape:
            raise ValueError("temperature of the start state belongs to another mesh")
        self.temperature, self.boundary = state["temperature"].copy(), state["boundary_temperature"].copy()

    # -- what it comes to ---------------------------------------------------------------------

    def leaving(self) -> np.ndarray:
        """Heat (B,) in W out of the body through each boundary face; what flows through carries ρ u c T with it."""
        return self._leaving

    def settle(self, flux: np.ndarray, extra: np.ndarray | None = None, left: float = 1e-9, most: int = 60) -> float:
        """Goes on with the flow as it is until the heat equation holds; returns the residual."""
        relaxation, self.relaxation = self.relaxation, 1.0
        residual = 1.0
        for _ in range(most):
            residual = self.advance(flux, None, extra, 0.1)
            if residual <= left:
                break
        self.relaxation = relaxation
        return residual
