"""The momentum equations of one iteration: assembled, judged, swept."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import Stencil, gradient, passes, turned_at_boundary
from brook.core.numerics.chunks import over
from brook.core.numerics.linear import swept
from brook.core.numerics.operators import SCHEME_NUMBER, softness_of
from brook.core.solve import boundary_values

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

NOTHING = np.zeros(0)
NONE_HELD = np.zeros((0, 3))


def _added(sum_so_far: np.ndarray, part: np.ndarray | None) -> np.ndarray:
    if part is None:
        return sum_so_far
    return part if not len(sum_so_far) else sum_so_far + part


class Momentum:
    """Room for the momentum equations of a flow, and what they come to: nothing here outlives an iteration.

    After `assemble`: the `residual` (C, 3) of each equation in N; the velocity `gradient` (C, 3, 3); `off` (F,), the flux less
    that of the mean velocity; `pressure_coefficient` (C,), a volume over the diagonal, for face fluxes, and
    `simplec_coefficient` (C,), the same without what neighbours give, for the pressure correction; `stretched`, the mass in
    kg/s that the flow stretches. The matrix and the step are float32: they only lead to the answer.
    """

    def __init__(self, stencil: Stencil):
        cells, inner = stencil.cells, stencil.inner
        self.stencil = stencil
        self.gradient = np.zeros((cells, 3, 3))
        self.off = np.zeros(stencil.active, np.float32)
        self.pressure_coefficient, self.simplec_coefficient = np.zeros(cells), np.ones(cells)
        self.stretched = 0.0
        self.step = np.zeros((stencil.rows.order.length, 3), np.float32)
        self._transfer = np.zeros((inner, 3))
        self.entries = np.zeros(2 * inner, np.float32)
        self.residual, self._inverse_diagonal = np.zeros((cells, 3), np.float32), np.zeros((cells, 3), np.float32)
        self._sums = np.zeros((len(stencil.cell_chunks) - 1, 3))

    @property
    def workspace(self) -> np.ndarray:
        """Room (3 * inner,) that is free between `assemble` and the next `transfer`."""
        return self._transfer.reshape(-1)

    def renew_gradient(self, flow: FlowSolver, on_boundary: np.ndarray) -> None:
        """The velocity gradient with values (B, 3) on the boundary."""
        gradient(self.stencil, self.stencil.every_boundary, flow.velocity, on_boundary, self.gradient)

    def transfer(self, flow: FlowSolver) -> None:
        """Momentum over faces, the matrix, and `off`."""
        s, medium, rows, inner = self.stencil, flow.medium, self.stencil.rows, self.stencil.inner
        over(
            s.face_chunks, passes.transfers, s.across(flow.velocity), s.across(self.gradient), flow.flux,
            s.across(medium.viscosity), s.across(medium.density), s.centre, *s.ends, s.weight, s.geometric_diffusion, s.face_kind, s.skew, s.area, rows.upper,
            rows.lower, SCHEME_NUMBER[flow.settings.scheme], softness_of(flow.velocity), medium.varies, medium.eddy is not None,
            self._transfer, self.off, self.entries,
        )  # fmt: skip
        face, cell = inner + flow.open, s.face_cell[flow.open]
        through = np.einsum("ij,ij->i", flow.velocity[cell], s.area[face])
        self.off[face] = flow.flux[face] - medium.on_boundary[flow.open] * through

    def assemble(self, flow: FlowSolver, on_boundary: np.ndarray) -> float:
        """The equations for the flow as it is, `slope` included; gives what is left of them over their terms."""
        s, medium, rows = self.stencil, flow.medium, self.stencil.rows
        self.transfer(flow)
        on_diagonal, on_right, boundary_terms = self._boundary_parts(flow, on_boundary)
        inertia, source, sink = NOTHING, NONE_HELD, NONE_HELD
        for explicit, implicit in flow.model.forces(flow):
            source, sink = _added(source, explicit), _added(sink, implicit)
        if flow.time_scheme is not None:
            mass = medium.density * s.mesh.volume
            inertia = flow.time_scheme.now * mass
            source = _added(source, mass[:, None] * flow.time_scheme.old_velocity)
        over(
            s.cell_chunks, passes.momentum, flow.velocity, self.gradient, flow.pressure_gradient,
            s.mesh.volume, medium.density, self._transfer, flow.flux, self.entries, rows.offsets, rows.faces,
            rows.boundary_offsets, rows.boundary_faces, on_diagonal, on_right, inertia, source, sink, flow.settings.relaxation, flow.settings.simplec,
            # slipping walls hold one component only: what counts is the one that moves most easily
            2 if s.mesh.is_plane or s.mesh.is_wedge else 3,
            self.residual, self._inverse_diagonal, self.pressure_coefficient, self.simplec_coefficient, self._sums,
        )  # fmt: skip
        left, terms, self.stretched = self._sums.sum(axis=0).tolist()
        terms += boundary_terms + flow.hardly_moved()
        return left / terms if terms > 0 else 0.0

    def still_unbalanced(self, flow: FlowSolver) -> np.ndarray:
        """The force (3,) in N on all cells that relaxation leaves after `move`, as far as sweeps solved it."""
        held = (1 - flow.settings.relaxation) / self._inverse_diagonal.astype(float)
        return np.einsum("ck,ck->k", held, self.step[: self.stencil.cells].astype(float))

    def move(self, flow: FlowSolver) -> None:
        """The velocity nearer to the answer."""
        s = self.stencil
        swept(s.rows.order, self.entries, self._inverse_diagonal, self.residual, flow.settings.sweeps, self.step)
        over(s.cell_chunks, passes.moved, self.step, flow.velocity)

    def follow_pressure(self, flow: FlowSolver, velocity: np.ndarray, pressure_gradient: np.ndarray) -> None:
        """Issa's (1986) further step: the momentum equation once more, its neighbours and the pressure as they are now,
        where `velocity` (C, 3) solved it for `pressure_gradient` (C, 3)."""
        s, others = self.stencil, np.empty((self.stencil.cells, 3))
        change = flow.velocity - velocity
        over(
            s.cell_chunks,
            passes.coupled,
            s.rows.offsets,
            s.rows.beside,
            self.entries,
            s.across(change),
            others,
        )
        push = s.mesh.volume[:, None] * (flow.pressure_gradient - pressure_gradient)
        flow.velocity[:] = velocity - self._inverse_diagonal * (others + push)

    def _boundary_parts(self, flow: FlowSolver, on_boundary: np.ndarray) -> tuple[np.ndarray, np.ndarray, float]:
        """What boundary faces (B, 3) add to the diagonal and to the source of the cells behind them, and their terms."""
        s, inner = self.stencil, self.stencil.inner
        implicit, explicit, medium = np.empty_like(on_boundary), np.empty_like(on_boundary), flow.medium
        drawn_out = s.wall_slope_factor
        if medium.walls is not None:  # the law of the wall needs nothing besides
            drawn_out = drawn_out.copy()
            drawn_out[medium.walls.faces] = 0.0
        terms = boundary_values.momentum_parts(
            flow.conditions.kind, on_boundary, flow.velocity, self.gradient, s.face_cell, s.area[inner:], s.boundary_line,
            s.boundary_non_orthogonal, s.geometric_diffusion[inner:], medium.viscosity_on_boundary, flow.flux[inner:], drawn_out, implicit, explicit,
        )  # fmt: skip
        if medium.varies:
            explicit += turned_at_boundary(s, medium.turning, self.gradient, flow.open)
        return implicit, explicit, terms
