"""Surfaces on which a quantity has one value."""

from __future__ import annotations

import numpy as np

from brook.core.results.pictures.base import Drawn, Seen, fans, once, sides
from brook.core.results.space import area, corner_values, iso_surface, mean_over, point_values, volume_above
from brook.core.study.layers import SurfaceLayer


def drawn(layer: SurfaceLayer, seen: Seen) -> Drawn:
    """Raises `KeyError` for an unknown quantity and `ValueError`, with the values that there are, where the level lies outside of them."""
    mesh, view = seen.view.fields.mesh, seen.view
    height = point_values(view, layer.of)
    least, most = float(height.min()), float(height.max())
    volume = volume_above(mesh, height, layer.level)
    numbers = {"least": least, "most": most, "volume": volume, "share": volume / float(mesh.volume.sum()), "area": 0.0}
    if not least < layer.level <= most:
        return Drawn({}, numbers, ("nowhere",))
    surface = iso_surface(mesh, height, layer.level)
    arrays = {"at": surface.at, "triangles": surface.points[fans(surface.offsets)]}
    if not layer.plain:
        values = np.empty(len(surface.at))
        values[surface.points] = corner_values(view, seen.quantity, surface)
        arrays["values"] = values
    if layer.mesh_lines:
        arrays["sides"] = once(surface.points[sides(surface.offsets)], len(surface.at))[0]
    return Drawn(arrays, numbers | {"area": area(surface), "mean": mean_over(view, seen.quantity, surface)})
