"""How much quantities bend from cell to cell: where a mesh should be finer."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from brook.core.results.quantities import View

VELOCITY = "velocity"


def bend_of(view: View, quantity: str, stretch: Sequence[float] = (1.0, 1.0, 1.0)) -> np.ndarray:
    """Of each cell (C,) the second derivative of a quantity, or of the velocity's components together, in its unit over m²: by how much
    gradients differ over inner faces from one middle to the other, for each m, the root of the mean square over the cell's faces. Where boxes are
    `stretch` times as long along each axis lengths are those before they were stretched. Raises `KeyError` for an unknown quantity."""
    mesh, stencil = view.fields.mesh, view.fields.stencil
    if quantity == VELOCITY:
        slope, cells, boundary = view.velocity_slope, view.fields.velocity, view.fields.boundary_velocity
    else:
        slope = view.slope(quantity)[:, None, :]
        cells, boundary = (v[:, None] for v in view.values(quantity))
    inner = mesh.inner_count
    owner, neighbour = mesh.owner[:inner], mesh.neighbour[:inner]
    line, by = mesh.centre[neighbour] - mesh.centre[owner], np.asarray(stretch)
    along = np.einsum("fij,fj->fi", slope[neighbour] - slope[owner], line) / ((line / by) ** 2).sum(axis=1)[:, None]
    square = (along**2).sum(axis=1)
    # to the middle of a side at the boundary: what is left beyond the straight line
    beside, out = stencil.face_cell, stencil.boundary_line
    left = boundary - cells[beside] - np.einsum("fij,fj->fi", slope[beside], out)
    at_walls = ((2 * left / ((out / by) ** 2).sum(axis=1)[:, None]) ** 2).sum(axis=1)
    total = (
        np.bincount(owner, square, mesh.cell_count) + np.bincount(neighbour, square, mesh.cell_count)
        + np.bincount(beside, at_walls, mesh.cell_count)
    )  # fmt: skip
    count = np.bincount(np.concatenate([owner, neighbour, beside]), minlength=mesh.cell_count)
    found: np.ndarray = np.sqrt(total / np.maximum(count, 1))
    return found
