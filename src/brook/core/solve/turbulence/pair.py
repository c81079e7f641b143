"""Two positive scalars that one mass flux carries, solved side by side: what they share of a pass over the mesh is looked up once."""

from __future__ import annotations

import numpy as np

from brook.core.numerics import Stencil, passes
from brook.core.numerics.chunks import over
from brook.core.numerics.operators import SCHEME_NUMBER, Convection, softness_of
from brook.core.solve.time_levels import TimeScheme

LEAST, MOST = 0.2, 5.0  # of a value, within which it may change in a step
SWEEPS = 3
STIFF = 1e-4  # of the usual softness: values near walls differ by orders of magnitude from those far away


class ScalarPair:
    """`one` and `two` (C,). Diffusivities (C,) and, of whole cells, `source` and `sink` (2, C), at least 0, are as whoever owns it
    says; the second, which may be `steep` at walls, is drawn to a `target` (C,) with a weight `hold` (C,) of its own."""

    def __init__(self, stencil: Stencil, names: tuple[str, str], scheme: Convection, steep: bool):
        s, inner = stencil, stencil.inner
        self.stencil, self.names, self.scheme, self.steep = s, names, scheme, steep
        self.one, self.two = np.ones((2, s.cells))
        self.one_gradient, self.two_gradient = np.zeros((2, s.cells, 3))
        self.one_diffusivity, self.two_diffusivity = np.zeros((2, s.cells))
        self.source, self.sink = np.zeros((2, 2, s.cells))
        self.hold, self.target = np.zeros((2, s.cells))
        self.turned = np.zeros(0)  # times what shear makes of both, (C,), where streamlines curve; empty: as it is
        self.entering = np.ones((2, s.boundary_count))  # what comes in through boundaries has so much of each
        self.inertia = 0.3  # times what passes a cell, by which steps of it are shortened: at 0.1 what a limiter lags behind swings at inlets
        self._transfer = np.zeros((2, inner))
        self._entries = np.zeros((2, 2 * inner), np.float32)
        self._residual, self._inverse = np.zeros((2, 2, s.cells), np.float32)
        self._steps = np.zeros((2, s.rows.order.length), np.float32)
        self._sums = np.zeros((len(s.cell_chunks) - 1, 4))

    def share(self, room: np.ndarray) -> None:
        """Takes room (3 * inner,) that outlives no step."""
        self._transfer = room[: 2 * self.stencil.inner].reshape(2, -1)

    def boundary(self, flux: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Values (B,) on boundaries: what comes in with a mass flux (F,), else those of the cells."""
        s = self.stencil
        into = flux[s.inner :] < 0
        return tuple(
            np.where(into, entering, value[s.face_cell])
            for value, entering in zip((self.one, self.two), self.entering, strict=True)
        )  # type: ignore[return-value]

    def renew_gradients(self, flux: np.ndarray) -> None:
        """Of both, for a mass flux (F,)."""
        s, fit, rows = self.stencil, self.stencil.every_boundary, self.stencil.rows
        over(
            s.cell_chunks, passes.pair_slopes, s.across(self.one), s.across(self.two), *self.boundary(flux), rows.offsets, rows.beside,
            rows.boundary_offsets, rows.boundary_faces, s.centre, s.boundary_line, fit.near, fit.inverse, fit.own, fit.place,
            self.one_gradient, self.two_gradient,
        )  # fmt: skip

    def advance(self, name: str, flux: np.ndarray, density: np.ndarray, time: TimeScheme | None) -> dict[str, float]:
        """One step towards the answer with a mass flux (F,); gives what was left of each equation over its terms."""
        s, rows, across = self.stencil, self.stencil.rows, self.stencil.across
        scheme = SCHEME_NUMBER[self.scheme]
        one_soft, two_soft = (STIFF * softness_of(v) if scheme == 1 else 0.0 for v in (self.one, self.two))
        over(
            s.face_chunks, passes.pair_faces, across(self.one), across(self.two), across(self.one_gradient), across(self.two_gradient),
            flux, across(self.one_diffusivity), across(self.two_diffusivity), s.centre, *s.ends, s.weight, s.geometric_diffusion, s.face_kind,
            s.skew, s.area, rows.upper, rows.lower, scheme, one_soft, two_soft, self.steep, *self._transfer, *self._entries,
        )  # fmt: skip
        if time is not None:
            mass = density * s.mesh.volume
            self.sink += time.now * mass
            for k, of in enumerate(self.names):
                self.source[k] += mass * time.old(name, of)
        over(
            s.cell_chunks, passes.pair_cells, self.one, self.two, *self._transfer, flux, *self._entries, self.source, self.sink,
            self.hold, self.target, rows.offsets, rows.faces, rows.boundary_offsets, rows.boundary_faces, np.maximum(-flux[s.inner :], 0.0),
            *self.entering, self.inertia, self._residual, self._inverse, self._sums,
        )  # fmt: skip
        left = self._sums.sum(axis=0)
        self._sweep()
        over(
            s.cell_chunks, passes.pair_moved, *self._steps, self.hold, LEAST, MOST, self.one, self.two
        )  # fmt: skip
        return {n: float(left[k] / left[2 + k]) if left[k] != 0 else 0.0 for k, n in enumerate(self.names)}

    def _sweep(self) -> None:
        o, steps = self.stencil.rows.order, self._steps
        steps[:] = 0.0
        for k in range(2 * SWEEPS):
            if k:
                o.exchange(steps[0])
                o.exchange(steps[1])
            sweep = passes.pair_backward if k % 2 else passes.pair_forward
            over(
                o.blocks, sweep, o.offsets, o.columns, *self._entries, self._inverse, self._residual, *steps
            )  # fmt: skip
