"""Fewer iterations on large meshes: between two of them, what is left of the equations is taken down on coarser agglomerates.

The full approximation scheme of Brandt (1977), with SIMPLEC as its smoother: a coarse flow gets, besides what it is driven
by, the force and the fluxes that make it stand where the fine one leaves nothing; what it moves then is taken over.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from brook.core.numerics import Stencil, gradient, lumping
from brook.core.numerics.chunks import chunks_of, over
from brook.core.solve.acceleration import Acceleration
from brook.core.solve.coarse import coarse_flow, prolong
from brook.core.solve.flow import Diverged, FlowSolver
from brook.core.solve.model import GivenForce
from brook.core.solve.residuals import Residuals
from brook.core.solve.setup import FIXED

WORTH = 20_000  # cells from which it is quicker to start on coarser meshes
CORRECTED = 500_000  # cells from which it is to come back to these between iterations
EVEN = 4.0  # times that a cell may hold on to one neighbour more than to another
SAMPLE = 2_000  # cells that are asked for it
BENT = 0.05  # share of faces that may need a correction for bent meshes
LEAST = 2_500  # cells of a coarsest mesh
MOST_LEVELS = 3
ENOUGH = 1e-3  # residual on a coarse mesh that is to be a start
MOST = 80  # iterations on one
LAST_ROUNDS = 4  # iterations on the coarsest for each on the others
QUIET = 1e-7  # residual from which on single precision of what is left tells nothing any more
WORSE, STRIKES = 10.0, 3  # times the least residual so far, and how often, until coarse meshes are given up


class Level:
    """A flow and the same on agglomerates of its cells."""

    def __init__(self, fine: FlowSolver):
        self.fine = fine
        self.coarse, self.agglomerates = coarse_flow(fine)
        self._from_above = GivenForce(None)  # what is left of the fine equations
        self.coarse.model = replace(self.coarse.model, sources=(*self.coarse.model.sources, self._from_above))
        count = self.agglomerates.stencil.cells
        self._velocity, self._pressure = np.zeros((count, 3)), np.zeros(count)
        self._left, self._boundary = np.zeros((count, 3)), np.zeros((0, 3))
        self._cells = chunks_of(count, fine.stencil.cells)
        self._faces = chunks_of(self.agglomerates.stencil.inner, fine.stencil.cells)

    def down(self) -> None:
        """Puts the coarse flow where the fine one is, and what is left there of the equations into it."""
        fine, coarse, agglomerates = self.fine, self.coarse, self.agglomerates
        s, to, inner = fine.stencil, agglomerates.stencil, fine.stencil.inner
        fine.assemble_momentum()
        over(
            self._cells, lumping.means, agglomerates.start, agglomerates.rows, s.mesh.volume, fine.velocity, fine.pressure,
            fine.momentum.residual, self._velocity, self._pressure, self._left,
        )  # fmt: skip
        flux = self._summed_flux()
        kept, on_boundary = fine.momentum.workspace[inner : 2 * inner], fine.flux[inner:].copy()
        kept[:] = fine.flux[:inner]
        fine.mass.predict(fine, fine.momentum)
        wanted = self._summed_flux()
        fine.flux[:inner], fine.flux[inner:] = kept, on_boundary
        coarse.velocity[:], coarse.flux, self._from_above.value, coarse.shift = self._velocity, flux.copy(), None, None
        coarse.start_pressure(self._pressure)
        self._boundary, _ = coarse.assemble_momentum()
        force = self._left - coarse.momentum.residual
        coarse.mass.predict(coarse, coarse.momentum)
        shift = wanted - coarse.flux
        shift[to.inner :][coarse.conditions.kind == FIXED] = 0.0
        self._from_above.value = force
        coarse.flux, coarse.shift = flux, shift

    def up(self) -> None:
        """Takes over what the coarse flow has moved."""
        fine, coarse, s, to = self.fine, self.coarse, self.fine.stencil, self.agglomerates.stencil
        step, pressure_step = coarse.velocity - self._velocity, coarse.pressure - self._pressure
        slope = gradient(to, to.every_boundary, step, coarse.boundary_velocity() - self._boundary)
        pressure_slope = gradient(to, coarse.pressure_fit, pressure_step, np.zeros(to.boundary_count))
        change = fine.momentum.gradient.reshape(-1)[: 3 * s.cells].reshape(-1, 3)  # room that is free here
        over(
            s.cell_chunks, lumping.led, self.agglomerates.of, s.centre, to.centre, step, slope, pressure_step, pressure_slope,
            fine.velocity, fine.pressure, change,
        )  # fmt: skip
        over(
            s.face_chunks, lumping.driven, *s.ends, s.weight, s.area, fine.medium.density, change, fine.flux
        )  # fmt: skip
        fine.take_mixture()

    def _summed_flux(self) -> np.ndarray:
        """The fluxes (F,) of the fine flow through the faces of the coarse one."""
        agglomerates, to, flux = self.agglomerates, self.agglomerates.stencil, self.fine.flux
        total = np.empty(to.active)
        over(self._faces, lumping.through, agglomerates.face_start, agglomerates.face_codes, flux, total)
        total[to.inner :] = np.bincount(agglomerates.boundary_of, flux[self.fine.stencil.inner :], to.boundary_count)
        return total


class Cycles:
    """A flow with coarser ones below it; none where it is small, moved by heat, goes round through periodic pairs, or has openings whose pressure depends on it.

    They lead to its start. Between iterations they are asked on large and even meshes only: in wall layers agglomerates are as
    thick as a layer, and what they know of the way is too rough (docs/decisions/0023).
    """

    def __init__(self, flow: FlowSolver, starts: bool = True):
        self.flow = flow
        self.levels: list[Level] = []
        self._least, self._strikes = np.inf, 0
        self._corrects = flow.stencil.cells >= CORRECTED and flow.medium.eddy is None and is_even(flow.stencil)
        if (
            flow.stencil.cells < WORTH
            or flow.is_driven
            or flow.openings.depends
            or len(flow.stencil.halo)
            or not (starts or self._corrects)
        ):
            return
        while flow.stencil.cells > 8 * LEAST and len(self.levels) < MOST_LEVELS:
            self.levels.append(Level(flow))
            flow = self.levels[-1].coarse

    def start(self, wanted: Callable[[], bool] = lambda: True) -> int:
        """Brings the flow near its answer from the coarsest one on; gives the number of those that led there. Ends early,
        with the usual start, when not `wanted`."""
        count = 0
        for level in reversed(self.levels):
            if not _solved(level.coarse, wanted):
                count = 0
                break
            prolong(level.coarse, level.agglomerates, level.fine)
            count += 1
        if not self._corrects:
            self.levels = []
        return count

    def iterate(self) -> Residuals:
        """One iteration of the flow, after what coarser ones know of the way. Raises `Diverged`."""
        if self.levels and self._least > QUIET:
            try:
                self._round(0)
            except Diverged:
                self.levels = []
        residuals = self.flow.iterate()
        if residuals.worst > WORSE * self._least:
            self._strikes += 1
            if self._strikes >= STRIKES:
                self.levels = []
        self._least = min(self._least, residuals.worst)
        return residuals

    def _round(self, depth: int) -> None:
        level, deeper = self.levels[depth], depth + 1 < len(self.levels)
        level.down()
        if deeper:
            self._round(depth + 1)
        for _ in range(1 if deeper else LAST_ROUNDS):
            level.coarse.iterate()
        level.up()


def is_even(stencil: Stencil) -> bool:
    """Whether most cells hold on to all their neighbours about alike, through straight faces."""
    if np.count_nonzero(stencil.face_kind) > BENT * stencil.inner:
        return False
    rows, ratios = stencil.rows, []
    for c in np.unique(np.linspace(0, stencil.cells - 1, SAMPLE).astype(int)):
        held = stencil.geometric_diffusion[rows.faces[rows.offsets[c] : rows.offsets[c + 1]] >> 1]
        ratios.append(held.max() / held.min() if len(held) else 1.0)
    return bool(np.median(ratios) <= EVEN)


def _solved(flow: FlowSolver, wanted: Callable[[], bool]) -> bool:
    """Iterates until the residual is small enough; whether that may be a start."""
    mixing = Acceleration(flow, near=True)
    try:
        for _ in range(MOST):
            if not wanted():
                return False
            mixing.begin()
            worst = flow.iterate().worst
            if worst < ENOUGH:
                break
            mixing.end(worst)
    except Diverged:
        return False
    return True
