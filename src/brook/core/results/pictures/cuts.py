"""Planes through a result, with lines of equal value and arrows."""

from __future__ import annotations

import numpy as np

from brook.core.results.pictures.base import Drawn, Seen, fans, frame, once, sides
from brook.core.results.pictures.solids import holes
from brook.core.results.space import Polygons, area, corner_values, mean_over, plane_cut
from brook.core.study.layers import CutLayer

ARROWS = 34  # along the longer side of a cut
COARSE = 150  # values along the longer side of one that moves


def drawn(layer: CutLayer, seen: Seen) -> Drawn:
    """Raises `ValueError` where the plane misses the mesh."""
    mesh, view = seen.view.fields.mesh, seen.view
    cut = plane_cut(mesh, layer.through, layer.across)
    triangles = fans(cut.offsets)
    pairs = sides(cut.offsets)
    arrays: dict[str, np.ndarray] = {}
    numbers: dict[str, object] = {"area": area(cut), "mean": mean_over(view, seen.quantity, cut)}
    if layer.by_cell:
        arrays |= {"at": cut.at[cut.points], "triangles": triangles}
        values = np.repeat(view.values(seen.quantity)[0][cut.cell], np.diff(cut.offsets))
    else:
        arrays |= {"at": cut.at, "triangles": cut.points[triangles]}
        corner = corner_values(view, seen.quantity, cut)
        values = np.empty(len(cut.at))
        values[cut.points] = corner
    if not layer.plain:
        arrays["values"] = values
    every, times = once(cut.points[pairs], len(cut.at))
    arrays["outline"] = cut.at[every[times == 1]]
    solid, size, count = holes(arrays["outline"], np.array(layer.across, float), seen.locator)
    words: tuple[str, ...] = ()
    if count:
        arrays["solid_at"] = solid.reshape(-1, 3)
        arrays["solid_triangles"] = np.arange(3 * len(solid)).reshape(-1, 3)
        numbers["solid"] = size
        words = (f"{'a solid' if count == 1 else f'{count} solids'} in it, shown grey",)
    if layer.mesh_lines:
        arrays["sides"] = every if not layer.by_cell else pairs
    if layer.arrows:
        arrays |= _arrows(layer, seen, cut)
    return Drawn(arrays, numbers, words)


def coarse(layer: CutLayer, seen: Seen) -> Drawn:
    """A cut while it moves: values at places that lie evenly on it, however many cells there are. Raises `ValueError` where none of
    them lies in the mesh."""
    way, first, second = frame(np.array(layer.across, float))
    low, high = seen.locator.box
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    along, up = corners @ first, corners @ second
    step = max(np.ptp(along), np.ptp(up)) / COARSE
    a, b = np.arange(along.min(), along.max() + step, step), np.arange(up.min(), up.max() + step, step)
    grid = np.stack(np.meshgrid(a, b, indexing="ij"), axis=-1).reshape(-1, 2)
    places = grid[:, :1] * first + grid[:, 1:] * second + float(np.dot(layer.through, way)) * way
    values = seen.locator.values(seen.view, seen.quantity, places)
    if seen.less is not None:
        values -= seen.less.locator.values(seen.less.view, seen.quantity, places)
    known = np.isfinite(values)
    if not known.any():
        raise ValueError("the plane does not cut this mesh")
    corner = (np.arange(len(a) - 1)[:, None] * len(b) + np.arange(len(b) - 1)).ravel()
    quads = corner[:, None] + [0, len(b), len(b) + 1, 1]
    quads = quads[known[quads].all(axis=1)]
    used, triangles = np.unique(np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]), return_inverse=True)
    return Drawn({"at": places[used], "values": values[used], "triangles": triangles.reshape(-1, 3)})


def _arrows(layer: CutLayer, seen: Seen, cut: Polygons) -> dict[str, np.ndarray]:
    """Velocities at places that lie evenly on a cut."""
    way, first, second = frame(np.array(layer.across, float))
    along, up = cut.at @ first, cut.at @ second
    step = max(np.ptp(along), np.ptp(up)) / ARROWS
    a = np.arange(along.min() + step / 2, along.max(), step)
    b = np.arange(up.min() + step / 2, up.max(), step)
    a, b = (grid.ravel() for grid in np.meshgrid(a, b))
    places = a[:, None] * first + b[:, None] * second + float(cut.at[0] @ way) * way
    return arrows_at(seen, places, step)


def arrows_at(seen: Seen, places: np.ndarray, step: float, across: np.ndarray | None = None) -> dict[str, np.ndarray]:
    """Velocities in m/s at those of some places (n, 3) that lie in the fluid, `step` m apart; `across` (n, 3) is normal to what they
    lie on."""
    fields = seen.view.fields
    cells = seen.locator.cells(places)
    inside = cells >= 0
    places, cells = places[inside], cells[inside]
    offset = places - fields.mesh.centre[cells]
    way = fields.velocity[cells] + np.einsum("kij,kj->ki", seen.view.velocity_slope[cells], offset)
    found = {"arrows_at": places, "arrows_way": way, "arrows_step": np.array([step])}
    return found if across is None else found | {"arrows_across": across[inside]}


def evenly(at: np.ndarray) -> tuple[np.ndarray, float]:
    """Of places (n, 3) on a surface some that lie evenly, and about how far apart in m: the one nearest to the middle of each cube
    of a grid."""
    step = float(np.ptp(at, axis=0).max()) / ARROWS or 1.0
    grid = (at - at.min(axis=0)) / step
    cube = np.floor(grid)
    off = np.linalg.norm(grid - cube - 0.5, axis=1)
    order = np.lexsort((off, *cube.T))
    fresh = np.concatenate([[True], np.any(np.diff(cube[order], axis=0) != 0, axis=1)])
    chosen: np.ndarray = order[fresh]
    return chosen, step
