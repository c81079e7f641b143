"""The mean age of the fluid, as Spalding (1958) has it: carried, spreading, growing by a second each second."""

from __future__ import annotations

import numpy as np

from brook.core.numerics import Stencil
from brook.core.numerics.operators import Convection
from brook.core.solve.scalar import ScalarEquation
from brook.core.solve.scalars.transported import TransportedScalar, given
from brook.core.study import Resolved


def model(
    said: Resolved, stencil: Stencil, density: np.ndarray, inflows: set[str], scheme: Convection
) -> TransportedScalar:
    """Nothing at inflows. In a flow without any it would grow for ever, which only one in time can follow."""
    equation = ScalarEquation(
        said.name, stencil, given(dict.fromkeys(inflows, 0.0), stencil, 0.0), np.zeros(stencil.cells), scheme=scheme
    )
    equation.source = density * stencil.mesh.volume
    return TransportedScalar(equation, said.diffusivity)
