"""How steeply the pressure and the temperature change from place to place."""

from __future__ import annotations

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import dimension_of


def _of(name: str, unit: str) -> QuantityKind:
    def values(view: View) -> Values:
        """|∇φ| in cells (C,), and in the cells behind boundary faces (B,) with the step to the face for what is across."""
        stencil = view.fields.stencil
        cells, boundary = view.values(name)
        slope = view.slope(name)
        normal, near = stencil.boundary_normal, slope[stencil.face_cell]
        away = np.einsum("ij,ij->i", stencil.boundary_line, normal)
        across = (boundary - cells[stencil.face_cell]) / away
        near = near + (across - np.einsum("ij,ij->i", near, normal))[:, None] * normal
        return np.linalg.norm(slope, axis=1), np.linalg.norm(near, axis=1)

    return QuantityKind(f"{name}_gradient", dimension_of(unit), f"gradient of the {name}", values, positive=True)


OF_PRESSURE, OF_TEMPERATURE = _of("pressure", "Pa/m"), _of("temperature", "K/m")
