"""What curved streamlines make of eddies: production times f_r, after Spalart & Shur (1997, Aerosp. Sci. Technol. 1) as Smirnov & Menter (2009, J. Turbomach.
131) have it for k-ω SST.

f_r = min(max((1 + c₁) 2 r*/(1 + r*) (1 − c₃ arctan(c₂ r)) − c₁, 0), 1.25), r* = S/Ω, r = 2 Ω_ik S_jk (DS_ij/Dt)/(Ω D³), D² = max(S², β* ω²), with c₁ =
c₃ = 1, c₂ = 2; Ω_ij = ½ (∂u_i/∂x_j − ∂u_j/∂x_i), S and Ω without indices √(2 S_ij S_ij) and √(2 Ω_ij Ω_ij). It is 1 in any straight shear flow.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import Stencil, gradient
from brook.core.solve.turbulence.walls import BETA_STAR

if TYPE_CHECKING:
    from brook.core.numerics.stencil import Fit

BENT, MOST = 2.0, 1.25
LEAST = 1e-30
PAIRS = ((0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2))  # components of a symmetric tensor


class Curved:
    """The factor of each cell, which goes half the way to what it is from one iteration to the next."""

    def __init__(self, stencil: Stencil):
        self.stencil = stencil
        self.factor = np.ones(stencil.cells)
        self._fit: Fit | None = None

    def look(self, velocity: np.ndarray, slope: np.ndarray, omega: np.ndarray) -> None:
        """Takes over a velocity (C, 3), its gradient (C, 3, 3) and ω (C,). What changes in place, in time, is left out of DS/Dt."""
        self.factor += 0.5 * (self.of(velocity, slope, omega) - self.factor)

    def of(self, velocity: np.ndarray, slope: np.ndarray, omega: np.ndarray) -> np.ndarray:
        """f_r (C,)."""
        turned = np.swapaxes(slope, 1, 2)
        strain, spin = 0.5 * (slope + turned), 0.5 * (slope - turned)
        sheared, turning = (np.sqrt(2 * np.einsum("cij,cij->c", a, a)) for a in (strain, spin))
        across = np.einsum("cik,cjk->cij", spin, strain)
        work = np.einsum("cij,cij->c", across, self._carried(velocity, strain))
        size = np.sqrt(np.maximum(sheared**2, BETA_STAR * omega**2))
        bend = 2 * work / np.maximum(turning * size**3, LEAST)
        over = sheared / np.maximum(turning, LEAST)
        found = 4 * over / (1 + over) * (1 - np.arctan(BENT * bend)) - 1
        held: np.ndarray = np.clip(np.where(turning > LEAST, found, 1.0), 0.0, MOST)
        return held

    def _carried(self, velocity: np.ndarray, strain: np.ndarray) -> np.ndarray:
        """u·∇S_ij (C, 3, 3)."""
        s = self.stencil
        if self._fit is None:
            self._fit = s.fit(np.zeros(s.boundary_count, bool))
        found, none = np.empty_like(strain), np.zeros((s.boundary_count, 3))
        for part in (PAIRS[:3], PAIRS[3:]):
            three = np.stack([strain[:, i, j] for i, j in part], axis=1)
            along = np.einsum("ckl,cl->ck", gradient(s, self._fit, three, none), velocity)
            for k, (i, j) in enumerate(part):
                found[:, i, j] = found[:, j, i] = along[:, k]
        return found
