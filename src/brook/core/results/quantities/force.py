"""The force of the fluid on the faces of a patch: pressure and friction, along each axis."""

import numpy as np

from brook.core.numerics import gradient
from brook.core.results.forces import face_forces
from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS

NAMES = ("force_x", "force_y", "force_z")


def along(name: str) -> QuantityKind:
    """The quantity of the force along one axis, or without one its size."""

    def values(view: View) -> Values:
        fields = view.fields
        stencil = fields.stencil
        slope = gradient(stencil, stencil.every_boundary, fields.velocity, fields.boundary_velocity)
        found = np.zeros((stencil.boundary_count, 3))
        for patch in stencil.patches:
            found[stencil.boundary_faces(patch)] = sum(face_forces(fields, patch, slope))
        view.computed.update({n: (np.zeros(stencil.cells), found[:, k]) for k, n in enumerate(NAMES)})
        return view.computed[name]

    words = f"force along {name[-1]}"
    return QuantityKind(name, DIMENSIONS["force"], words, values, signed=True, drawn=False, on=("patch",), summed="on")


ALONG_X, ALONG_Y, ALONG_Z = (along(name) for name in NAMES)
