"""How the temperature comes in again through a periodic pair where it is to have a mean: the profile stays, its level or its
height over that of a wall is brought back.

T(x) = T_w + s (T(x + d) − T_w) − c between both sides; Patankar, Liu & Sparrow (1977, J. Heat Transfer 99). Of both numbers the one
that is not given follows from the balance of heat. Matrices couple both sides as if nothing changed: of all profiles that keep
their shape, steps then lead to the one without change of sign.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from brook.core.numerics import Stencil
from brook.core.numerics.halo import Joint

STEADY = 1e-6  # of its diagonal, by which a cell is held: level or height have no answer of their own
HIGHEST = 1e3  # times the height that leaves: that which comes in


@dataclass(eq=False)
class Returned:
    """Values come in through the patch of a joint with a mean, by a shift of all or a scale about the value of a wall;
    `factor` s and `fall` c are what these are now."""

    joint: Joint
    way: Literal["shift", "scale"]
    mean: float
    about: float = 0.0
    factor: float = 1.0
    fall: float = 0.0
    enters: bool = True  # whether anything comes in there

    def copies(self, values: np.ndarray) -> None:
        """Brings copies (H,) of values to what they are over the faces. In place."""
        near, far, ref = self.joint.near, self.joint.far, self.about
        values[near] = ref + self.factor * (values[near] - ref) - self.fall
        values[far] = ref + (values[far] + self.fall - ref) / self.factor

    def slopes(self, copies: np.ndarray) -> None:
        """The same of gradients (H, 3). In place."""
        copies[self.joint.near] *= self.factor
        copies[self.joint.far] /= self.factor

    def balance(self, s: Stencil, value: np.ndarray, entries: np.ndarray, residual: np.ndarray) -> None:
        """Chooses what follows from the balance of heat, so that nothing is left (C,) of it as a whole, in place; `entries` are
        those of the matrix."""
        if not self.enters:
            return
        near, far = (s.mesh.inner_count + part for part in (self.joint.near, self.joint.far))
        to_near, to_far = entries[s.rows.upper[near]], entries[s.rows.upper[far]]
        one, other = s.owner[near], s.owner[far]
        if self.way == "shift":
            change_near, change_far = to_near, -to_far
        else:
            change_near = -to_near * (value[other] - self.about)
            change_far = to_far * (value[one] - self.about) / self.factor**2
        response = float(change_near.sum() + change_far.sum())
        step = -float(residual.sum()) / response if response != 0 else 0.0
        if self.way == "scale":
            step = float(np.clip(self.factor + step, 1.0, HIGHEST)) - self.factor
            self.factor += step
        else:
            self.fall += step
        np.add.at(residual, one, step * change_near)
        np.add.at(residual, other, step * change_far)

    def level(self, s: Stencil, value: np.ndarray, copies: np.ndarray, heat_flux: np.ndarray) -> np.ndarray:
        """Values (C,) with the mean that is wanted of what comes in, `copies` (H,) being those over faces and `heat_flux` (F,)
        what weighs them."""
        near = self.joint.near
        faces = s.mesh.inner_count + near
        w, through = s.weight[faces], -heat_flux[faces]
        self.enters = float(through.sum()) > 1e-9 * float(np.abs(through).sum())
        if not self.enters:
            return value
        there = w * value[s.owner[faces]] + (1 - w) * copies[near]
        mean = float(through @ there) / float(through.sum())
        if self.way == "shift":
            return value + (self.mean - mean)
        height = mean - self.about
        return value if height == 0 else self.about + (value - self.about) * ((self.mean - self.about) / height)
