"""What a boundary kind gives the flow equations on the faces of a patch."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

# How velocity and pressure are closed on a boundary face.
FIXED, OPEN, SLIP = 0, 1, 2


@dataclass(frozen=True, eq=False)
class PatchFaces:
    """Geometry of a patch: area vectors (n, 3) in m², centroids (n, 3), and profile shape for developed flow.

    `developed` (n,) has an area mean of 1 and is zero on the patch's rim at walls. In a turbulent flow `stirred` is its kinematic
    viscosity over the hydraulic diameter in m/s, 0 in a laminar one.
    """

    name: str
    area: np.ndarray
    centre: np.ndarray
    developed: np.ndarray
    stirred: float = 0.0

    @property
    def size(self) -> np.ndarray:
        """Areas (n,) in m²."""
        return np.linalg.norm(self.area, axis=1)

    @property
    def inward(self) -> np.ndarray:
        """Unit normals into the fluid (n, 3)."""
        return -self.area / self.size[:, None]


@dataclass(frozen=True)
class Driven:
    """What drives a flow through a periodic pair: nothing, a `drop` in Pa, or a `mass_flow` in kg/s."""

    kind: Literal["none", "drop", "mass_flow"]
    value: float


@dataclass(frozen=True, eq=False)
class Through:
    """How the pressure at an opening depends on what flows through, besides what is given there: less by `entering` times the dynamic
    pressure where fluid comes in, more by `leaving` times it where it leaves, and more by a `rise` in Pa of the volume
    flow in m³/s that comes in through the whole patch; where it `draws`, less by that of the one that leaves
    and by the dynamic pressure of its mean speed. `is_beyond` says whether
    a table of it has ended before a flow."""

    entering: float = 0.0
    leaving: float = 0.0
    rise: Callable[[float], float] | None = None
    draws: bool = False
    is_beyond: Callable[[float], bool] = lambda _: False

    @property
    def lets_in(self) -> bool:
        """Whether fluid is meant to come in."""
        return self.entering > 0 or (self.rise is not None and not self.draws)


@dataclass(frozen=True)
class Metered:
    """What flows through a patch as a whole: a mass in kg/s `in` or `out`, or out as a `share` of what enters."""

    way: Literal["in", "out", "share"]
    value: float


@dataclass(frozen=True, eq=False)
class Condition:
    """FIXED velocity (n, 3) in m/s, or its shape where it is `metered`; or OPEN with a static pressure (n,) or one for all in Pa and how that
    depends on the flow; or SLIP."""

    kind: int
    velocity: np.ndarray | None = None
    pressure: float | np.ndarray = 0.0
    through: Through | None = None
    metered: Metered | None = None
