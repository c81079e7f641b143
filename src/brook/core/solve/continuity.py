"""Mass of one iteration: fluxes through faces, and the pressure that keeps them whole."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import (
    Matrix,
    Stencil,
    divergence,
    gauss_gradient,
    gradient,
    laplacian,
    partial_gradient,
    passes,
)
from brook.core.numerics.chunks import over
from brook.core.numerics.multigrid import kernels
from brook.core.solve.momentum import NOTHING, Momentum

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver


ANSWERED = 1e-3  # to what is known how a flow answers to a mean gradient


@dataclass(frozen=True, eq=False)
class Answer:
    """Changes of flux (inner,), velocity (C, 3), pressure (C,) and its gradient (C, 3)."""

    flux: np.ndarray
    velocity: np.ndarray
    pressure: np.ndarray
    pressure_gradient: np.ndarray

    def add(self, flow: FlowSolver, times: float) -> None:
        """Lets a flow change so many times by it."""
        flow.flux[: len(self.flux)] += times * self.flux
        flow.velocity += times * self.velocity
        flow.pressure += times * self.pressure
        flow.pressure_gradient += times * self.pressure_gradient


class Continuity:
    """Room for the pressure correction of a flow. It takes over that of the momentum equations, which are done with by then. `residual` (C,)
    is the mass in kg/s that enters each cell without being kept."""

    def __init__(self, stencil: Stencil, momentum: Momentum):
        cells, inner = stencil.cells, stencil.inner
        self.stencil = stencil
        self._link, self._entries = momentum.workspace[:inner], momentum.entries
        self._diagonal, self.residual = momentum.residual.reshape(-1)[: 2 * cells].reshape(2, cells)
        count = len(stencil.cell_chunks) - 1
        self._sums, self._pair = np.zeros((count, 1)), np.zeros((count, 2))
        self._volume = float(stencil.mesh.volume.sum())
        self._boundary_link, self._boundary_zero = np.zeros((2, stencil.boundary_count))
        spare = momentum.workspace[inner:]
        room = spare[: 3 * cells] if len(spare) >= 3 * cells else np.zeros(3 * cells)
        self._slope = room.reshape(cells, 3)
        # room that nothing has between `balance` and the end of `correct`
        self.workspace = spare[3 * cells :].view(np.float32)

    def predict(self, flow: FlowSolver, momentum: Momentum) -> None:
        """Rhie-Chow fluxes from the new velocity and the old pressure. Relaxation and inertia are brought in on the face
        itself: what is left of them in the end is then nothing."""
        s, medium, rows, inner, across = (
            self.stencil,
            flow.medium,
            self.stencil.rows,
            self.stencil.inner,
            self.stencil.across,
        )
        if flow.settings.corrections > 1 and self._entries is momentum.entries:
            self._entries = np.zeros_like(momentum.entries)  # further corrections ask for those of momentum again
        per_time, late = (
            (0.0, NOTHING) if flow.time_scheme is None else (flow.time_scheme.now, flow.time_scheme.old_flux)
        )
        over(
            s.face_chunks, passes.fluxes, across(flow.velocity), across(momentum.gradient), across(flow.pressure),
            across(flow.pressure_gradient), across(momentum.pressure_coefficient), across(momentum.simplec_coefficient),
            across(medium.density), momentum.off, late, s.centre,
            *s.ends, s.weight, s.geometric_diffusion, s.face_kind, s.skew, s.area, rows.upper, rows.lower, flow.settings.relaxation, per_time,
            flow.flux, self._link, self._entries,
        )  # fmt: skip
        face, cell, rho = inner + flow.open, s.face_cell[flow.open], medium.on_boundary[flow.open]
        dense = medium.density[cell]
        gives = momentum.pressure_coefficient[cell]
        gives = gives * flow.settings.relaxation / (1 + gives * dense * per_time)
        through = np.einsum("ij,ij->i", flow.velocity[cell], s.area[face])
        along = np.einsum("ij,ij->i", flow.pressure_gradient[cell], s.boundary_line[flow.open])
        step = flow.openings.pressure(flow.conditions)[flow.open] - flow.pressure[cell]
        lag = (1 - flow.settings.relaxation) * momentum.off[face] - (gives * dense * late[face] if len(late) else 0.0)
        flow.flux[face] = rho * (through + gives * s.geometric_diffusion[face] * (along - step)) + lag
        if flow.model.steps is not None:
            flow.model.steps.add_fluxes(flow, momentum, self._link, self._entries)
        if flow.shift is not None:
            flow.flux += flow.shift
        self._boundary_link[:] = 0.0
        self._boundary_link[flow.open] = rho * momentum.simplec_coefficient[cell] * s.geometric_diffusion[face]

    def balance(self, flow: FlowSolver) -> float:
        """The system of the pressure correction; gives the mass in kg/s that is not kept."""
        s, rows = self.stencil, self.stencil.rows
        storage = NOTHING if flow.mass_storage is None else flow.mass_storage
        over(
            s.cell_chunks, passes.continuity, flow.flux, self._entries, storage, rows.offsets,
            rows.faces, rows.boundary_offsets, rows.boundary_faces, self._boundary_link, self.residual, self._diagonal, self._sums,
        )  # fmt: skip
        return float(self._sums.sum())

    def correct(self, flow: FlowSolver, momentum: Momentum) -> float:
        """Pressure, velocity and flux so that mass is kept; gives the largest speed in m/s, nan where one is lost."""
        s, inner = self.stencil, self.stencil.inner
        steps = flow.model.steps
        if flow.conditions.is_closed:
            self._diagonal[0] *= 2  # fixes the level
            self.residual -= self.residual.mean()
        matrix, right = Matrix(s, self._diagonal, self._entries), self.residual
        if steps is not None:
            matrix, right = self._in_full(flow), self.residual.astype(float)
        correction, count = flow.pressure_solver.solve(matrix, right, flow.settings.pressure_tolerance)
        flow.unsolved += count >= flow.pressure_solver.max_iterations
        seen = s.across(correction)
        kept = steps.kept(flow) if steps is not None else None
        over(s.face_chunks, passes.answer, seen, self._link, *s.ends, flow.flux)
        flow.flux[inner + flow.open] += self._boundary_link[flow.open] * correction[s.face_cell[flow.open]]
        level = 0.0
        if flow.conditions.is_closed:
            over(s.cell_chunks, kernels.dots, s.mesh.volume, correction, correction, self._pair)
            level = float(self._pair[:, 0].sum()) / self._volume
        fit = flow.pressure_fit
        slope = (gradient if s.is_agglomerated else partial_gradient)(
            s, fit, correction, self._boundary_zero, self._slope
        )
        over(
            s.cell_chunks, passes.corrected, seen, level, momentum.simplec_coefficient, s.is_agglomerated,
            flow.velocity, flow.pressure, flow.pressure_gradient, self._sums, self._boundary_zero, s.across(slope),
            *s.gauss_arrays(fit),
        )  # fmt: skip
        fastest = float(np.sqrt(self._sums.max()))
        if steps is not None and kept is not None:
            steps.corrected(flow, *kept)
            fastest = float(np.sqrt(np.einsum("ij,ij->i", flow.velocity, flow.velocity).max()))
        return fastest

    def _in_full(self, flow: FlowSolver) -> Matrix:
        """The system in double precision: beside what lets everything through, what hardly lets through is lost in single."""
        s, rows = self.stencil, self.stencil.rows
        entries = np.empty(len(self._entries))
        entries[rows.upper] = entries[rows.lower] = -self._link
        count = rows.offsets[1:].astype(np.int64) - rows.offsets[:-1].astype(np.int64)
        diagonal = np.bincount(np.repeat(np.arange(s.cells), count), -entries, s.cells)
        np.add.at(diagonal, s.face_cell, self._boundary_link)
        if flow.conditions.is_closed:
            diagonal[0] *= 2
        return Matrix(s, diagonal, entries)

    def answers(self, flow: FlowSolver, push: np.ndarray, along: np.ndarray) -> Answer:
        """What a `push` on the fluxes (inner,), as by a mean gradient `along` (3,), comes to when mass is kept. After `correct`, for the flow as it was then."""
        s, whole = self.stencil, np.zeros(self.stencil.active)
        whole[: s.inner] = push
        right = -divergence(s, whole)
        if flow.conditions.is_closed:
            right -= right.mean()
        matrix = Matrix(s, self._diagonal, self._entries)
        found, _ = flow.pressure_solver.solve(matrix, right.astype(self._entries.dtype), ANSWERED)
        potential = found.astype(float)
        link = -self._entries[s.rows.upper].astype(float)
        flux = push - link * (s.across(potential)[s.neighbour] - potential[s.owner[: s.inner]])
        slope = gauss_gradient(s, flow.pressure_fit, potential, self._boundary_zero)
        return Answer(flux, flow.momentum.simplec_coefficient[:, None] * (along - slope), potential, slope)


def project(flow: FlowSolver, tolerance: float, at_openings: np.ndarray | None = None) -> np.ndarray:
    """Takes what is not kept of the mass out of the fluxes as a potential flow does; gives the velocity (C, 3) of that. Its potential
    at openings (n,) in m²/s is nothing where it is not said."""
    s, rho = flow.stencil, flow.medium.on_boundary[flow.open]
    inner, face, cell = s.inner, s.inner + flow.open, s.face_cell[flow.open]
    dense = flow.medium.density_of_faces()
    matrix = laplacian(s, -dense)
    diagonal = matrix.diagonal.copy()
    link = rho * s.geometric_diffusion[face]
    np.add.at(diagonal, cell, link)
    right = -divergence(s, flow.flux)
    if flow.mass_storage is not None:
        right -= flow.mass_storage
    beyond = np.zeros(s.boundary_count)
    if at_openings is not None:
        beyond[flow.open] = at_openings
        np.add.at(right, cell, link * at_openings)
    if flow.conditions.is_closed:
        diagonal[0] *= 2  # fixes the level
        right -= right.mean()
    potential, _ = flow.pressure_solver.solve(Matrix(s, diagonal, matrix.entries), right, tolerance)
    step = s.across(potential)[s.neighbour] - potential[s.owner[:inner]]
    flow.flux[:inner] -= dense * s.geometric_diffusion[:inner] * step
    flow.flux[face] += link * (potential[cell] - beyond[flow.open])
    return -gradient(s, flow.pressure_fit, potential, beyond)
