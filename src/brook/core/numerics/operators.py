"""Finite-volume operators, as on the blackboard.

All are integrals over cells: `convection(flux) - laplacian(viscosity)` is a matrix whose product
with a field has the units of flux * field. Fields are (C,) or (C, 3); fluxes (F,) point outward
from the owner. Sources: Ferziger & Perić (2002); Moukalled, Mangani & Darwish (2016).
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from brook.core.numerics import kernels, passes
from brook.core.numerics.chunks import chunks_of, over
from brook.core.numerics.matrix import Matrix
from brook.core.numerics.stencil import Fit, Stencil

Convection = Literal["limited", "third", "central", "upwind", "bounded", "tapered", "eased"]
SCHEME_NUMBER = {"upwind": 0, "limited": 1, "central": 2, "third": 3, "bounded": 4, "tapered": 5, "eased": 6}
# Differences under this share of a field's range count as smooth and are not limited.
SMOOTH_SHARE = 0.1
EVERY_CELL = np.zeros(0, np.uint32)


def gradient(
    stencil: Stencil, fit: Fit, value: np.ndarray, boundary: np.ndarray, out: np.ndarray | None = None
) -> np.ndarray:
    """∇φ by least squares: (C, 3) of a scalar, (C, 3, 3) of a vector as [cell, component, direction]. A scalar may come with
    what stands over periodic pairs behind it.

    `fit` comes from `Stencil.fit`; `boundary` (B,) or (B, 3) are the boundary values. Goes into `out` where one is given.
    """
    found = np.empty((stencil.cells, *value.shape[1:], 3)) if out is None else out
    rows = stencil.rows
    seen = stencil.across(value) if len(value) == stencil.cells else value
    shape = (
        boundary, rows.offsets, rows.beside, rows.boundary_offsets, rows.boundary_faces, stencil.centre, stencil.boundary_line, fit.near,
        fit.inverse, fit.own, fit.place,
    )  # fmt: skip
    if value.ndim == 1:
        over(stencil.cell_chunks, passes.slope, found, EVERY_CELL, seen, *shape)
    else:
        over(stencil.cell_chunks, passes.slopes, seen, *shape, found)
    return found


def partial_gradient(
    stencil: Stencil, fit: Fit, value: np.ndarray, boundary: np.ndarray, out: np.ndarray | None = None,
    at_boundary: bool = False,
) -> np.ndarray:  # fmt: skip
    """The gradient of a scalar, in the cells from which values are carried off the lines of centres, or only in those at
    boundaries: elsewhere nothing is said. Arguments are those of `gradient`."""
    cells = stencil.boundary_cells if at_boundary else stencil.skewed_cells
    if not len(cells):
        return gradient(stencil, fit, value, boundary, out)
    found = np.empty((stencil.cells, 3)) if out is None else out
    rows = stencil.rows
    over(
        chunks_of(len(cells)), passes.slope, found, cells, stencil.across(value), boundary, rows.offsets, rows.beside,
        rows.boundary_offsets, rows.boundary_faces, stencil.centre, stencil.boundary_line, fit.near, fit.inverse, fit.own, fit.place,
    )  # fmt: skip
    return found


def gauss_gradient(
    stencil: Stencil, fit: Fit, pressure: np.ndarray, boundary: np.ndarray, out: np.ndarray | None = None
) -> np.ndarray:
    """∑ p S over the faces of each cell, over its volume (C, 3): the gradient of a pressure that keeps momentum, and that
    feels nothing of one that goes up and down from cell to cell. Arguments are those of `gradient`."""
    if stencil.is_agglomerated:
        return gradient(stencil, fit, pressure, boundary, out)
    slope = partial_gradient(stencil, fit, pressure, boundary)
    found = np.empty_like(slope) if out is None else out
    across = stencil.across
    over(
        stencil.cell_chunks,
        passes.gauss_gradient,
        found,
        across(pressure),
        boundary,
        across(slope),
        *stencil.gauss_arrays(fit),
    )
    return found


def divergence(stencil: Stencil, flux: np.ndarray) -> np.ndarray:
    """∑ flux over the faces of each cell (C,)."""
    out = np.empty(stencil.cells + len(stencil.halo))
    kernels.divergence(flux, stencil.owner, stencil.neighbour, out)
    return out[: stencil.cells]


def face_mean(stencil: Stencil, value: np.ndarray) -> np.ndarray:
    """Linear interpolation of a cell field (C,) or (C, 3) to inner faces."""
    w = stencil.weight if value.ndim == 1 else stencil.weight[:, None]
    return w * value[stencil.owner[: stencil.inner]] + (1 - w) * stencil.across(value)[stencil.neighbour]


def convection(stencil: Stencil, flux: np.ndarray) -> Matrix:
    """∑ flux φ_upwind - φ ∑ flux over inner faces; boundaries are added by whoever knows them."""
    through = flux[: stencil.inner]
    return _from_faces(stencil, np.minimum(through, 0.0), -np.maximum(through, 0.0))


def laplacian(stencil: Stencil, coefficient: np.ndarray | float) -> Matrix:
    """∑ coefficient |S| ∂φ/∂n over inner faces, the part along the line of centres.

    `coefficient` (inner,) or one number.
    """
    entry = coefficient * stencil.geometric_diffusion[: stencil.inner]
    return _from_faces(stencil, entry, entry)


def _from_faces(stencil: Stencil, upper: np.ndarray, lower: np.ndarray) -> Matrix:
    """A matrix whose rows sum to nothing."""
    owner = stencil.owner[: stencil.inner]
    diagonal = -np.bincount(owner, upper, stencil.cells)
    diagonal -= np.bincount(stencil.neighbour, lower, stencil.cells)[: stencil.cells]
    return Matrix.of_faces(stencil, diagonal, upper, lower)


def softness_of(value: np.ndarray) -> float:
    """The square under which differences of a field count as smooth."""
    flat = value.reshape(-1)
    chunks = chunks_of(len(flat))
    ends = np.empty((len(chunks) - 1, 2))
    over(chunks, passes.ends, flat, ends)
    return (SMOOTH_SHARE * float(ends[:, 1].max() - ends[:, 0].min())) ** 2 + 1e-300


def turned_at_boundary(stencil: Stencil, on_boundary: np.ndarray, slope: np.ndarray, free: np.ndarray) -> np.ndarray:
    """μ (∇u)ᵀ·S on boundary faces (B, 3): the part of friction that is left where viscosity varies, with the viscosity `on_boundary`
    (B,) and the gradient (C, 3, 3) of the cell.

    What flows through `free` boundary faces (n,) does not change along their normal: their own normal part is nothing.
    """
    outside = on_boundary[:, None] * np.einsum("fik,fi->fk", slope[stencil.face_cell], stencil.area[stencil.inner :])
    normal = stencil.boundary_normal[free]
    outside[free] -= np.einsum("fk,fk->f", outside[free], normal)[:, None] * normal
    return outside
