"""Surfaces on which a quantity has one value, and cylinders."""

from __future__ import annotations

import numpy as np

from brook.core.results.pictures.base import Drawn, Seen, fans, once, sides
from brook.core.results.pictures.cuts import arrows_at, evenly
from brook.core.results.space import (
    Polygons,
    area,
    corner_values,
    crossed_cells,
    iso_surface,
    mean_over,
    point_values,
    volume_above,
)
from brook.core.study.layers import CylinderLayer, SurfaceLayer


def drawn(layer: SurfaceLayer, seen: Seen) -> Drawn:
    """Raises `KeyError` for an unknown quantity and `ValueError`, with the values that there are, where the level lies outside of them."""
    mesh, view = seen.view.fields.mesh, seen.view
    height = point_values(view, layer.of)
    least, most = float(height.min()), float(height.max())
    volume = volume_above(mesh, height, layer.level)
    numbers = {"least": least, "most": most, "volume": volume, "share": volume / float(mesh.volume.sum()), "area": 0.0}
    if not least < layer.level <= most:
        return Drawn({}, numbers, ("nowhere",))
    found = _coloured(layer, seen, iso_surface(mesh, height, layer.level))
    return Drawn(found.arrays, numbers | found.numbers)


def cylinder(layer: CylinderLayer, seen: Seen) -> Drawn:
    """Raises `ValueError` for an axis of no length and where the cylinder misses the mesh."""
    mesh = seen.view.fields.mesh
    size = float(np.linalg.norm(layer.along))
    if not size > 0.0:
        raise ValueError("a cylinder needs a direction along its axis")
    way = np.array(layer.along) / size
    off = mesh.points - np.array(layer.through)
    off -= (off @ way)[:, None] * way
    return _coloured(layer, seen, crossed_cells(mesh, np.linalg.norm(off, axis=1) - layer.radius, "this cylinder"))


def _coloured(layer: SurfaceLayer | CylinderLayer, seen: Seen, surface: Polygons) -> Drawn:
    arrays = {"at": surface.at, "triangles": surface.points[fans(surface.offsets)]}
    if not layer.plain:
        values = np.empty(len(surface.at))
        values[surface.points] = corner_values(seen.view, seen.quantity, surface)
        arrays["values"] = values
    if layer.arrows:
        a, b, c = np.moveaxis(surface.at[arrays["triangles"]], 1, 0)
        middle, across = (a + b + c) / 3, np.cross(b - a, c - a)
        chosen, step = evenly(middle)
        arrays |= arrows_at(seen, middle[chosen], step, across[chosen])
    if layer.mesh_lines:
        arrays["sides"] = once(surface.points[sides(surface.offsets)], len(surface.at))[0]
    return Drawn(arrays, {"area": area(surface), "mean": mean_over(seen.view, seen.quantity, surface)})
