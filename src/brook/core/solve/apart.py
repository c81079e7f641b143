"""Residuals of several fluids that one solver moves: each is judged by its own size, or a slow one would count as done by the measure of a
fast one."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

AT_REST = 1e-12  # of the largest terms of a body: those of one in which nothing moves but what is rounded


class Apart:
    """The bodies of a flow, `of` (C,) numbered from 0 on: what is left of momentum and mass of each over its own terms."""

    def __init__(self, flow: FlowSolver):
        numbers, self.of = np.unique(flow.stencil.mesh.body, return_inverse=True)
        self.count = len(numbers)
        s = flow.stencil
        self._at_boundary = self.of[s.face_cell]
        self._ends = self.of[s.owner[s.mesh.inner_count : s.active]]  # boundaries, and where it goes round

    def moving(self, flow: FlowSolver, on_boundary: np.ndarray) -> float:
        """The largest residual of momentum of a body, after it was assembled with a velocity (B, 3) on boundaries."""
        s, medium, m = flow.stencil, flow.medium, flow.momentum
        pushed = -s.mesh.volume[:, None] * flow.pressure_gradient
        left = np.linalg.norm(m.residual, axis=1).astype(float)
        terms = self._sum(np.linalg.norm(pushed - m.residual, axis=1) + np.linalg.norm(pushed, axis=1))
        dragged = medium.viscosity_on_boundary * s.geometric_diffusion[s.inner :]
        carried = np.abs(flow.flux[s.inner :]) * np.linalg.norm(on_boundary, axis=1)
        dragged = dragged * np.linalg.norm(on_boundary - flow.velocity[s.face_cell], axis=1)
        terms += np.bincount(self._at_boundary, carried + dragged, self.count)
        return self._worst(self._sum(left), terms, flow.hardly_moved())

    def kept(self, flow: FlowSolver) -> float:
        """The largest residual of mass of a body, after `Continuity.balance`."""
        s = flow.stencil
        slope = np.abs(np.einsum("ckk->ck", flow.momentum.gradient)).sum(axis=1)
        stretched = self._sum(flow.medium.density * s.mesh.volume * slope)
        through = np.bincount(self._ends, np.abs(flow.flux[s.mesh.inner_count :]), self.count)
        left = self._sum(np.abs(flow.mass.residual).astype(float))
        return self._worst(left, stretched + 0.5 * through + left, flow.hardly_kept())

    def _sum(self, values: np.ndarray) -> np.ndarray:
        return np.bincount(self.of, values, self.count)

    @staticmethod
    def _worst(left: np.ndarray, terms: np.ndarray, hardly: float) -> float:
        moves = terms > AT_REST * terms.max()
        return float((left[moves] / (terms[moves] + hardly)).max(initial=0.0))
