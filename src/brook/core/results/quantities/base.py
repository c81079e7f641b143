"""What a quantity is, and the fields through which quantities are read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import gradient
from brook.core.solve import Fields
from brook.core.units import Dimension

if TYPE_CHECKING:
    from brook.core.results.quantities.own import OwnQuantity

# Values in the cells (C,) and on the active boundary faces (B,), in SI units.
Values = tuple[np.ndarray, np.ndarray]


@dataclass(frozen=True)
class References:
    """What coefficients are made with; a speed of None is the mean speed of the inflow, a density the mean one, an area the one that a
    patch shows `along` the stream, a length how long it is along it. Lift is `up`, moments are `about` a place in m.
    Film coefficients are over the step to a `temperature` in K, without one that of what flows in; Nusselt numbers have the `conductivity` in W/(m K)."""

    speed: float | None = None
    pressure: float = 0.0
    density: float | None = None
    area: float | None = None
    length: float | None = None
    along: tuple[float, float, float] = (1.0, 0.0, 0.0)
    up: tuple[float, float, float] = (0.0, 1.0, 0.0)
    about: tuple[float, float, float] = (0.0, 0.0, 0.0)
    temperature: float | None = None
    conductivity: float | None = None


@dataclass(frozen=True, eq=False)
class View:
    """Fields with what derived and own quantities need besides; each value is computed once."""

    fields: Fields
    references: References = field(default_factory=References)
    own: dict[str, OwnQuantity] = field(default_factory=dict)
    computed: dict[str, Values] = field(default_factory=dict)
    sloped: dict[str, np.ndarray] = field(default_factory=dict)
    pointed: dict[str, np.ndarray] = field(default_factory=dict)

    def values(self, quantity: str) -> Values:
        """Values of a quantity. Raises `KeyError` for an unknown one."""
        if quantity not in self.computed:
            from brook.core.results.quantities import QUANTITIES

            kind = QUANTITIES[quantity] if quantity in QUANTITIES else self.own[quantity].kind
            self.computed[quantity] = kind.values(self)
        return self.computed[quantity]

    def slope(self, quantity: str) -> np.ndarray:
        """Gradient (C, 3) of a quantity."""
        if quantity not in self.sloped:
            cells, boundary = (np.ascontiguousarray(v, float) for v in self.values(quantity))
            stencil = self.fields.stencil
            self.sloped[quantity] = gradient(stencil, stencil.every_boundary, cells, boundary)
        return self.sloped[quantity]

    @cached_property
    def velocity_slope(self) -> np.ndarray:
        """Gradient (C, 3, 3) of the velocity, as [cell, component, direction]."""
        stencil, fields = self.fields.stencil, self.fields
        velocity, boundary = (np.ascontiguousarray(v, float) for v in (fields.velocity, fields.boundary_velocity))
        return gradient(stencil, stencil.every_boundary, velocity, boundary)

    @cached_property
    def boundary_velocity_slope(self) -> np.ndarray:
        """The same (B, 3, 3) on boundary faces: that of the cell behind, with the step to the face for what is across."""
        stencil, fields = self.fields.stencil, self.fields
        cell, normal = stencil.face_cell, stencil.boundary_normal
        distance = np.einsum("ij,ij->i", stencil.boundary_line, normal)
        across = (fields.boundary_velocity - fields.velocity[cell]) / distance[:, None]
        near = self.velocity_slope[cell]
        found: np.ndarray = near + (across - np.einsum("fki,fi->fk", near, normal))[:, :, None] * normal[:, None, :]
        return found

    @cached_property
    def is_wall(self) -> np.ndarray:
        """Boundary faces (B,) through which nothing flows."""
        through = np.abs(self.fields.volume_flux)
        return np.asarray(through <= 1e-12 * through.max(initial=0.0))


@dataclass(frozen=True)
class QuantityKind:
    """`words` stand in sentences; `signed` quantities are shown round zero; `on` says where it can be read.

    `positive` ones cannot fall under zero between cells either. One that is not `drawn` has no picture. Of one that is
    `summed` the faces of a patch have their parts; the word says what joins it to the patch: heat flow *out through* it.
    """

    name: str
    dimension: Dimension
    words: str
    values: Callable[[View], Values]
    signed: bool = False
    positive: bool = False
    drawn: bool = True
    on: tuple[str, ...] = ("body", "box", "patch")
    summed: str = ""
