"""A dissolved substance: its mass fraction c/ρ is carried, spreads, is set free and decays."""

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
    """`density` (C,) in kg/m³ is that of the start; inflows of which nothing is said hold none.

    Raises `ValueError` for a release in a body in which nothing flows.
    """
    mesh, held = stencil.mesh, {name: 0.0 for name in inflows} | {i.patch: i.concentration for i in said.inflows}
    near = density[stencil.face_cell]
    fractions = {
        p.name: held[p.name] / near[stencil.boundary_faces(p)] for p in stencil.patches if p.name in held
    }  # fmt: skip
    equation = ScalarEquation(
        said.name, stencil, given(fractions, stencil, said.start / near), said.start / density, scheme=scheme
    )
    for release in said.releases:
        if release.body not in mesh.bodies:
            raise ValueError(f"nothing flows in {release.body}, so no {said.name} can be set free there")
        here = mesh.body == mesh.bodies.index(release.body)
        equation.source[here] += release.rate * mesh.volume[here] / mesh.volume[here].sum()
    return TransportedScalar(equation, said.diffusivity, said.decay, per_volume=True)
