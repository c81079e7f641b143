"""One scalar equation on a mesh: what a mass flux carries, what spreads, what is set free and used up.

∂(ρ c φ)/∂t + ∇·(m c φ) = ∇·(Γ ∇φ) + S − K φ, second order in space; walls between bodies couple both sides in the matrix.
Temperature, concentrations and ages are of this kind; each has a model of its own that says what ρ, c, Γ, S and K are.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.numerics import Matrix, Stencil, face_mean, gradient, passes
from brook.core.numerics.chunks import over
from brook.core.numerics.general import Coupling, GeneralSolver
from brook.core.numerics.multigrid import Levels
from brook.core.numerics.operators import SCHEME_NUMBER, Convection, softness_of
from brook.core.solve.excess import Excess
from brook.core.solve.returning import STEADY, Returned
from brook.core.solve.states import State
from brook.core.solve.time_levels import TimeLevel, TimeScheme

NOTHING = np.zeros(0)
ROUNDED = 1e-11  # of what cells hold, in a step in time
ALIKE = 1e-8  # of what flows through cells, in a steady flow: differences smaller than that are none
STAGNANT = 1e-14  # of the largest diagonal: a cell with less has nothing to do with any other
HELD = 1e30  # times its diagonal: a cell that is held does not move


@dataclass(frozen=True, eq=False)
class ScalarConditions:
    """On boundary faces (B,): a film of `coefficient`, in W/(m² K) for a temperature, infinite where the value is given, to
    `surroundings`, and a `flux` for each m² into the body besides. What flows in has the value `entering`."""

    coefficient: np.ndarray
    surroundings: np.ndarray
    flux: np.ndarray
    entering: np.ndarray


@dataclass(frozen=True, eq=False)
class Contacts:
    """Boundary faces `one` (n,) and `other` (n,) that lie on each other, as places in boundary arrays, and the
    resistance (n,) between them, in m² K/W for a temperature."""

    one: np.ndarray
    other: np.ndarray
    resistance: np.ndarray

    @classmethod
    def none(cls) -> Contacts:
        """None between any two bodies."""
        return cls(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0))


class ScalarEquation:
    """The value (C,) of a scalar, and (B,) on boundaries; `advance` takes one step towards the answer for a mass flux.

    `capacity` (C,) is c, `density` (C,) ρ, `diffusivity` (C,) Γ, `source` (C,) and `sink` (C,) are S and K of a whole cell;
    `sink` is at least 0 and may be empty. Cells in `held` (n,) keep the value they have.
    """

    def __init__(
        self, name: str, stencil: Stencil, conditions: ScalarConditions, start: np.ndarray, contacts: Contacts | None = None,
        scheme: Convection = "limited", excess: Excess | None = None,
    ):  # fmt: skip
        """`excess` is what cells hold besides c φ, where that is not in proportion to φ."""
        cells, inner = stencil.cells, stencil.inner
        self.name, self.stencil, self.conditions, self.scheme = name, stencil, conditions, scheme
        self.contacts, self._excess = contacts or Contacts.none(), excess
        self._start = start
        self.value = start.astype(float).copy()
        self.boundary = self.value[stencil.face_cell].copy()
        self.capacity, self.density, self.diffusivity = np.ones(cells), np.ones(cells), np.zeros(cells)
        self.source, self.sink, self.held = np.zeros(cells), NOTHING, np.zeros(0, np.int64)
        self.stirred = False  # whether eddies make most of the diffusivity
        self.relaxation = 1.0
        self.flow_inertia = 0.0  # share of what flows through a cell that it is held back by in a step
        self.stagnant = 0  # cells that nothing reaches, at the last step
        self.returned: tuple[
            Returned, ...
        ] = ()  # how values come in again through periodic pairs, where not as they left
        self.boundary_diffusivity: np.ndarray | None = (
            None  # diffusivity (B,) next to boundaries, where it is not that of the cell
        )
        self._solver = GeneralSolver()
        self._slope = np.zeros((cells, 3))
        self._more, self._entries = np.zeros(inner), np.zeros(2 * inner)
        self._diagonal, self._residual = np.zeros(cells), np.zeros(cells)
        self._sums = np.zeros(len(stencil.cell_chunks) - 1)
        self._leaving = np.zeros(stencil.boundary_count)  # out of the bodies through each boundary face

    def share(self, room: np.ndarray, levels: Levels | None) -> None:
        """Takes room (3 * inner,) for what outlives no step, and the levels of a multigrid, from whoever needs them at other
        times."""
        self._solver = GeneralSolver(levels)
        inner = self.stencil.inner
        self._entries, self._more = room[: 2 * inner], room[2 * inner : 3 * inner]

    def fill(self, share: np.ndarray, value: np.ndarray) -> None:
        """That `share` (C,) of each cell begins at a value (C,) instead."""
        self._start = (1 - share) * self._start + share * value

    def begin(self) -> None:
        """Takes over the value of the start."""
        self.value = self._start.astype(float).copy()
        self.boundary = self.value[self.stencil.face_cell].copy()
        for back in self.returned:
            back.factor, back.fall = 1.0, 0.0

    # -- what boundaries do -------------------------------------------------------------------

    def _near(self) -> np.ndarray:
        """The diffusivity (B,) next to boundaries."""
        return (
            self.diffusivity[self.stencil.face_cell] if self.boundary_diffusivity is None else self.boundary_diffusivity
        )

    def _conductance(self) -> np.ndarray:
        """From a cell to its boundary face (B,), in W/K for a temperature."""
        s = self.stencil
        return self._near() * s.geometric_diffusion[s.inner :]

    def _film(self, conductance: np.ndarray, through: np.ndarray) -> np.ndarray:
        """From a cell to the surroundings (B,): nothing where there is no film, or where something leaves."""
        area = np.linalg.norm(self.stencil.area[self.stencil.inner :], axis=1)
        coefficient = self.conditions.coefficient
        with np.errstate(divide="ignore", invalid="ignore"):
            both = 1 / (1 / conductance + 1 / (coefficient * area))
        found = np.where(np.isinf(coefficient), conductance, np.where(coefficient > 0, both, 0.0))
        return np.where(through > 0, 0.0, found)

    def _non_orthogonal(self, slope: np.ndarray) -> np.ndarray:
        """Γ cross·∇φ (B,): what the gradient along a boundary adds to the flux through it."""
        s = self.stencil
        along = np.einsum("fi,fi->f", slope[s.face_cell], s.boundary_non_orthogonal)
        return self._near() * along

    # -- one step -----------------------------------------------------------------------------

    def advance(self, flux: np.ndarray, time: TimeScheme | None = None, extra: np.ndarray | None = None,
                tolerance: float = 0.01) -> float:  # fmt: skip
        """Solves with a mass flux (F,) in kg/s; `extra` (C,) are further sources.

        Returns the residual before that: what was left of the equation over what cells exchange.
        """
        self.renew()
        s, t, rows = self.stencil, self.value, self.stencil.rows
        inner, cell = s.inner, s.face_cell
        seen = self._seen(t)
        slope = self._slopes(seen)
        self._over_faces(seen, slope, flux)
        conductance = self._conductance()
        film, non_orthogonal = self._film(conductance, flux[inner:]), self._non_orthogonal(slope)
        area = np.linalg.norm(s.area[inner:], axis=1)
        # a film sees less of the non_orthogonal part, a given temperature all of it
        share = np.divide(film, conductance, out=np.zeros_like(film), where=conductance > 0)
        entering = np.maximum(-flux[inner:] * self.capacity[cell], 0.0)
        into = film * self.conditions.surroundings + share * non_orthogonal + area * self.conditions.flux
        source, sink = self._sources(flux, time, extra)
        over(
            s.cell_chunks, passes.scalar_cells, seen, self._more, self._entries, source, sink, rows.offsets,
            rows.beside, rows.faces, rows.boundary_offsets, rows.boundary_faces, film + entering,
            into + entering * self.conditions.entering, self._diagonal, self._residual, self._sums,
        )  # fmt: skip
        coupling, exchanged = self._coupled(conductance, non_orthogonal, self._diagonal, self._residual)
        for back in self.returned:
            back.balance(s, t, self._entries, self._residual)
        terms = float(self._sums.sum() + np.abs(exchanged).sum() + np.abs(into - film * t[cell]).sum())
        terms += float(np.abs(self.source).sum()) + (float(self.sink @ np.abs(t)) if len(self.sink) else 0.0)
        # where nothing changes any more, or all is alike, what is left is rounding
        held = ALIKE * self._diagonal if time is None else ROUNDED * sink
        terms += float(held @ np.abs(t))
        residual = float(np.abs(self._residual).sum()) / terms if terms != 0 else 0.0
        if len(self.held):
            self._residual[self.held] = 0.0
            self._diagonal[self.held] *= HELD
        diagonal = self._diagonal if self.relaxation == 1 else self._diagonal / self.relaxation
        if self.flow_inertia:
            diagonal = self._steadied(diagonal, flux)
        if self.returned:
            diagonal = diagonal * (1 + STEADY)
        matrix = Matrix(s, diagonal, self._entries)
        self.value = t + self._solver.solve(matrix, coupling, self._residual, tolerance, symmetric=not flux.any())
        for back in self.returned:
            weight = flux[:inner] * face_mean(s, self.capacity)
            self.value = back.level(s, self.value, self._seen(self.value)[s.cells :], weight)
        self._close(flux, conductance, non_orthogonal)
        return residual

    def _over_faces(self, seen: np.ndarray, slope: np.ndarray, flux: np.ndarray) -> None:
        """What inner faces carry, and the matrix, for values and gradients with those over periodic pairs."""
        s, rows, across = self.stencil, self.stencil.rows, self.stencil.across
        excess, growth = (across(e) for e in self._excess.at(self.value)) if self._excess else (NOTHING, NOTHING)
        over(
            s.face_chunks, passes.scalar_faces, seen, slope, flux, across(self.capacity), across(self.diffusivity), s.centre,
            *s.ends, s.weight, s.geometric_diffusion, s.face_kind, s.skew, s.area, rows.upper, rows.lower,
            SCHEME_NUMBER[self.scheme], softness_of(self.value), excess, growth, self.stirred, across(s.mesh.body), self._more, self._entries,
        )  # fmt: skip

    def _sources(
        self, flux: np.ndarray, time: TimeScheme | None, extra: np.ndarray | None
    ) -> tuple[np.ndarray, np.ndarray]:
        """S and K of each cell (C,), with what a step in time adds to both."""
        source, sink = self.source if extra is None else self.source + extra, self.sink
        if time is not None:
            mass = self.density * self.capacity * self.stencil.mesh.volume
            sink = time.now * mass + (self.sink if len(self.sink) else 0.0)
            source = source + mass * time.old(self.name, "value")
        if self._excess:
            kept = self._excess.kept(self.stencil, self.value, self.conditions.entering, flux, time, self.density)
            source = source + kept
        return source, sink

    def _steadied(self, diagonal: np.ndarray, flux: np.ndarray) -> np.ndarray:
        """The diagonal (C,) with what holds cells back. What circles for ever without loss has no single answer else; a cell
        that nothing reaches keeps its value."""
        diagonal = diagonal + self.flow_inertia * self.capacity * self.stencil.passing(flux)
        still = diagonal <= STAGNANT * diagonal.max()
        self.stagnant = int(np.count_nonzero(still))
        if self.stagnant:
            diagonal[still] = max(float(diagonal.max()), 1e-300)
            self._residual[still] = 0.0
        return diagonal

    def _seen(self, value: np.ndarray) -> np.ndarray:
        """Values (C,) with what stands over periodic pairs behind them."""
        found = self.stencil.across(value)
        for back in self.returned:
            back.copies(found[self.stencil.cells :])
        return found

    def _slopes(self, seen: np.ndarray) -> np.ndarray:
        """Gradients (C, 3) of values with those over periodic pairs behind them, and the same of these."""
        s = self.stencil
        found = s.across(gradient(s, s.every_boundary, seen, self.boundary, self._slope))
        for back in self.returned:
            back.slopes(found[s.cells :])
        return found

    def on_boundary(self) -> np.ndarray:
        """Values on the boundary faces of the mesh, periodic pairs included."""
        return self.stencil.with_pairs(self.value, self.boundary, self._seen(self.value)[self.stencil.cells :])

    def through_boundary(self, flux: np.ndarray) -> np.ndarray:
        """What goes out of the body through each boundary face of the mesh, periodic pairs included, with a mass flux (F,)."""
        s, count = self.stencil, len(self.stencil.halo)
        if not count:
            return self._leaving
        here = slice(s.inner - count, s.inner)
        there, w, cell = self._seen(self.value)[s.cells :], s.weight[here], s.owner[here]
        on_face = w * self.value[cell] + (1 - w) * there
        one, two = self.diffusivity[cell], s.across(self.diffusivity)[s.neighbour[here]]
        both = w * two + (1 - w) * one
        k = np.divide(one * two, both, out=np.zeros(count), where=both > 0)
        if self.stirred:
            k = (4 * np.sqrt(one * two) + one + two) / 6
        spread = k * s.geometric_diffusion[here] * (self.value[cell] - there)
        return np.concatenate([flux[here] * self.capacity[cell] * on_face + spread, self._leaving])

    def renew(self) -> None:
        """Brings properties up to date with the value; those of this equation change by others only."""

    def _coupled(
        self, conductance: np.ndarray, non_orthogonal: np.ndarray, diagonal: np.ndarray, rest: np.ndarray
    ) -> tuple[Coupling | None, np.ndarray]:
        """Walls between bodies: what couples cells over them, and what goes over each as it is now."""
        one, other = self.contacts.one, self.contacts.other
        if not len(one):
            return None, np.zeros(0)
        s = self.stencil
        a, b = s.face_cell[one], s.face_cell[other]
        through = self._through(conductance)
        lag = through * (non_orthogonal[other] / conductance[other] - non_orthogonal[one] / conductance[one])
        np.add.at(diagonal, a, through)
        np.add.at(diagonal, b, through)
        exchanged = through * (self.value[a] - self.value[b]) + lag
        np.add.at(rest, a, -exchanged)
        np.add.at(rest, b, exchanged)
        return Coupling(a, b, -through), exchanged

    def _through(self, conductance: np.ndarray) -> np.ndarray:
        """From cell to cell over walls between bodies, in W/K for a temperature."""
        one, other = self.contacts.one, self.contacts.other
        area = np.linalg.norm(self.stencil.area[self.stencil.inner :][one], axis=1)
        return 1 / (1 / conductance[one] + 1 / conductance[other] + self.contacts.resistance / area)

    def _close(self, flux: np.ndarray, conductance: np.ndarray, non_orthogonal: np.ndarray) -> None:
        """Values on boundary faces and what leaves through them, from those of the cells."""
        s, cell, there = self.stencil, self.stencil.face_cell, self.conditions
        near = self.value[cell]
        area = np.linalg.norm(s.area[s.inner :], axis=1)
        film = self._film(conductance, flux[s.inner :])
        share = np.divide(film, conductance, out=np.zeros_like(film), where=conductance > 0)
        into = film * (there.surroundings - near) + share * non_orthogonal + area * there.flux
        found = near + np.divide(into - non_orthogonal, conductance, out=np.zeros_like(into), where=conductance > 0)
        through = flux[s.inner :]
        found = np.where(np.isinf(there.coefficient), there.surroundings, found)
        found = np.where((through < 0) & ~np.isinf(there.coefficient), there.entering, found)
        found = np.where((through > 0), near, found)
        one, other = self.contacts.one, self.contacts.other
        leaving = -into + self.capacity[cell] * through * np.where(through < 0, there.entering, near)
        if self._excess:
            leaving += through * self._excess.on_boundary(s, self.value, there.entering, flux)
        if len(one):
            a, b = cell[one], cell[other]
            lag = non_orthogonal[other] / conductance[other] - non_orthogonal[one] / conductance[one]
            heat = self._through(conductance) * (self.value[a] - self.value[b] + lag)
            found[one] = near[one] - (heat + non_orthogonal[one]) / conductance[one]
            found[other] = near[other] + (heat - non_orthogonal[other]) / conductance[other]
            leaving[one], leaving[other] = heat, -heat
        self.boundary, self._leaving = found, leaving

    def state(self) -> State:
        """The value in cells and on boundaries."""
        return {"value": self.value.copy(), "boundary": self.boundary.copy()}

    def restore(self, state: State) -> None:
        """Takes over a state. Raises `ValueError` for one of another mesh."""
        if state["value"].shape != self.value.shape:
            raise ValueError(f"{self.name} of the start state belongs to another mesh")
        self.value, self.boundary = state["value"].copy(), state["boundary"].copy()

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """Begins a step as if the change since `before` went on, `ratio` being this step over the last."""
        one, two = (level.scalars[self.name]["value"] for level in (now, before))
        self.value = one + ratio * (one - two)

    # -- what it comes to ---------------------------------------------------------------------

    def settle(self, flux: np.ndarray, extra: np.ndarray | None = None, left: float = 1e-9, most: int = 60) -> float:
        """Goes on with the flow as it is until the equation holds; returns the residual."""
        before, self.relaxation = self.relaxation, 1.0
        residual = 1.0
        for _ in range(most):
            residual = self.advance(flux, None, extra, 0.1)
            if residual <= left:
                break
        self.relaxation = before
        return residual
