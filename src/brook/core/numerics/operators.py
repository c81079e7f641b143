"""Finite-volume operators, as on the blackboard.

All are integrals over cells: `convection(flux) - laplacian(viscosity)` is a matrix whose product
with a field has the units of flux * field. Fields are (C,) or (C, 3); fluxes (F,) point outward
from the owner. Sources: Ferziger & Perić (2002); Moukalled, Mangani & Darwish (2016).
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from brook.core.numerics import kernels
from brook.core.numerics.matrix import Matrix
from brook.core.numerics.stencil import Stencil

Convection = Literal["limited", "central", "upwind"]
SCHEME_NUMBER = {"upwind": 0, "limited": 1, "central": 2}
# Differences under this share of a field's range count as smooth and are not limited.
SMOOTH_SHARE = 0.1


def gradient(
    stencil: Stencil, vectors: tuple[np.ndarray, np.ndarray], value: np.ndarray, boundary: np.ndarray
) -> np.ndarray:
    """∇φ by least squares: (C, 3) of a scalar, (C, 3, 3) of a vector as [cell, component, direction].

    `vectors` come from `Stencil.gradient_vectors`; `boundary` (B,) or (B, 3) are the boundary values.
    """
    out = np.empty((*value.shape, 3))
    kernel = kernels.gradient_scalar if value.ndim == 1 else kernels.gradient_vector
    kernel(value, boundary, stencil.owner, stencil.neighbour, *vectors, out)
    return out


def divergence(stencil: Stencil, flux: np.ndarray) -> np.ndarray:
    """∑ flux over the faces of each cell (C,)."""
    out = np.empty(stencil.cells)
    kernels.divergence(flux, stencil.owner, stencil.neighbour, out)
    return out


def face_mean(stencil: Stencil, value: np.ndarray) -> np.ndarray:
    """Linear interpolation of a cell field to inner faces (inner,)."""
    w = stencil.weight
    return w * value[stencil.owner[: stencil.inner]] + (1 - w) * value[stencil.neighbour]


def convection(stencil: Stencil, flux: np.ndarray) -> Matrix:
    """∑ flux φ_upwind - φ ∑ flux over inner faces; boundaries are added by whoever knows them."""
    lower, upper = np.empty(stencil.inner), np.empty(stencil.inner)
    diagonal = np.empty(stencil.cells)
    kernels.convective_matrix(flux, stencil.owner, stencil.neighbour, lower, upper, diagonal)
    return Matrix(stencil, diagonal, lower, upper)


def laplacian(stencil: Stencil, coefficient: np.ndarray | float) -> Matrix:
    """∑ coefficient |S| ∂φ/∂n over inner faces, the part along the line of centres.

    `coefficient` (inner,) or one number.
    """
    entry = coefficient * stencil.stiffness[: stencil.inner]
    owner = stencil.owner[: stencil.inner]
    diagonal = -(np.bincount(owner, entry, stencil.cells) + np.bincount(stencil.neighbour, entry, stencil.cells))
    return Matrix(stencil, diagonal, entry, entry)


def correction_of_upwind(
    stencil: Stencil, flux: np.ndarray, value: np.ndarray, slope: np.ndarray, scheme: Convection
) -> np.ndarray:
    """What second-order face values add to the right-hand side of upwind convection (C, 3).

    `slope` is the gradient of `value`. Deferred correction: Khosla & Rubin (1974).
    """
    out = np.zeros((stencil.cells, 3))
    if scheme == "upwind":
        return out
    softness = (SMOOTH_SHARE * float(np.ptp(value))) ** 2 + 1e-300
    kernels.upwind_correction(
        value, slope, flux, stencil.owner, stencil.neighbour, stencil.weight, stencil.line, stencil.skew,
        SCHEME_NUMBER[scheme], softness, out,
    )  # fmt: skip
    return out


def correction_of_diffusion(stencil: Stencil, viscosity: np.ndarray, slope: np.ndarray) -> np.ndarray:
    """What non-orthogonal inner faces add to the right-hand side of diffusion (C, 3); `viscosity` (inner,)."""
    out = np.zeros((stencil.cells, 3))
    kernels.diffusion_correction(viscosity, slope, stencil.owner, stencil.neighbour, stencil.weight, stencil.cross, out)
    return out


def turned_diffusion(stencil: Stencil, viscosity: np.ndarray, on_boundary: np.ndarray, slope: np.ndarray) -> np.ndarray:
    """∑ μ (∇u)ᵀ·S over the faces of each cell (C, 3): the part of friction that is left where viscosity varies.

    `viscosity` on inner faces (inner,) and `on_boundary` (B,); at boundaries the gradient is the cell's.
    """
    w, owner = stencil.weight[:, None, None], stencil.owner
    inside = w * slope[owner[: stencil.inner]] + (1 - w) * slope[stencil.neighbour]
    part = np.concatenate([
        viscosity[:, None] * np.einsum("fik,fi->fk", inside, stencil.area[: stencil.inner]),
        on_boundary[:, None] * np.einsum("fik,fi->fk", slope[stencil.face_cell], stencil.area[stencil.inner :]),
    ])  # fmt: skip
    out = np.empty((stencil.cells, 3))
    for k in range(3):
        kernels.divergence(np.ascontiguousarray(part[:, k]), owner, stencil.neighbour, out[:, k])
    return out
